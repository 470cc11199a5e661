"""Whatever is read, in whatever order, with whatever card: the assessment answers, and its parts agree."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.bench.actions import ACTIONS, Action, AnswerKind, Lead, Probe
from irongauge.core.bench.assessment import VerdictLevel, assess
from irongauge.core.bench.sequence import is_allowed
from irongauge.core.diagnosis.faults import FAULT_WORDS, words_of
from irongauge.core.measure.quantities import Mark, TestPoint, VehicleState
from tests.cards import GOOD, GOOD_BIASED, PULL_UP, case

ANSWERS = {
    AnswerKind.VOLTS: st.one_of(st.sampled_from([0.0, 0.05, 0.5, 2.5, 4.9, 5.0, 12.4]), st.floats(-1.2, 18.0)),
    AnswerKind.OHMS: st.one_of(st.just("OL"), st.floats(0.0, 1e6)),
    AnswerKind.GLOW: st.sampled_from(["dark", "dim", "bright"]),
    AnswerKind.VALUE: st.floats(-500.0, 2000.0),
}
POINTS = sorted(
    {*GOOD, *GOOD_BIASED, "off_ohm:A", "off_ohm:C", "sharers_off_v:A", "lamp_negative:C", "lamp_negative_v:C"}
)


@st.composite
def readings(draw):
    chosen = draw(st.lists(st.sampled_from(POINTS), unique=True, max_size=len(POINTS)))
    return {test_point: draw(ANSWERS[ACTIONS[Action(test_point.split(":")[0])].answer]) for test_point in chosen}


cards = st.fixed_dictionaries(
    {"known": st.booleans(), "pull_up": st.sampled_from([None, PULL_UP]), "points": st.just(2)}
)


@given(readings(), cards)
def test_any_readings_get_an_answer_whose_parts_agree(values, card):
    assessment = assess(case(values, **card))
    marks = {test_point: judgement.mark for test_point, judgement in assessment.judgements.items()}
    level = assessment.verdict.level
    if level is VerdictLevel.GOOD:
        assert set(marks.values()) == {Mark.PASS}
        assert assessment.next_test is None
    assert all(judgement.sentence.strip() for judgement in assessment.judgements.values())
    for proof in assessment.proofs:
        assert 0 <= proof.taken <= proof.wanted
        assert (proof.mark is Mark.PASS) <= (proof.taken == proof.wanted > 0)


@given(readings(), cards)
def test_the_next_step_is_always_one_that_may_be_taken(values, card):
    made = case(values, **card)
    test = assess(made).next_test
    if test is not None:
        assert is_allowed(made, test.test_point)
        assert test.ask


@given(readings(), cards)
def test_battery_positive_is_never_asked_for_on_a_driven_pin(values, card):
    made = case(values, **card)
    for test in assess(made).tests:
        if (
            test.spec.lead is Lead.BATTERY_POSITIVE
            and test.spec.probe is Probe.LAMP
            and test.test_point not in made.readings
        ):
            volts = made.number(Action.OPEN_V, test.test_point.cavity)
            assert volts is None or volts <= 1.0


@pytest.mark.parametrize("spec", ACTIONS.values(), ids=list(ACTIONS))
def test_every_action_is_complete(spec):
    assert spec.title
    assert spec.ask.endswith(("?", "."))
    in_words = {AnswerKind.GLOW, AnswerKind.VALUE, AnswerKind.WORD}
    assert (spec.possible is not None) == (spec.answer not in in_words)
    assert bool(spec.words) == (spec.answer is AnswerKind.WORD)
    if spec.possible is not None:
        assert spec.impossible
    if spec.answer is AnswerKind.OHMS and spec.lead is not Lead.OTHER_PIN:
        assert spec.state is VehicleState.BATTERY_OFF
        assert "Battery negative off first" in spec.cautions[0]
    if spec.probe is Probe.LAMP and spec.action is not Action.BATTERY_LAMP:
        assert "never on a controller output or a data bus" in spec.cautions[0]
    if spec.probe is Probe.LAMP and spec.lead is Lead.BATTERY_POSITIVE:
        assert spec.cautions[0].startswith("Battery positive must not touch a wire that may be the reference")


@pytest.mark.parametrize("fault", FAULT_WORDS)
def test_every_fault_says_where_it_sits_and_what_to_do(fault):
    (words,) = words_of(fault)
    assert words.title
    assert words.where
    assert words.do.endswith(".")
    assert words.inspect


@pytest.mark.parametrize("text", ["battery_v", "open_v:A", "mated_v:C:1", "live_v::0"])
def test_a_slot_is_written_and_read_back(text):
    assert str(TestPoint.from_text(text)) == text
