"""From a weighed diagnosis to what is said and asked next, with diagnoses made up for it: which part is named, and on what."""

from dataclasses import replace

import pytest

from irongauge.core.bench import assessment, reasoning
from irongauge.core.bench.assessment import VerdictLevel, assess, conclude, needs_diagnosis
from irongauge.core.bench.case import current_readings
from irongauge.core.bench.diagnosed import Suspect
from irongauge.core.diagnosis.faults import DOUBLE_JOIN, FAULT_WORDS, Standing
from irongauge.core.measure.quantities import Mark, TestPoint
from irongauge.core.sensors.families import Family
from irongauge.demo.shelf import MORE_SENSORS
from tests.cards import GOOD, PULLED_DOWN, case, empty, reading
from tools.benching import worked

UNFINISHED = {k: v for k, v in GOOD.items() if k not in {"live_value::1", "mated_v:B"}}


def suspect(fault, probability, *, in_group=True):
    words = [FAULT_WORDS[code] for code in fault.split(DOUBLE_JOIN)]
    return Suspect(
        fault=fault, title=" and ".join(w.title for w in words), probability=probability, sizes=(),
        where=tuple(w.where for w in words), do=tuple(w.do for w in words), is_healthy=fault == "healthy", in_group=in_group,
        showing=probability, unseen=" and ".join(w.title for w in words),
    )  # fmt: skip


@pytest.fixture
def concluded(monkeypatch):
    """The conclusion from readings, were this what the diagnosis says of them."""
    real = reasoning.diagnose

    def one(readings, *suspects, standing=Standing.SETTLED, unexplained=()):
        made = case(readings) if isinstance(readings, dict) else readings
        group = sum(s.probability for s in suspects if s.in_group)
        found = replace(
            real(made),
            suspects=suspects,
            group_probability=group,
            standing=standing,
            next_tests=(),
            unexplained=unexplained,
        )
        monkeypatch.setattr(assessment, "diagnose", lambda _case: found)
        return conclude(assess(made)), found

    return one


def test_a_part_whose_own_readings_pass_is_not_acted_on_and_is_looked_at_next(concluded):
    told, found = concluded(UNFINISHED, suspect("reference_return_crossed", 0.99))
    assert told.verdict.level is VerdictLevel.OPEN
    assert (
        told.verdict.headline
        == "Reference and return swapped in the plug would fit best (99 %), but nothing read shows it"
    )
    assert "nothing is to be moved or replaced" in told.verdict.detail
    assert str(told.next_test.test_point) == "mated_v:B", "the return's own missing reading comes first"
    assert [t.test_point for t in told.measure_again] == [r.test_point for r in found.reasons[:2]]
    assert all(t.title in told.verdict.detail for t in told.measure_again)


def test_where_the_part_has_been_read_whole_the_next_of_the_others_is_asked(concluded):
    told, _ = concluded({k: v for k, v in GOOD.items() if k != "live_value::1"}, suspect("reference_open", 0.99))
    assert told.verdict.level is VerdictLevel.OPEN
    assert str(told.next_test.test_point) == "live_value::1"


def test_a_part_whose_own_reading_is_out_is_named(concluded):
    told, _ = concluded(UNFINISHED | {"open_v:A": 3.0}, suspect("reference_resistance", 0.96))
    assert told.verdict.level is VerdictLevel.FAULT
    assert told.next_test is None
    assert [str(t.test_point) for t in told.measure_again] == ["open_v:A"]


def test_below_what_is_sure_nothing_is_named_alone(concluded):
    told, _ = concluded(
        UNFINISHED, suspect("reference_open", 0.6, in_group=False), suspect("return_open", 0.3, in_group=False)
    )
    assert told.verdict.level is VerdictLevel.GROUP
    assert told.verdict.headline == "No further reading would settle it"
    assert told.verdict.detail == "It may be reference wire open (60 %), return wire open (30 %)."


PAIR = f"return_resistance{DOUBLE_JOIN}sensor_stuck"
BOTH_OUT = UNFINISHED | {"mated_v:B": 0.6, "mated_v:C:0": 2.9}


@pytest.mark.parametrize(
    ("others", "first"),
    [
        ((suspect("sensor_stuck", 0.03),), "Sensor stuck in mid range"),
        ((suspect("return_resistance", 0.03),), "Resistance in the return wire"),
        ((), "Resistance in the return wire"),  # neither is likely enough alone to be among the suspects
    ],
)
def test_two_faults_are_named_with_the_likelier_first(concluded, others, first):
    told, _ = concluded(BOTH_OUT, suspect(PAIR, 0.96), *others)
    assert told.verdict.level is VerdictLevel.FAULT
    assert told.verdict.headline.startswith(f"{first}, and with it ")
    second = "sensor stuck" if first.startswith("Res") else "resistance in the return"
    assert second in told.verdict.headline.split(", and with it ")[1]
    assert (
        told.verdict.detail == "Fix the first, then measure again: only then do the readings show the second for sure."
    )


def test_readings_that_do_not_fit_together_name_what_to_read_again(concluded):
    odd = assess(case(GOOD)).tests[3].test_point
    told, _ = concluded(UNFINISHED, suspect("return_open", 0.97), standing=Standing.CONTRADICTS, unexplained=(odd,))
    assert told.verdict.level is VerdictLevel.CONTRADICTS
    assert [t.test_point for t in told.measure_again] == [odd]
    assert told.measure_again[0].title in told.verdict.detail
    assert told.next_test is None


def test_a_group_names_those_that_count(concluded):
    members = suspect("return_resistance", 0.6), suspect("return_open", 0.392), suspect("return_on_body", 0.008)
    told, _ = concluded(UNFINISHED | {"mated_v:B": 0.6}, *members, standing=Standing.GROUPED)
    assert told.verdict.level is VerdictLevel.GROUP
    assert told.verdict.headline == "Resistance in the return wire or return wire open"
    assert told.verdict.detail == "No reading tells these apart; an inspection does."


@pytest.mark.parametrize(
    ("readings", "needed"),
    [
        ({}, False),
        ({"battery_v": 12.6}, False),
        ({"battery_v": 12.6, "battery_lamp": "bright"}, False),
        ({"battery_v": 10.0, "battery_lamp": "bright", "open_v:A": 4.98}, False),
        ({"battery_v": 12.6, "open_v:A": 4.98}, False),
        ({"battery_v": 12.6, "battery_lamp": "bright", "open_v:A": 4.98}, True),
        (GOOD | {"mated_v:B": 0.5}, True),
        (GOOD, True),  # all pass, and still a fault may lead for which no mark stands
    ],
)
def test_a_diagnosis_is_needed_only_where_it_may_change_the_verdict(readings, needed):
    marks = assess(case(readings))
    assert needs_diagnosis(marks) is needed
    if not needed:
        assert conclude(marks).verdict == marks.verdict


def test_of_two_faults_what_is_out_is_read_again_and_every_second_is_named(concluded):
    other = f"return_resistance{DOUBLE_JOIN}sensor_offset"
    told, _ = concluded(BOTH_OUT, suspect(PAIR, 0.8), suspect(other, 0.16), suspect("return_resistance", 0.03))
    assert [str(t.test_point) for t in told.measure_again][:2] == ["mated_v:B", "mated_v:C:0"]
    assert told.verdict.headline == (
        f"Resistance in the return wire, and with it sensor stuck in mid range or {FAULT_WORDS['sensor_offset'].title}"
    )


def test_two_that_cannot_be_told_apart_are_a_group(concluded):
    told, _ = concluded(
        UNFINISHED | {"mated_v:B": 0.6},
        suspect("return_resistance", 0.6),
        suspect("return_open", 0.38),
        standing=Standing.GROUPED,
    )
    assert told.verdict.level is VerdictLevel.GROUP
    assert told.verdict.headline == "Resistance in the return wire or return wire open"


def test_while_nothing_is_out_the_missing_proofs_go_on(concluded):
    told, _ = concluded(UNFINISHED, suspect("healthy", 0.6), suspect("return_open", 0.3), standing=Standing.GROUPED)
    assert told.verdict.level is VerdictLevel.OPEN
    assert told.next_test is not None


def test_a_part_is_named_where_no_pin_has_a_role_yet(concluded):
    """Marks of pins whose role is not known are not judged, so they cannot speak against it either."""
    made = case({k: v for k, v in GOOD.items() if k.startswith(("battery", "open_v"))}, known=False)
    told, _ = concluded(made, suspect("return_open", 0.97))
    assert told.verdict.level is VerdictLevel.FAULT


def test_one_point_proves_the_wiring_only():
    found = assess(case({k: v for k, v in GOOD.items() if not k.endswith(":1")}, points=1))
    assert (found.verdict.level, found.verdict.headline) == (VerdictLevel.WIRING, "Right at one point")
    assert found.verdict.detail == (
        "Every reading at “vented” fits; a wrong slope would fit there too. Add a second point to its data and measure it."
    )


def test_what_passes_every_mark_is_not_good_while_a_fault_without_marks_leads(concluded):
    """A coil's wire has no mark of its own: nothing that passes speaks for it."""
    coil = next(s for s in MORE_SENSORS if s.family is Family.RELUCTANCE)
    proved, _ = worked(empty(coil), "healthy")
    told, found = concluded(proved, suspect("plus_resistance", 0.87), suspect("healthy", 0.11))
    assert told.verdict.level is VerdictLevel.OPEN
    assert (
        told.verdict.headline
        == "Resistance in the wire of the plus leg would fit best (87 %), but nothing read shows it"
    )
    assert [t.test_point for t in told.measure_again] == [r.test_point for r in found.reasons[:2]]


def test_nothing_is_good_while_a_fault_leads_whose_own_marks_pass(concluded):
    told, _ = concluded(GOOD, suspect("return_on_body", 0.88), suspect("healthy", 0.1))
    assert told.verdict.level is VerdictLevel.OPEN
    assert told.verdict.headline.startswith("Return taken to the body, with an offset would fit best (88 %)")


@pytest.mark.parametrize(
    ("healthy", "others", "level"),
    [
        (0.97, ((("return_resistance", 0.03),)), VerdictLevel.GOOD),
        (0.90, ((("return_resistance", 0.09),)), VerdictLevel.GROUP),
        (0.60, (("ring_uneven", 0.2), ("ring_joints", 0.2)), VerdictLevel.WIRING),
    ],
    ids=["nothing holds five percent", "one does", "only the ring, which takes a scope"],
)
def test_a_circuit_is_good_only_where_no_fault_holds_more_than_five_percent(concluded, healthy, others, level):
    told, _ = concluded(GOOD, suspect("healthy", healthy), *(suspect(*one, in_group=False) for one in others))
    assert told.verdict.level is level


def test_a_fault_of_which_no_limit_speaks_is_named_once_it_is_sure(concluded):
    """Two pull-ups: every reading is within its limits, and the circuit as a whole says it."""
    told, _ = concluded(GOOD, suspect("signal_pull_up_doubled", 0.97), suspect("healthy", 0.02))
    assert told.verdict.level is VerdictLevel.FAULT


def test_what_is_only_unusual_convicts_nothing_by_itself(concluded):
    """A larger lamp glows bright at the reference: one soft word against seventeen numbers."""
    told, _ = concluded(GOOD | {"lamp_negative:A": "bright"}, suspect("healthy", 0.998))
    assert told.verdict.level is VerdictLevel.GOOD
    assert told.judgements[TestPoint("lamp_negative", "A")].mark is Mark.PASS


def test_what_is_out_and_explained_by_nothing_is_read_once_more(concluded):
    told, _ = concluded(GOOD | {"mated_v:B": 0.3}, suspect("healthy", 0.97))
    assert told.verdict.level is VerdictLevel.OPEN
    assert str(told.next_test.test_point) == "mated_v:B"


@pytest.mark.parametrize(("fault", "hidden"), [("reference_short_ground", 1), ("reference_wrong", 1)])
def test_ohms_read_twice_are_no_slip(fault, hidden):
    """Found by a run of every fault: a short of 7 Ω was called a dead reference, and 624 Ω a short."""
    cards = {"reference_short_ground": case({}, others_on_reference="x, y"),
             "reference_wrong": empty(next(s for s in MORE_SENSORS if s.family is Family.HALL))}  # fmt: skip
    told = conclude(assess(worked(cards[fault], fault, hidden)[0]))
    assert told.verdict.level is not VerdictLevel.FAULT or fault in told.diagnosis.leader.fault


def lifted(off_v):
    """A good circuit whose controller's own ground lies higher than battery negative: every pin with it, live data not."""
    pins = {
        "open_v:A",
        "open_v:B",
        "open_v:C",
        "lamp_negative_v:A",
        "mated_v:A",
        "mated_v:B",
        "mated_v:C:0",
        "mated_v:C:1",
    }
    return {point: value + off_v if point in pins else value for point, value in GOOD.items()}


def on_body(off_v):
    """The same circuit with its return on the body, which lies that much higher: what the sensor gives rises with it by the share
    that the supply leaves it (0.1 of the span at the vented end, 0.46 at 461 kPa), and live data shows that too.
    """
    low_v, high_v = 0.9 * off_v, 0.54 * off_v
    return GOOD | {
        "open_v:B": 0.002 + off_v, "mated_v:B": 0.011 + off_v, "mated_v:C:0": 0.505 + low_v, "mated_v:C:1": 2.31 + high_v,
        "live_v::0": 0.49 + low_v, "live_v::1": 2.30 + high_v, "live_value::0": 250 * low_v, "live_value::1": 461 + 250 * high_v,
    }  # fmt: skip


@pytest.mark.parametrize("off_v", [0.0, 0.03, 0.045, 0.06, 0.08])
def test_the_controllers_own_ground_may_lie_some_millivolts_higher(off_v):
    assert conclude(assess(case(lifted(off_v) | PULLED_DOWN))).verdict.level is VerdictLevel.GOOD


@pytest.mark.parametrize("off_v", [0.03, 0.045, 0.06, 0.08])
def test_a_return_on_the_body_is_not_taken_for_that(off_v):
    found = conclude(assess(case(on_body(off_v))))
    assert not found.verdict.level.is_done
    assert found.diagnosis.leader.fault == "return_on_body"


@pytest.mark.parametrize(
    ("ohms", "card", "level", "head"),
    [
        ("210000", {}, VerdictLevel.GOOD, "Proved"),  # pulled down: an open wire would read nothing
        ("OL", {}, VerdictLevel.GROUP, "Good, if the signal input is meant to have no pull-up"),
        ("OL", {"unpulled": True}, VerdictLevel.GOOD, "Proved"),
    ],
)
def test_an_input_that_floats_is_asked_about_where_the_card_is_blank(ohms, card, level, head):
    """A pull-up that is missing beside a sensor that makes its own volts shows in nothing but this."""
    read = GOOD | {"off_ohm:C": ohms if ohms == "OL" else float(ohms)}
    found = conclude(assess(case(read, confirmed=("off_ohm:C",), **card)))
    assert found.verdict.level is level
    assert found.verdict.headline.startswith(head)
    assert found.next_test is None
    if level is VerdictLevel.GROUP:
        assert "Every reading is within its limits. The signal input has no pull-up." in found.verdict.detail
        assert found.asks in found.diagnosis.inputs
        assert found.asks.can_be_kept
    else:
        assert found.asks is None


DEAD_HALL = {
    "battery_v": 12.6, "battery_lamp": "bright", "open_v:A": 4.98, "open_v:B": 0.004, "open_v:C": 0.001, "lamp_negative:A": "dim",
    "lamp_negative_v:A": 4.91, "lamp_positive:B": "bright", "mated_v:A": 4.97, "mated_v:B": 0.006, "mated_v:C:0": 0.005,
    "mated_v:C:1": 0.006, "live_v::0": 0.0, "live_v::1": 0.0, "live_jumped_v:C": 0.0, "live_lamp_positive_v:C": 5.0,
    "turning_low_v:C": 0.005, "turning_high_v:C": 0.006,
}  # fmt: skip


def test_an_output_that_nothing_pulls_up_is_never_good_whatever_the_card_leaves_open():
    """A transistor to ground makes no high level by itself: nothing comes of it without a pull-up."""
    hall = next(s for s in MORE_SENSORS if s.family is Family.HALL)
    blank = empty(hall)
    blank = replace(blank, circuit=replace(blank.circuit, pull_up=None))
    readings = [reading(point, value, second) for second, (point, value) in enumerate(DEAD_HALL.items())]
    found = conclude(assess(replace(blank, readings=current_readings(readings))))
    assert not found.verdict.level.is_done
    assert found.diagnosis.leader.fault == "signal_pull_up_missing"
