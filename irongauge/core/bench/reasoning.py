"""A circuit's diagnosis in the words of the job: what it may be and how likely, why, what to measure next, what to do.

The weighing is in `diagnosis`; here a case becomes a session, and the session's answer becomes sentences with the
technician's own test points, pins and units. Nothing here is kept: the same case gives the same diagnosis.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from irongauge.core.bench.actions import ACTIONS, Action, AnswerKind
from irongauge.core.bench.case import BenchCase
from irongauge.core.bench.diagnosed import (
    PIN_SURE,
    Diagnosis,
    DirectLook,
    FoundInput,
    NextTest,
    Of,
    PinGuess,
    PredictedBand,
    ReadingEvidence,
    Suspect,
    WhatIf,
)
from irongauge.core.bench.expectations import instrument_u
from irongauge.core.bench.reach import hindrance_of
from irongauge.core.bench.sequence import is_allowed
from irongauge.core.bench.wiring import wiring_of
from irongauge.core.diagnosis.faults import HEALTHY, SURE, FaultWords, splitting_inspection, words_of
from irongauge.core.diagnosis.proof import direct_proofs
from irongauge.core.diagnosis.role_points import (
    NO_CONTACT_V,
    WORDS,
    Array,
    Kind,
    Observation,
    RolePoint,
    glow_classes,
)
from irongauge.core.diagnosis.sample_sets import resolved
from irongauge.core.diagnosis.session import Session
from irongauge.core.diagnosis.strategy import Choice, Stand, stand
from irongauge.core.measure.quantities import Reading, TestPoint
from irongauge.core.measure.units import show_ohms
from irongauge.core.sensors.circuits import Role

__all__ = ["diagnose", "what_if"]

_SHOWN_FROM = 0.004  # half a percent rounds up to one that can be read
_WEIGHED_FROM = 0.03  # less is no reason not to call a circuit good
_ONE_SIZE = 2.0  # times: a pull-up is said with its ohms where they are that well known
_MOST_SHOWN = 6  # as many as fit beside the ladder
_OHM_DIGITS = 2  # a size is an estimate
_RESISTANCE = "_resistance"  # how the codes of faults that are one end
_OR = " or "  # between words of which each may be read
_AS_GOOD_AS_RIGHT = 0.03  # of a factor: parts of one kind differ by as much
_WIDEST = 6.0  # times: a size that may be this much larger or smaller is not said
_VOLT_KINDS = {Kind.VOLTS, Kind.BATTERY_VOLTS, Kind.LIVE_VOLTS}
_UNPLUGGED_KINDS, _PLUGGED_KINDS = {"open_v", "sharers_off_v"}, {"mated_v", "mated_dc", "return_drop"}


def diagnose(case: BenchCase) -> Diagnosis:
    """Weigh a case's readings. They may be any that are possible, in any number; none makes it fail."""
    return _CaseSession(case).diagnosis()


def what_if(
    case: BenchCase, test_point: TestPoint, reading: Reading | None
) -> tuple[tuple[WhatIf, ...], tuple[Suspect, ...]]:
    """What the suspects predict for a test point; and the suspects as they would stand if it gave this reading."""
    told = _CaseSession(case)
    return told.predictions_for(test_point), () if reading is None else told.suspects_with(reading)


class _CaseSession:
    """A case under diagnosis."""

    def __init__(self, case: BenchCase) -> None:
        self.case = case
        self.wiring = wiring_of(case)
        self.session = Session(self.wiring.subject, assignments=self.wiring.assignments, asked=self.wiring.parts)
        self.readings: dict[RolePoint, list[Reading]] = {}
        self.last: RolePoint | None = None
        for reading in sorted(case.readings.values(), key=lambda r: (r.taken_at, str(r.test_point))):
            role_point = self.wiring.role_point_of(reading.test_point)
            if role_point is None or not ACTIONS[Action(reading.test_point.action)].tells_faults_apart:
                continue
            if case.evidence_from is not None and reading.taken_at < case.evidence_from:
                continue
            self.readings.setdefault(role_point, []).append(reading)
            self.last = role_point
        for role_point, found in self.readings.items():
            confirmed = any(r.test_point in case.confirmed for r in found)
            self.session.update(role_point, self._answer(found), confirmed=confirmed, unsure=self._unsure(found))

    def _answer(self, readings: Sequence[Reading]) -> dict[str, Observation]:
        return dict(self.wiring.observation(reading) for reading in readings)

    def _unsure(self, readings: Sequence[Reading]) -> dict[str, float]:
        """Standard uncertainty of what was read with a meter of the Shelf, on the scale on which it is weighed."""
        found = {}
        for reading in readings:
            name, seen = self.wiring.observation(reading)
            if reading.instrument_uid not in self.case.instruments or not isinstance(seen, float) or not reading.value:
                continue
            share = instrument_u(self.case, reading, reading.value) / abs(reading.value)
            is_ohm = ACTIONS[Action(reading.test_point.action)].answer is AnswerKind.OHMS
            found[name] = share if is_ohm else share * abs(seen)
        return found

    # The whole

    def diagnosis(self) -> Diagnosis:
        allowed = tuple(c for c in self.wiring.role_points if self._may_be_made(c))
        now = stand(self.session, allowed, self.last)
        members = now.group.members
        suspects = self._suspects([m.fault for m in members if m is members[0] or m.probability > _SHOWN_FROM])
        suspects = (suspects[0], *(replace(s, against=self._against(s, suspects[0])) for s in suspects[1:]))
        return Diagnosis(
            standing=now.standing,
            suspects=suspects,
            group_probability=now.group.probability,
            next_tests=tuple(self._next(choice) for choice in now.choices[:3]),
            reasons=self._reasons(suspects[0], now.unexplained),
            looks=self._looks(suspects[0].fault),
            unexplained=tuple(
                test_point for role_point in now.unexplained for test_point in self._points_read(role_point)
            ),
            hangs_on=() if now.hangs_on is None else self._points_read(now.hangs_on),
            bands=self._bands(suspects[0]),
            pins=self._pins(),
            would_change=self._would_change(now),
            inspect=splitting_inspection(now.group.faults) if len(now.group.faults) > 1 else "",
            unfinished=self._unfinished(),
            chances_on_the_way=self._chances_on_the_way(suspects[0].fault),
            roles=self._roles(),
            inputs=self._inputs(HEALTHY if any(s.is_healthy and s.in_group for s in suspects) else suspects[0].fault),
        )

    def _chances_on_the_way(self, fault: str) -> dict[str, dict[str, float]]:
        found: dict[str, dict[str, float]] = {}
        for test_point, share in self.case.ways.items():
            role = self.case.role_of(test_point.cavity or "")
            chance = self.session.chance_below(fault, f"fault_at.{role}", share)
            if chance is not None and test_point.cavity is not None and test_point in self.case.readings:
                found.setdefault(test_point.cavity, {})[test_point.place] = chance
        return found

    def _unfinished(self) -> TestPoint | None:
        """What is still to be read of the check made last, while its lamp or lead is still on."""
        if self.last is None:
            return None
        left = [
            s for s in self.wiring.in_reach_of(self.last) if s not in self.case.readings and is_allowed(self.case, s)
        ]
        return left[0] if left else None

    def _may_be_made(self, role_point: RolePoint) -> bool:
        return any(is_allowed(self.case, test_point) for test_point in self.wiring.in_reach_of(role_point))

    def _points_read(self, role_point: RolePoint) -> tuple[TestPoint, ...]:
        return tuple(reading.test_point for reading in self.readings[role_point])

    def _next(self, choice: Choice) -> NextTest:
        test_points = tuple(s for s in self.wiring.in_reach_of(choice.role_point) if is_allowed(self.case, s))
        return NextTest(choice.role_point, test_points, choice.gain_nats, choice.minutes)

    # Suspects

    def _suspects(self, group: Sequence[str]) -> tuple[Suspect, ...]:
        ranked = self.session.ranking()
        shown = [
            r for i, r in enumerate(ranked) if r.fault in group or (i < _MOST_SHOWN and r.probability > _SHOWN_FROM)
        ]
        return tuple(self._suspect(r.fault, r.probability, in_group=r.fault in group) for r in shown)

    def _suspect(self, fault: str, probability: float, *, in_group: bool) -> Suspect:
        words = words_of(fault)
        sizes = tuple(self._size(fault, w) for w in words) if self.readings else ("",) * len(words)
        titles = [_with_size(w, size) for w, size in zip(words, sizes, strict=True)]
        return Suspect(
            fault=fault,
            title=" and ".join(titles),
            probability=probability,
            sizes=tuple(s for s in sizes if s),
            where=tuple(w.where for w in words),
            do=tuple(w.do for w in words),
            is_healthy=fault == HEALTHY,
            in_group=in_group,
            unseen=self._unseen(fault, words[0]) if self.readings and len(words) == 1 else " and ".join(titles),
            showing=self.session.showing(fault) if self.readings and probability > _WEIGHED_FROM else probability,
        )

    def _size(self, fault: str, words: FaultWords) -> str:
        """How large the fault is on these readings, such as `about 320 Ω`; empty where it has no size."""
        size = words.size
        if size is None:
            return ""
        found = self.session.parameter(fault, size.parameter)
        if found is None:
            return ""
        middle, low, high = ((v + size.less) * size.factor for v in found)
        if min(abs(low), abs(high)) * _WIDEST < max(abs(low), abs(high)):
            return ""  # the readings leave its size open
        if size.unit in {"Ω", "Ω left"}:
            return f"about {show_ohms(_rounded(middle), trim=True)}{size.unit.removeprefix('Ω')}"
        if size.unit.startswith("×") and abs(middle - 1) < _AS_GOOD_AS_RIGHT:
            return ""  # as good as right
        return f"about {_rounded(middle):g} {size.unit}"

    def _unseen(self, fault: str, words: FaultWords) -> str:
        """How large the fault could be without a reading that shows it: `resistance in the signal wire up to 3.9 kΩ`."""
        if words.size is None or not words.code.endswith(_RESISTANCE):
            return words.title
        found = self.session.parameter(fault, words.size.parameter)
        return words.title if found is None else f"{words.title} up to {show_ohms(_rounded(found[2]), trim=True)}"

    # Reasons

    def _against(self, suspect: Suspect, leader: Suspect) -> str:
        """The reading that speaks most against a suspect, beside the leader; empty when none does."""
        if not self.readings:
            return ""
        held = {
            c: self.session.support(c, suspect.fault) - self.session.support(c, leader.fault) for c in self.readings
        }
        role_point = min(held, key=lambda c: held[c])
        if held[role_point] > -1:
            return ""
        reading = self.readings[role_point][-1]
        name, _ = self.wiring.observation(reading)
        part = self.session.predicted(role_point, name, suspect.fault, posterior=False)
        if part is None:
            return ""
        would = self._say(reading.test_point, role_point, *part)
        return (
            f"It would give {would} for {self._title(reading.test_point)}; {self.case.reading_text(reading)} was read."
        )

    def _title(self, test_point: TestPoint) -> str:
        title = ACTIONS[Action(test_point.action)].title
        title = title[:1].lower() + title[1:]
        where = f" at pin {test_point.cavity}" if test_point.cavity else ""
        where += f", {test_point.place}" if test_point.place else ""
        return (
            title
            + where
            + ("" if test_point.point is None else f", {self.case.circuit.stimuli[test_point.point].label}")
        )

    def _reasons(self, leader: Suspect, unexplained: Sequence[RolePoint]) -> tuple[ReadingEvidence, ...]:
        reasons = []
        for role_point in self.readings:
            for reading in self.readings[role_point]:
                reason = self._reason(role_point, reading, leader, explained=role_point not in unexplained)
                if reason is not None:
                    reasons.append(reason)
        return tuple(sorted(reasons, key=lambda r: -r.weight))

    def _reason(
        self, role_point: RolePoint, reading: Reading, leader: Suspect, *, explained: bool
    ) -> ReadingEvidence | None:
        name, _ = self.wiring.observation(reading)
        healthy = self.session.predicted(role_point, name, HEALTHY, posterior=False)
        leading = self.session.predicted(role_point, name, leader.fault, posterior=True)
        if healthy is None or leading is None:
            return None
        good, bad = (self._say(reading.test_point, role_point, *found) for found in (healthy, leading))
        shown = self.case.reading_text(reading)
        weight = self.session.support(role_point, leader.fault) - self.session.support(role_point, HEALTHY)
        title = self._title(reading.test_point)
        begin = f"{title[:1].upper()}{title[1:]}: {shown}"
        if leader.is_healthy:
            sentence = f"{begin}; a good circuit gives {good}."
        elif not explained:
            sentence = f"{begin}, where this fault would give {bad} and a good circuit {good}: check this one again."
        elif good == bad or abs(weight) < 1:
            sentence = f"{begin}; a good circuit gives {good}, this fault {bad}: it does not separate the two."
        else:
            sentence = f"{begin}; a good circuit gives {good}, this fault {bad}."
        return ReadingEvidence(
            test_point=reading.test_point,
            seen=shown,
            healthy=good,
            leading=bad,
            weight=weight,
            explained=explained,
            sentence=sentence,
        )

    def _say(self, test_point: TestPoint, role_point: RolePoint, kind: Kind, values: Array, weights: Array) -> str:
        """A prediction in words: a range with its unit, a glow, a word."""
        if kind is Kind.GLOW:
            glows = np.array(["dark", "dim", "bright"])[glow_classes(values)]
            return _most_common(glows, weights)
        if kind is Kind.WORD:
            return _most_common(np.array([WORDS[role_point.kind][float(v)] for v in values]), weights)
        if (weights[values == NO_CONTACT_V]).sum() > 0.5:  # noqa: PLR2004  most of it
            return "no live data"
        low, high = _quantiles(values, weights, (0.05, 0.95))
        if kind in {Kind.MILLIVOLTS, Kind.THERMO_MILLIVOLTS}:
            low, high = low / 1000, high / 1000
        if kind not in _VOLT_KINDS and low > 2e7:  # noqa: PLR2004  past what a meter shows
            return "over range"
        texts = [self.case.number_text(test_point, float(v)) for v in (low, high)]
        return texts[0] if texts[0] == texts[1] else f"{_without_unit(*texts)} to {texts[1]}"

    def _looks(self, fault: str) -> tuple[DirectLook, ...]:
        assignment = self.session.assignment()
        by_role = {resolved(role_point, assignment): found for role_point, found in self.readings.items()}
        looks = []
        for proof in direct_proofs(self.wiring.subject, fault):
            found = [reading for role_point in proof.read_of(by_role) for reading in by_role[role_point]]
            seen = ", ".join(dict.fromkeys(self.case.reading_text(reading) for reading in found))
            looks.append(DirectLook(proof.of, tuple(reading.test_point for reading in found), seen))
        return tuple(looks)

    # Pictures

    def _bands(self, leader: Suspect) -> tuple[PredictedBand, ...]:
        bands = []
        for role_point in self.wiring.role_points:
            plugged_in = role_point.kind in _PLUGGED_KINDS
            if not plugged_in and role_point.kind != "open_v":
                continue
            name = "mv" if role_point.kind == "return_drop" else "v"
            cavity = role_point.pin
            if role_point.kind == "return_drop":
                cavity = self.wiring.test_points_of(role_point)[0].cavity or ""
            point = self.wiring.states.index(role_point.state) if role_point.state in self.wiring.states else None
            who = [(Of.HEALTHY, HEALTHY)] + ([] if leader.is_healthy else [(Of.LEADING, leader.fault)])
            for of, fault in who:
                # Before the roles are known a good circuit could read anything anywhere: what is left of that is told.
                posterior = of is Of.LEADING or not self.wiring.is_known
                found = self.session.predicted(role_point, name, fault, posterior=posterior)
                if found is not None:
                    low, high = _quantiles(found[1], found[2], (0.05, 0.95))
                    scale = 1000 if name == "mv" else 1
                    bands.append(
                        PredictedBand(
                            cavity=cavity,
                            plugged_in=plugged_in,
                            point=point,
                            of=of,
                            low_v=low / scale,
                            high_v=high / scale,
                        )
                    )
        return tuple(bands)

    def _pins(self) -> tuple[PinGuess, ...]:
        if self.wiring.is_known or not self.readings:
            return ()
        guesses = []
        for cavity, chances in self.session.pin_probabilities().items():
            role = max(chances, key=lambda r: chances[r])
            guesses.append(PinGuess(cavity, role, chances[role]))
        return tuple(guesses)

    def _roles(self) -> Mapping[str, str]:
        """All pins' roles, once the readings leave one way of them; empty before, and where the card gives them."""
        unplugged = [TestPoint(Action.OPEN_V, pin.cavity) for pin in self.case.circuit.pins]
        unread = [p for p in unplugged if p not in self.case.readings and hindrance_of(self.case, p) is None]
        if self.wiring.is_known or unread:
            return {}
        assignment, chance = self.session.likeliest_assignment()
        return assignment if chance >= PIN_SURE else {}

    def _inputs(self, fault: str) -> tuple[FoundInput, ...]:
        """What hangs on the inputs of which the card says nothing, as far as the readings leave no doubt."""
        if not self.readings:
            return ()
        subject = self.wiring.subject
        unknown = [s for s in subject.signals if s not in subject.inputs and not subject.is_two_leg]
        found = (self._input(fault, signal) for signal in unknown)
        return tuple(one for one in found if one is not None)

    def _input(self, fault: str, signal: str) -> FoundInput | None:
        unpulled = self.session.chance_below(fault, f"pulled_up.{signal}", 0.5)
        ohm, volts = self.session.parameter(fault, f"input_ohm.{signal}"), self.case.at(Action.OPEN_V, Role(signal))
        if unpulled is None or 1 - SURE < unpulled < SURE:
            return None
        if unpulled >= SURE:
            return FoundInput(signal, None, None)
        if volts is None:
            return None
        is_sized = ohm is not None and ohm[2] < _ONE_SIZE * ohm[1]
        return FoundInput(signal, round(volts, 2), _rounded(ohm[0]) if ohm is not None and is_sized else None)

    def _would_change(self, now: Stand) -> str:
        """Which reading would most overturn the answer, and what it would have to be."""
        if not self.readings or now.group.probability < SURE:
            return ""
        role_point = max(self.readings, key=lambda c: self._hold(c, now.group.faults))
        reading = self.readings[role_point][-1]
        begin = f"It rests most on {self._title(reading.test_point)}"
        rival = next((r.fault for r in self.session.ranking(role_point) if r.fault not in now.group.faults), None)
        if rival is None:
            return f"{begin}."
        name, _ = self.wiring.observation(reading)
        part = self.session.predicted(role_point, name, rival, posterior=False)
        would = "" if part is None else self._say(reading.test_point, role_point, *part)
        read = self.case.reading_text(reading)
        words = [word for word in would.split(_OR) if word != read]
        shown = _OR.join(words) or "another reading"
        return f"{begin}: {shown} there would make {self._suspect(rival, 0.0, in_group=False).title} likely again."

    def _hold(self, role_point: RolePoint, faults: Sequence[str]) -> float:
        return 1.0 - sum(r.probability for r in self.session.ranking(role_point) if r.fault in faults)

    # What if

    def predictions_for(self, test_point: TestPoint) -> tuple[WhatIf, ...]:
        role_point = self.wiring.role_point_of(test_point)
        if role_point is None:
            return ()
        name = self.wiring.part_of(role_point, test_point)
        found: dict[str, list[Suspect]] = {}
        for suspect in self._suspects((self.session.ranking()[0].fault,)):
            part = self.session.predicted(role_point, name, suspect.fault, posterior=True)
            if part is not None:
                found.setdefault(self._say(test_point, role_point, *part), []).append(suspect)
        return tuple(WhatIf(reads, tuple(suspects)) for reads, suspects in found.items())

    def suspects_with(self, reading: Reading) -> tuple[Suspect, ...]:
        role_point = self.wiring.role_point_of(reading.test_point)
        if role_point is None:
            return self._suspects(())
        before = [r for r in self.readings.get(role_point, []) if r.test_point != reading.test_point]
        self.readings[role_point] = [*before, reading]
        self.session.update(role_point, self._answer(self.readings[role_point]))
        return self._suspects(())


def _with_size(words: FaultWords, size: str) -> str:
    """A fault's title with its size: `about 320 Ω of resistance in the return wire`, `pull-up missing`."""
    if not size:
        return words.title
    return f"{size} of {words.title}" if words.code.endswith(_RESISTANCE) else f"{words.title}, {size}"


def _rounded(value: float) -> float:
    """To two figures, since a size is an estimate."""
    return float(f"{value:.{_OHM_DIGITS}g}")


def _most_common(words: Array, weights: Array) -> str:
    chances = {str(w): float(weights[words == w].sum()) for w in np.unique(words)}
    likely = [w for w, chance in sorted(chances.items(), key=lambda c: -c[1]) if chance > 0.25 * sum(chances.values())]
    return _OR.join(likely)


def _quantiles(values: Array, weights: Array, shares: Sequence[float]) -> tuple[float, ...]:
    order = np.argsort(values)
    sums = np.cumsum(weights[order])
    places = np.searchsorted(sums, np.array(shares) * sums[-1])
    return tuple(float(values[order][min(p, len(values) - 1)]) for p in places)


def _without_unit(low: str, high: str) -> str:
    number, _, unit = low.partition(" ")
    return number if high.partition(" ")[2] == unit else low
