"""What a fuse feeds: its wire there and back, the loads, each at the end of its branch where it has one, and what is lost.

A branch begins where the common wires end, there and back alike; a load with a return of its own shares none of the common one.
"""

from __future__ import annotations

from dataclasses import dataclass, fields

from irongauge.core.plan.wires import BLADE_FUSES_A, INSULATIONS_DEGC, area_carrying_mm2, carries_a, drop_v

__all__ = ["FUSE_SHARE", "Feed", "Load", "WireRun", "next_fuse_a"]

FUSE_SHARE = 0.8  # of a fuse's rating that may flow steadily (shop default)
SLACK = 1 + 1e-9  # of a sum of tenths held against its limit


def next_fuse_a(steady_a: float, peak_a: float = 0.0) -> float | None:
    """The smallest blade fuse of which the steady amperes are no more than their share, and the peak no more than its rating."""
    return next((a for a in BLADE_FUSES_A if steady_a <= FUSE_SHARE * a * SLACK and peak_a <= a * SLACK), None)


@dataclass(frozen=True, kw_only=True)
class Load:
    """What hangs on a feed. `duty` is the share of the time that it is on; `sleep_ma` what it takes with the key off.

    `branch_m` is how far it is from where the common wires end, in wires of `branch_mm2`, None for the same; with `own_return`
    its return leads back by itself.
    """

    name: str
    steady_a: float
    peak_a: float | None = None
    duty: float = 1.0
    keyed: bool = True
    sleep_ma: float = 0.0
    branch_m: float = 0.0
    branch_mm2: float | None = None
    own_return: bool = False

    @property
    def start_a(self) -> float:
        """What it takes while it starts, as far as that is known."""
        return self.steady_a if self.peak_a is None else self.peak_a

    def __post_init__(self) -> None:
        if self.steady_a < 0 or self.sleep_ma < 0 or not 0 <= self.duty <= 1:
            msg = f"{self.name}: its currents are not negative, and its duty lies from 0 to 1"
            raise ValueError(msg)
        if self.branch_m < 0 or (self.branch_mm2 is not None and self.branch_mm2 <= 0):
            msg = f"{self.name}: its branch is not shorter than nothing, and has an area"
            raise ValueError(msg)
        if self.branch_m == 0 and self.branch_mm2 is not None:
            msg = f"{self.name}: a branch of {self.branch_mm2:g} mm² needs its length"
            raise ValueError(msg)
        if self.peak_a is not None and self.peak_a < self.steady_a:
            msg = f"{self.name}: its peak of {self.peak_a:g} A is below its steady {self.steady_a:g} A"
            raise ValueError(msg)


@dataclass(frozen=True, kw_only=True)
class WireRun:
    """A wire to the loads and its return; `rated_a` is what its maker's sheet lets it carry, None where the table tells.

    `insulation_degc` is what its insulation bears, `circuits_together` how many loaded circuits lie in its loom, itself counted.
    """

    supply_m: float
    return_m: float
    area_mm2: float
    around_degc: float = 40.0
    insulation_degc: float = 70.0
    circuits_together: int = 1
    rated_a: float | None = None
    terminal_a: float | None = None

    @classmethod
    def of(cls, source: object) -> WireRun:
        """The run of anything that names its figures as a run does, beside whatever else it holds."""
        return cls(**{field.name: getattr(source, field.name) for field in fields(cls)})

    def __post_init__(self) -> None:
        if self.supply_m <= 0 or self.return_m <= 0 or self.area_mm2 <= 0 or self.circuits_together < 1:
            msg = "a wire has a length and an area above zero, and is in its loom itself"
            raise ValueError(msg)

    @property
    def carries_a(self) -> float:
        """What the weaker of wire and terminal carries."""
        wire_a = self._insulated_for(self.insulation_degc) if self.rated_a is None else self.rated_a
        return wire_a if self.terminal_a is None else min(wire_a, self.terminal_a)

    def _insulated_for(self, insulation_degc: float) -> float:
        together = self.circuits_together
        return carries_a(self.area_mm2, self.around_degc, insulation_degc=insulation_degc, circuits_together=together)

    def area_for_mm2(self, current_a: float) -> float:
        """The area that carries so much: by its maker's figure and the table's law from there, else by the table."""
        if self.rated_a is not None:
            return area_carrying_mm2(current_a * carries_a(self.area_mm2) / self.rated_a)
        insulation_degc, together = self.insulation_degc, self.circuits_together
        return area_carrying_mm2(
            current_a, self.around_degc, insulation_degc=insulation_degc, circuits_together=together
        )

    @property
    def is_too_hot(self) -> bool:
        """True where its insulation bears no more than what is around it, and no maker's figure says that it does."""
        return self.rated_a is None and self.around_degc >= self.insulation_degc

    def insulation_for_degc(self, current_a: float) -> float | None:
        """The coolest class of insulation by which this size carries so much; None where none does."""
        return next((degc for degc in INSULATIONS_DEGC if self._insulated_for(degc) * SLACK >= current_a), None)


@dataclass(frozen=True, kw_only=True)
class Feed:
    """One fuse with its wire and what hangs on it; `shares_return` where something that is read has the same return."""

    name: str
    fuse_a: float
    run: WireRun
    loads: tuple[Load, ...] = ()
    system_v: float = 12.0
    keyed: bool = True
    shares_return: bool = True

    @property
    def steady_a(self) -> float:
        """What all its loads take while they are on, in A."""
        return sum(load.steady_a for load in self.loads)

    @property
    def peak_a(self) -> float:
        """All its loads starting at once, as they do when the key is turned or the fuse goes in."""
        return sum(load.start_a for load in self.loads)

    @property
    def mean_a(self) -> float:
        """Over time, each for the share that it is on: what the alternator must give."""
        return sum(load.steady_a * load.duty for load in self.loads)

    @property
    def sleep_ma(self) -> float:
        """What all its loads take with the key off, in mA."""
        return sum(load.sleep_ma for load in self.loads)

    def branch_carries_a(self, load: Load) -> float:
        """What a load's branch carries: as long as it lies by itself, in the same insulation."""
        run = self.run
        if load.branch_mm2 is None:
            return run.carries_a
        return carries_a(load.branch_mm2, run.around_degc, insulation_degc=run.insulation_degc)

    @property
    def carries_a(self) -> float:
        """What the weakest of wire, terminals and branches carries, which the fuse protects all."""
        return min([self.run.carries_a, *(self.branch_carries_a(load) for load in self.loads)])

    @property
    def fuses_a(self) -> tuple[float, ...]:
        """The blade fuses that carry its load, steady and at the start, and protect its wires."""
        least_a = next_fuse_a(self.steady_a, self.peak_a)
        most_a = self.carries_a * SLACK
        return () if least_a is None else tuple(size for size in BLADE_FUSES_A if least_a <= size <= most_a)

    # Volts lost, while all loads run, or with `starting` while all start

    def common_v(self, *, back: bool = False, starting: bool = False) -> float:
        """In the common wire there, or in the common return."""
        loads = [load for load in self.loads if not (back and load.own_return)]
        current_a = sum(load.start_a if starting else load.steady_a for load in loads)
        length_m = self.run.return_m if back else self.run.supply_m
        return drop_v(current_a, length_m, self.run.area_mm2, self.run.around_degc)

    def branch_v(self, load: Load, *, back: bool = False, starting: bool = False) -> float:
        """In a load's own wires one way; a return of its own is as long as the common one and its branch."""
        length_m = load.branch_m + (self.run.return_m if back and load.own_return else 0.0)
        current_a = load.start_a if starting else load.steady_a
        return drop_v(current_a, length_m, load.branch_mm2 or self.run.area_mm2, self.run.around_degc)

    def lost_v(self, load: Load, *, back: bool = False, starting: bool = False) -> float:
        """On the whole way there to a load, or back from it."""
        common_v = 0.0 if back and load.own_return else self.common_v(back=back, starting=starting)
        return common_v + self.branch_v(load, back=back, starting=starting)
