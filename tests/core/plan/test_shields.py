"""Shields: what a list says and what their ohms say."""

import math

import pytest

from irongauge.core.measure.quantities import Mark
from irongauge.core.plan.chain import FORMS_IN_ORDER, Form, Trial, next_form
from irongauge.core.plan.rails import two_regulators
from irongauge.core.plan.shields import Drain, check_shield, drain_read, drain_said


@pytest.mark.parametrize(
    ("text", "drain"),
    [("drained at the controller", Drain.CONTROLLER), ("both ends", Drain.BOTH), ("sensor end", Drain.SENSOR), ("foil", None),
     ("controller and sensor", Drain.BOTH), ("left open", Drain.NOWHERE), ("Drain at module", Drain.CONTROLLER),
     ("drained at the controller, open at the sensor", Drain.CONTROLLER),
     ("open at the sensor; grounded at the ECU", Drain.CONTROLLER),
     ("sensor end cut and taped, controller end to ground", Drain.CONTROLLER),
     ("drained at the controller, not at the sensor", Drain.CONTROLLER),
     ("grounded at sensor, floating at controller", Drain.SENSOR),
     ("Drained at the controller and the sensor", Drain.BOTH),
     ("tied at each end", Drain.BOTH),
     ("open at both ends", Drain.NOWHERE),
     ("drained nowhere", Drain.NOWHERE),
     ("not connected", Drain.NOWHERE),
     ("controller only", Drain.CONTROLLER),
     ("drained at the module, isolated", Drain.CONTROLLER),
     ("braid, open at the sensor", None), ("", None)],
)  # fmt: skip
def test_a_list_is_read_as_people_write_it(text, drain):
    assert drain_said(text) is drain


@pytest.mark.parametrize(
    ("as_wired", "lifted", "drain"),
    [(0.6, math.inf, Drain.CONTROLLER), (0.6, 4e4, Drain.CONTROLLER), (0.6, 1.1, Drain.BOTH), (math.inf, None, Drain.NOWHERE),
     (0.6, None, None), (None, None, None), (200.0, math.inf, None), (0.6, 300.0, None)],
)  # fmt: skip
def test_ohms_say_where_a_shield_is_grounded_or_nothing(as_wired, lifted, drain):
    assert drain_read(as_wired, lifted) is drain


@pytest.mark.parametrize(
    ("said", "read", "mark", "words"),
    [
        (Drain.CONTROLLER, Drain.CONTROLLER, Mark.PASS, "as its ohms show"),
        (None, Drain.CONTROLLER, Mark.PASS, "as its ohms show"),
        (Drain.CONTROLLER, Drain.BOTH, Mark.FAIL, "By its ohms it is grounded at both ends. Lift it"),
        (Drain.CONTROLLER, Drain.NOWHERE, Mark.FAIL, "grounded nowhere. Drain it at the controller."),
        (Drain.SENSOR, None, Mark.FAIL, "By the list it is grounded at the sensor."),
        (Drain.SENSOR, Drain.CONTROLLER, Mark.UNDECIDED, "change the list"),
        (Drain.CONTROLLER, None, Mark.NOT_MEASURED, "Planned right"),
        (None, None, Mark.NOT_MEASURED, "Its ohms to ground tell"),
    ],
)
def test_the_list_is_held_against_the_bench(said, read, mark, words):
    check = check_shield(said, read)
    assert check.mark is mark
    assert words in check.sentence


def _trial(form, *, worked=False, at="box to dial"):
    return Trial(uid=None, at=at, form=form, worked=worked, note="", technician_uid=None, tried_at=None)


def test_outputs_are_tried_in_their_order_until_one_works():
    assert next_form((), "box to dial") is FORMS_IN_ORDER[0]
    assert next_form((_trial(Form.SQUARE),), "box to dial") is FORMS_IN_ORDER[1]
    assert next_form((_trial(Form.SQUARE, at="elsewhere"),), "box to dial") is FORMS_IN_ORDER[0]
    assert next_form((_trial(Form.SQUARE), _trial(Form.LEVEL, worked=True)), "box to dial") is None
    assert next_form(tuple(_trial(form) for form in FORMS_IN_ORDER), "box to dial") is None


@pytest.mark.parametrize(
    ("supply_v", "reference_v", "error", "unsure"),
    # 0 to 10 bar over 10 to 90 %: at the top 0.9·(Vs/Vr − 1)/0.8 of 10 bar; two regulators of 1 % leave 2 % of it unknown.
    [(5.0, 5.0, 0.0, 0.225), (5.1, 5.0, 0.225, 0.225), (4.9, 5.0, -0.225, 0.225), (5.0, 4.93, 0.159736, 0.225)],
)
def test_two_regulators_on_one_measurement(supply_v, reference_v, error, unsure):
    found = two_regulators(supply_v, reference_v, (0.1, 0.9), 10.0)
    assert found.error == pytest.approx(error, abs=1e-6)
    assert found.unsure == pytest.approx(unsure)
