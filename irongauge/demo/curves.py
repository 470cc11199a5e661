"""Calibrations, controller entries and a comparison of the sample shop."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, timedelta
from uuid import UUID

from irongauge.core.calibration.points import Run
from irongauge.core.calibration.record import Calibration, KeptPoint, Manner, Setup, Stage, even_plan
from irongauge.core.controllers.cross_checks import instruments_agree
from irongauge.core.controllers.record import KeptCheck, KeptEntry
from irongauge.core.measure.units import PressureBase, rebase, to_fixed
from irongauge.core.sensors.circuits import Circuit, Instrument
from irongauge.core.shop import Technician
from irongauge.store.repositories import Store

__all__ = ["add_curves"]

_BOOST_AIR_KPA, _SHED_AIR_KPA = 100.9, 101.6
# What the dial (bar gauge) and the meter (V) showed: the boost sensor reads high at its fourth point going up.
_BOOST = (
    ("-0.80", "0.407"), ("-0.22", "1.476"), ("0.35", "2.530"), ("0.93", "3.790"), ("1.49", "4.637"),
    ("1.49", "4.636"), ("0.93", "3.606"), ("0.36", "2.555"), ("-0.22", "1.481"),
)  # fmt: skip
_RESERVOIR = (
    ("0.00", "0.497"), ("2.50", "1.489"), ("5.00", "2.483"), ("7.50", "3.474"), ("10.00", "4.466"),
    ("10.00", "4.466"), ("7.50", "3.478"), ("5.00", "2.489"), ("2.50", "1.493"), ("0.00", "0.498"),
)  # fmt: skip


def add_curves(
    store: Store,
    shop_uid: UUID,
    uid: Callable[[str], UUID],
    *,
    instruments: dict[str, Instrument],
    boost: Circuit,
    reservoir: Circuit,
    who: tuple[Technician, Technician],
    began: tuple[datetime, datetime],
) -> None:
    """The open calibration of the boost sensor, the signed one of the reservoir's, what two controllers hold of the boost
    sensor, and two dials held against each other.
    """
    (meter, pump, dial) = (instruments[name].uid for name in ("Meter 4", "Hand pump dial", "Dial 16 bar"))
    boost_setup = Setup(
        channel="signal",
        stage=Stage.AS_FOUND,
        manner=Manner.FULL,
        plan=even_plan(20.9, 249.9, 5, down=True),
        serial="OB-2291",
        meter_uid=meter,
        gauge_uid=pump,
        stimulus_base=PressureBase.GAUGE,
        atmosphere_kpa=_BOOST_AIR_KPA,
        atmosphere_measured=True,
    )
    _calibrate(
        store,
        shop_uid,
        uid,
        circuit=boost,
        setup=boost_setup,
        typed=_BOOST,
        technician=who[0],
        began=began[0],
        signed_by=None,
    )
    shed_setup = Setup(
        channel="signal",
        stage=Stage.AS_LEFT,
        manner=Manner.FULL,
        plan=even_plan(0.0, 1000.0, 5, down=True),
        serial="OP-0417",
        meter_uid=meter,
        gauge_uid=dial,
        reference_v=4.964,
        stimulus_base=PressureBase.GAUGE,
        atmosphere_kpa=_SHED_AIR_KPA,
        atmosphere_measured=True,
    )
    _calibrate(
        store,
        shop_uid,
        uid,
        circuit=reservoir,
        setup=shed_setup,
        typed=_RESERVOIR,
        technician=who[1],
        began=began[1],
        signed_by=who[1],
    )
    ends = {"kind": "end points", "allowance_pct": "0.5", "reading_low": "0.40", "reading_high": "4.65"}
    for name, figures, unit, base in (
        ("Engine controller, input 2", ends | {"shown_low": "20", "shown_high": "250"}, "kPa", PressureBase.ABSOLUTE),
        ("Dash gauge 1", ends | {"shown_low": "0.20", "shown_high": "2.50"}, "bar", PressureBase.GAUGE),
        ("Greatest pressure believed", {"kind": "limit", "shown": "2.20"}, "bar", PressureBase.ABSOLUTE),
    ):
        entry = KeptEntry(
            uid=uid(f"entry {name}"),
            name=name,
            figures=figures,
            unit=unit,
            base=base,
            technician_uid=who[0].uid,
            entered_at=began[0],
        )
        store.calibrations.add_entry(boost.uid, entry)
    found = instruments_agree(152.0, instruments["Hand pump dial"].gauge.standard_uncertainty(), 150.0, 4.62, "bar")  # type: ignore[union-attr]
    given = {"kind": found.kind, "first": "1.52", "second": "1.50"}
    store.calibrations.add_check(boost.uid, KeptCheck(uid("check dials"), found, given, who[0].uid, began[0]))


def _calibrate(
    store: Store,
    shop_uid: UUID,
    uid: Callable[[str], UUID],
    *,
    circuit: Circuit,
    setup: Setup,
    typed: tuple[tuple[str, str], ...],
    technician: Technician,
    began: datetime,
    signed_by: Technician | None,
) -> None:
    curve = circuit.sensor.channels[0].curve
    points = []
    for place, (stimulus, reading) in enumerate(typed):
        gauge_kpa = to_fixed(float(stimulus), "bar")
        points.append(
            KeptPoint(
                uid=uid(f"{circuit.uid} point {place}"),
                place=place,
                run=setup.plan[place].run if place < len(setup.plan) else Run.UP,
                stimulus=rebase(gauge_kpa, setup.stimulus_base, curve.pressure_base, setup.atmosphere_kpa),
                reading=float(reading),
                reference_v=None,
                stimulus_step=1.0,
                typed_stimulus=stimulus,
                typed_reading=reading,
                taken_at=began + timedelta(minutes=2 * place),
            )
        )
    record = Calibration(
        uid=uid(f"{circuit.uid} calibration"),
        sensor=circuit.sensor,
        setup=setup,
        technician_uid=technician.uid,
        started_at=began,
        points=tuple(points),
        circuit_uid=circuit.uid,
    )
    store.calibrations.add(shop_uid, record)
    if signed_by is not None:
        store.calibrations.sign(record.uid, began + timedelta(minutes=2 * len(points)), signed_by.uid, "")
