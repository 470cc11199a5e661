"""Two simulated plugs: one in the launching tractor, whose controller holds a code, and one in the training board."""

from __future__ import annotations

from collections.abc import Callable
from uuid import UUID

from irongauge.core.live.record import BusPort, Watched
from irongauge.core.sensors.circuits import Circuit
from irongauge.store.database import Database
from irongauge.workflows.live.watching import add_port

__all__ = ["add_ports"]


def add_ports(database: Database, uid: Callable[[str], UUID], vehicles: dict[str, UUID], brake: Circuit) -> None:
    """Plug them in. The brake line's sensor is dead: its code is stored, with the frame of that moment."""
    tractor = BusPort(
        uid=uid("plug LT-7"),
        name="Green plug",
        interface="virtual",
        channel="simulated",
        vehicle_uid=vehicles["LT-7"],
        is_simulated=True,
        memory={
            "hidden": {str(brake.uid): "sensor_low"},
            "stored": ["P1A00"],
            "frozen": {"4": 31.0, "5": 71.0, "11": 102.0, "12": 1480.0, "13": 6.0},
            "seen": {"P1A00": 0},
            "warm_ups": 4,
            "driven_km": 38.0,
        },
        watched=(
            Watched("Engine speed", None, 2400.0),
            Watched("Coolant temperature", None, 98.0),
            Watched("Oil pressure", 80.0),
            Watched("Manifold pressure"),
            Watched("Controller supply", 11.5, 15.0),
            Watched("AI 3"),
        ),
    )
    board = BusPort(
        uid=uid("plug BOARD"),
        name="Training plug",
        interface="virtual",
        channel="simulated",
        vehicle_uid=vehicles["BOARD"],
        is_simulated=True,
    )
    for port in (tractor, board):
        add_port(database, port)
