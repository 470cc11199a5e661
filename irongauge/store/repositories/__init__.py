"""Repositories: rows in, core dataclasses out. `Store` holds one of each over a single session."""

from __future__ import annotations

from sqlalchemy.orm import Session

from irongauge.store.repositories.calibrations import CalibrationRepository
from irongauge.store.repositories.circuits import CircuitRepository
from irongauge.store.repositories.examples import ExampleRepository
from irongauge.store.repositories.handovers import HandoverRepository
from irongauge.store.repositories.jobs import JobRepository
from irongauge.store.repositories.kits import KitRepository
from irongauge.store.repositories.live import LiveRepository
from irongauge.store.repositories.people import PeopleRepository
from irongauge.store.repositories.plans import PlanRepository
from irongauge.store.repositories.pulses import PulseRepository
from irongauge.store.repositories.readings import ReadingRepository
from irongauge.store.repositories.shelf import ShelfRepository
from irongauge.store.repositories.shops import ShopRepository
from irongauge.store.repositories.traces import TraceRepository
from irongauge.store.repositories.vehicles import VehicleRepository
from irongauge.store.repositories.verdicts import VerdictRepository
from irongauge.store.repositories.wirings import WiringRepository
from irongauge.store.repositories.work import WorkRepository

__all__ = ["Store"]


class Store:
    """Everything that is kept, inside one unit of work."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.shops = ShopRepository(session)
        self.shelf = ShelfRepository(session)
        self.jobs = JobRepository(session)
        self.circuits = CircuitRepository(session)
        self.readings = ReadingRepository(session)
        self.calibrations = CalibrationRepository(session)
        self.pulses = PulseRepository(session)
        self.people = PeopleRepository(session)
        self.handovers = HandoverRepository(session)
        self.plans = PlanRepository(session)
        self.wirings = WiringRepository(session)
        self.kits = KitRepository(session)
        self.vehicles = VehicleRepository(session)
        self.examples = ExampleRepository(session)
        self.verdicts = VerdictRepository(session)
        self.traces = TraceRepository(session)
        self.live = LiveRepository(session)
        self.work = WorkRepository(session)
