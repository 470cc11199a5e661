"""The circuit as a whole: order of steps, what may not be asked yet, proof marks, the verdict."""

import random
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.bench.actions import ACTIONS, Action
from irongauge.core.bench.assessment import Proof, VerdictLevel, assess, conclude
from irongauge.core.bench.case import BenchCase, current_readings
from irongauge.core.bench.sequence import is_allowed
from irongauge.core.measure.quantities import Limits, Mark, Reading, SupersedeReason, TestPoint, VehicleState
from irongauge.core.sensors.circuits import Circuit, Instrument, InstrumentKind, Pin, Role, Stimulus
from tests.cards import GOOD, GOOD_BIASED, METER, PULL_UP, PULLED_DOWN, SENSOR, case, circuit, reading


def worked_through(values, **card):
    """The test points in the order in which they are asked for, until nothing more is."""
    got, asked = {}, []
    while (test := assess(case(got, **card)).next_test) is not None:
        asked.append(str(test.test_point))
        got[asked[-1]] = values[asked[-1]]
    return asked, assess(case(got, **card))


@pytest.mark.parametrize(
    ("values", "card"),
    [(GOOD, {}), (GOOD, {"known": False}), (GOOD_BIASED, {"pull_up": PULL_UP})],
    ids=["roles known", "roles unknown", "pull-up"],
)
def test_a_good_circuit_is_proved_by_answering_what_is_asked(values, card):
    asked, assessment = worked_through(values, **card)
    assert assessment.verdict.level is VerdictLevel.GOOD
    assert {p.mark for p in assessment.proofs} == {Mark.PASS}
    assert set(asked) == set(values)


def test_one_point_proves_the_wiring_and_not_the_slope():
    at_one = {k: v for k, v in GOOD.items() if not k.endswith(":1")}
    _, assessment = worked_through(at_one, points=1)
    assert assessment.verdict.level is VerdictLevel.WIRING
    assert "Add a second point" in assessment.verdict.detail
    told = conclude(assess(case(at_one | PULLED_DOWN, points=1)))
    assert told.verdict.level is VerdictLevel.WIRING
    assert told.verdict.headline == assessment.verdict.headline
    assert told.next_test is None
    _, wrong = worked_through(at_one | {"mated_v:C:0": 0.9}, points=1)
    assert not wrong.verdict.level.is_done


@pytest.mark.parametrize(
    ("values", "shows"), [((0.0,), False), ((0.0, 460.0), True), ((0.0, 0.0), False), ((18.0, 18.5), True)]
)
def test_a_slope_shows_between_two_values(values, shows):
    made = replace(circuit(), stimuli=tuple(Stimulus(f"at {n}", value) for n, value in enumerate(values)))
    assert made.shows_slope is shows


def test_the_order_keeps_the_connector_off_until_it_goes_on_once():
    asked, _ = worked_through(GOOD)
    plugged = [ACTIONS[Action(test_point.split(":")[0])].plugged_in for test_point in asked]
    assert plugged == sorted(plugged)


def test_roles_follow_from_the_answers():
    _, assessment = worked_through(GOOD, known=False)
    assert [assessment.case.role_of(c) for c in "ABC"] == [Role.REFERENCE, Role.RETURN, Role.SIGNAL]


def test_what_is_asked_for_may_be_read_and_an_early_reading_of_the_signal_counts():
    asked, assessment = worked_through(GOOD, known=False)
    for at in range(len(asked)):
        before = case({point: GOOD[point] for point in asked[:at]}, known=False)
        assert is_allowed(before, TestPoint.from_text(asked[at])), asked[at]
    early = assess(case({"mated_v:C": 0.505, **GOOD}, known=False))
    assert early.judgements[TestPoint.from_text("mated_v:C")].mark is Mark.PASS
    assert assessment.verdict.level is early.verdict.level is VerdictLevel.GOOD


def test_battery_positive_never_goes_to_a_pin_that_may_be_the_reference():
    for values in ({}, {"open_v:A": 4.98}, GOOD, GOOD | {"open_v:C": 4.97}):
        made = case(values, known=False)
        driven = [c for c in "ABC" if (made.number(Action.OPEN_V, c) or 99) > 1.0]
        for cavity in driven:
            test_point = TestPoint(Action.LAMP_POSITIVE, cavity)
            assert test_point in made.readings or not is_allowed(made, test_point)
    assert not is_allowed(case({}), TestPoint(Action.LAMP_POSITIVE, "B")), "nothing is known of the pin yet"
    assert is_allowed(case({"open_v:B": 0.002}), TestPoint(Action.LAMP_POSITIVE, "B"))


@pytest.mark.parametrize("text", ["open_v:Z", "open_v", "mated_v:C:7", "mated_v:C", "live_v", "paint:A", "battery_v:A"])
def test_a_place_that_the_circuit_does_not_have_is_not_allowed(text):
    assert not is_allowed(case(GOOD), TestPoint.from_text(text))


@given(st.integers(0, 2**32))
def test_the_order_of_the_readings_makes_no_difference(seed):
    readings = [reading(test_point, value) for test_point, value in (GOOD | {"mated_v:B": 0.218}).items()]
    shuffled = readings[:]
    random.Random(seed).shuffle(shuffled)
    first, second = (
        assess(
            BenchCase(circuit=circuit(), readings=current_readings(r), instruments={METER.uid: METER}, value_unit="bar")
        )
        for r in (readings, shuffled)
    )
    assert first.verdict == second.verdict
    assert first.proofs == second.proofs
    assert {s: j.mark for s, j in first.judgements.items()} == {s: j.mark for s, j in second.judgements.items()}


def test_a_missing_proof_is_counted():
    assessment = assess(case({k: v for k, v in GOOD.items() if not k.startswith("live_v")}))
    assert assessment.verdict.level is VerdictLevel.OPEN
    live = next(p for p in assessment.proofs if p.proof is Proof.LIVE)
    assert (live.mark, live.taken, live.wanted) == (Mark.NOT_MEASURED, 0, 4)
    assert "live data (0 of 4)" in assessment.verdict.detail


def test_a_reading_too_close_to_call_does_not_prove_a_circuit():
    assessment = assess(case(GOOD | {"open_v:A": 4.752}))
    assert assessment.verdict.level is VerdictLevel.OPEN
    assert assessment.verdict.headline == "Too close to call"
    assert [str(s.test_point) for s in assessment.measure_again] == ["open_v:A"]


def test_only_the_last_of_a_chain_counts():
    first = reading("open_v:A", 9.48)
    second = Reading(
        uid=METER.uid,
        test_point=first.test_point,
        value=4.98,
        word=None,
        unit="V",
        state=VehicleState.KEY_ON,
        typed="4.98",
        technician_uid=first.technician_uid,
        taken_at=first.taken_at,
        supersedes_uid=first.uid,
        reason=SupersedeReason.MISTYPED,
    )
    assert current_readings([second, first]) == {first.test_point: second}


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda: Limits(2, 1), "not an interval"),
        (lambda: reading("open_v:A", float("inf")), "finite number"),
        (lambda: TestPoint.from_text("a:b:1:2"), "not a place in a test"),
        (
            lambda: Instrument(uid=METER.uid, kind=InstrumentKind.LAMP, name="L", meter=METER.meter),
            "meter specification",
        ),
        (
            lambda: Circuit(
                uid=METER.uid,
                name="x",
                family=SENSOR.family,
                pins=(Pin("A"), Pin("A"), Pin("B")),
                reference_v=5,
                sensor=SENSOR,
                stimuli=(),
            ),
            "3 pins",
        ),
    ],
    ids=["limits", "reading", "test_point", "instrument", "circuit"],
)
def test_a_bad_state_cannot_be_made(make, says):
    with pytest.raises(ValueError, match=says):
        make()
