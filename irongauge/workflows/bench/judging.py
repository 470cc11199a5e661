"""What can be said of a circuit, worked out outside of every transaction and kept while nothing it follows from changes.

A reading is committed before it is weighed, so a diagnosis that fails, or does not come to an end, loses nothing: the
circuit is shown as not judged, and the next look tries again. A diagnosis runs in a thread of its own only so that
waiting for it has an end; whoever asks for the same circuit meanwhile waits for the same one.
"""

from __future__ import annotations

import secrets
import threading
import traceback
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass, field, replace

import structlog

from irongauge.core.bench.actions import Probe
from irongauge.core.bench.assessment import Assessment, Verdict, VerdictLevel, assess, conclude
from irongauge.core.bench.case import BenchCase, ShopLimits, confirmed_points, current_readings, evidence_from
from irongauge.core.measure.quantities import Reading, TestPoint
from irongauge.core.measure.units import Quantity, standard_atmosphere_kpa
from irongauge.core.pulses.record import PulseMark
from irongauge.core.sensors.circuits import Circuit, Instrument
from irongauge.core.shop import Job, Shop, Vehicle
from irongauge.settings import get_settings

__all__ = ["NOT_JUDGED", "CircuitFacts", "concluded", "lacking_of", "marked"]

log = structlog.get_logger()

NOT_JUDGED = "Saved; cannot be judged now"
_MARKS_KEPT, _DIAGNOSES_KEPT = 4096, 64  # marks are small; a diagnosis holds its clouds of samples


@dataclass(frozen=True, kw_only=True)
class CircuitFacts:
    """Everything that what is said of a circuit depends on: the key under which answers are kept.

    `value_unit` and `heat_unit` are the codes of the units in which the shop reads what the sensor senses, None for one
    that only switches, and what a second, temperature channel does. `lacking` are the tools that the shop has none of.
    """

    circuit: Circuit
    readings: tuple[Reading, ...]
    instruments: tuple[Instrument, ...]
    limits: ShopLimits
    vehicle: Vehicle
    value_unit: str | None
    heat_unit: str
    pulses: tuple[PulseMark, ...]
    lacking: frozenset[Probe] = frozenset()
    asked_way: tuple[TestPoint, float] | None = field(
        default=None, repr=False
    )  # what is kept of a verdict does not follow it

    def __hash__(self) -> int:
        # Of all that is compared, what changes: a page looks hundreds of circuits up, and the whole of one takes its time.
        last = self.readings[-1].uid if self.readings else None
        return hash((self.circuit.uid, len(self.readings), last))

    @classmethod
    def of(
        cls,
        shop: Shop,
        job: Job,
        circuit: Circuit,
        *,
        readings: tuple[Reading, ...],
        instruments: tuple[Instrument, ...],
        pulses: tuple[PulseMark, ...] = (),
    ) -> CircuitFacts:
        quantity = circuit.sensor.quantity
        return cls(
            circuit=circuit,
            readings=readings,
            instruments=_used(readings, instruments),
            limits=shop.limits,
            vehicle=job.vehicle,
            value_unit=None if quantity is None else shop.units[quantity],
            heat_unit=shop.units[Quantity.TEMPERATURE],
            pulses=pulses,
            lacking=lacking_of(shop),
        )

    def with_readings(self, readings: tuple[Reading, ...], instruments: tuple[Instrument, ...]) -> CircuitFacts:
        """The same with other readings, which name some of the shop's instruments."""
        return replace(self, readings=readings, instruments=_used(readings, instruments))

    def case(self) -> BenchCase:
        return BenchCase(
            circuit=self.circuit,
            readings=current_readings(self.readings),
            instruments={i.uid: i for i in self.instruments},
            limits=self.limits,
            system_v=self.vehicle.system_v,
            value_unit=self.value_unit,
            heat_unit=self.heat_unit,
            atmosphere_kpa=standard_atmosphere_kpa(self.vehicle.height_m),
            evidence_from=evidence_from(self.readings),
            confirmed=confirmed_points(self.readings),
            pulses=self.pulses,
            lacking=self.lacking,
            asked_way=self.asked_way,
        )


def lacking_of(shop: Shop) -> frozenset[Probe]:
    """What the shop says it has none of, among what touches a circuit."""
    return frozenset(probe for probe in Probe if shop.tools.get(probe, 1) < 1)


def _used(readings: tuple[Reading, ...], instruments: tuple[Instrument, ...]) -> tuple[Instrument, ...]:
    """The instruments that readings name: others say nothing of the circuit, and may come and go."""
    used = {r.instrument_uid for r in readings} | {r.stimulus_instrument_uid for r in readings}
    return tuple(i for i in instruments if i.uid in used)


class _Kept:
    """Answers of a pure function of the facts: the newest `size` are kept, failures are not."""

    def __init__(self, function: Callable[[CircuitFacts], Assessment], size: int) -> None:
        self._function = function
        self._size = size
        self._lock = threading.Lock()
        self._answers: OrderedDict[CircuitFacts, Future[Assessment]] = OrderedDict()

    def __call__(self, facts: CircuitFacts, limit_s: float | None = None) -> Assessment:
        """The answer; waits for it at most `limit_s`, or works it out here where that is None. `TimeoutError` after it."""
        with self._lock:
            answer, is_new = self._answers.get(facts), False
            if answer is None:
                answer, is_new = Future(), True
                self._answers[facts] = answer
                while len(self._answers) > self._size:
                    self._answers.popitem(last=False)
            else:
                self._answers.move_to_end(facts)
        if is_new and limit_s is None:
            self._work(facts, answer)
        elif is_new:
            threading.Thread(target=self._work, args=(facts, answer), daemon=True, name="diagnosis").start()
        return answer.result(limit_s)

    def _work(self, facts: CircuitFacts, answer: Future[Assessment]) -> None:
        try:
            answer.set_result(self._function(facts))
        except BaseException as error:  # noqa: BLE001  whatever it is, it belongs to who asks for the answer
            with self._lock:
                self._answers.pop(facts, None)
            answer.set_exception(error)


def _assess(facts: CircuitFacts) -> Assessment:
    return assess(facts.case())


def _conclude(facts: CircuitFacts) -> Assessment:
    return conclude(_marks(facts))


_marks = _Kept(_assess, _MARKS_KEPT)
_diagnoses = _Kept(_conclude, _DIAGNOSES_KEPT)


def marked(facts: CircuitFacts) -> Assessment:
    """The judged readings, the proof marks and what they say, without a diagnosis; never raises."""
    try:
        return _marks(facts)
    except Exception as error:  # noqa: BLE001  a reading that cannot be judged must not take its page with it
        return Assessment(
            case=facts.case(),
            tests=(),
            judgements={},
            proofs=(),
            verdict=_not_judged(facts, error),
            next_test=None,
            measure_again=(),
        )


def concluded(facts: CircuitFacts) -> Assessment:
    """The same with the diagnosis; where it fails, or takes longer than the settings allow, the marks and a word of it."""
    marks = marked(facts)
    try:
        return _diagnoses(facts, get_settings().diagnosis_limit_s)
    except Exception as error:  # noqa: BLE001  likewise
        return replace(marks, verdict=_not_judged(facts, error))


def _not_judged(facts: CircuitFacts, error: Exception) -> Verdict:
    """What is said of readings that are safe but cannot be weighed; the fault itself goes to the log."""
    reference = secrets.token_hex(4)
    late = isinstance(error, TimeoutError)
    trace = "" if late else "".join(traceback.format_exception(error))  # without the values of variables
    log.error(
        "diagnosis late" if late else "diagnosis failed",
        reference=reference,
        circuit=str(facts.circuit.uid),
        trace=trace,
    )
    why = "It takes longer than it should." if late else f"This is a fault of Iron Gauge; its reference is {reference}."
    detail = f"Every reading is kept. {why} Go on measuring: the judgement is made again at the next look."
    return Verdict(VerdictLevel.OPEN, NOT_JUDGED, detail)
