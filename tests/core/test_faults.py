"""The decision table, row by row: readings of a circuit with one fault, and the rule that must stand."""

import pytest

from irongauge.core.assessment import VerdictLevel, assess
from irongauge.core.faults import CONDITIONS, RULES
from tests.core.bench import GOOD, GOOD_BIASED, PULL_UP, case

UNPLUGGED = {k: v for k, v in GOOD.items() if not k.startswith(("mated", "live_v"))}
B_UNPLUGGED = {k: v for k, v in GOOD_BIASED.items() if not k.startswith(("mated", "live_v"))}
# With the reference gone there is nothing to load, and plugging in shows nothing new.
NO_REF = {"battery_v": 12.6, "battery_lamp": "bright", "open_v:A": 0.0, "open_v:B": 0.002, "open_v:C": 0.01}
NO_REF |= {"lamp_negative:A": "dark", "lamp_negative_v:A": 0.0, "lamp_positive:B": "bright", "lamp_positive:C": "dark"}

# code, readings, pull-up on the input, number of stimuli
ROWS = [
    ("reference_short_battery", UNPLUGGED | {"open_v:A": 12.5}, None, 2),
    ("reference_high", UNPLUGGED | {"open_v:A": 6.1}, None, 2),
    (
        "reference_signal_crossed",
        NO_REF | {"open_v:C": 4.98, "lamp_negative:C": "dim", "lamp_negative_v:C": 4.9},
        None,
        2,
    ),
    ("reference_return_crossed", NO_REF | {"open_v:B": 4.98}, None, 2),
    ("return_signal_crossed", UNPLUGGED | {"lamp_positive:B": "dark", "lamp_positive:C": "bright"}, None, 2),
    ("sharer_pulls_down", NO_REF | {"sharers_off_v:A": 4.99}, None, 2),
    ("reference_short_ground", NO_REF | {"sharers_off_v:A": 0.0, "off_ohm:A": 0.6}, None, 2),
    ("reference_absent", NO_REF | {"sharers_off_v:A": 0.0, "off_ohm:A": "OL"}, None, 2),
    ("reference_low", UNPLUGGED | {"open_v:A": 3.9, "sharers_off_v:A": 3.9}, None, 2),
    ("reference_resistance", UNPLUGGED | {"lamp_negative:A": "dark", "lamp_negative_v:A": 0.06}, None, 2),
    ("sensor_drags_reference", GOOD | {"mated_v:A": 2.2}, None, 2),
    ("return_open", UNPLUGGED | {"lamp_positive:B": "dark"}, None, 2),
    ("return_open_biased", B_UNPLUGGED | {"lamp_positive:B": "dark"}, PULL_UP, 2),
    ("return_on_body", GOOD | {"open_v:B": 0.32, "mated_v:B": 0.33}, None, 2),
    ("return_resistance", GOOD | {"mated_v:B": 0.218}, None, 2),
    ("signal_short_battery", UNPLUGGED | {"open_v:C": 12.5}, None, 2),
    (
        "signal_short_reference",
        UNPLUGGED | {"open_v:C": 4.97, "lamp_negative:C": "dim", "lamp_negative_v:C": 4.9},
        None,
        2,
    ),
    ("bias_unexpected", UNPLUGGED | {"open_v:C": 4.97, "lamp_negative:C": "dark", "lamp_negative_v:C": 0.05}, None, 2),
    ("signal_short_ground", UNPLUGGED | {"lamp_positive:C": "bright"}, None, 2),
    ("signal_short_ground_biased", B_UNPLUGGED | {"open_v:C": 0.01, "off_ohm:C": 0.4}, PULL_UP, 2),
    ("bias_missing", B_UNPLUGGED | {"open_v:C": 0.01, "off_ohm:C": "OL"}, PULL_UP, 2),
    ("signal_open", UNPLUGGED | {"live_lamp_positive_v:C": 0.01}, None, 2),
    ("signal_open_biased", B_UNPLUGGED | {"live_jumped_v:C": 4.99}, PULL_UP, 2),
    ("sensor_dead_low", GOOD | {"mated_v:C:0": 0.01, "mated_v:C:1": 0.01}, None, 2),
    ("sensor_stuck_high", GOOD | {"mated_v:C:0": 4.9, "mated_v:C:1": 4.91}, None, 2),
    ("sensor_stuck", GOOD | {"mated_v:C:0": 2.5, "mated_v:C:1": 2.51}, None, 2),
    ("sensor_offset", GOOD | {"mated_v:C:0": 0.805, "mated_v:C:1": 2.61}, None, 2),
    ("sensor_gain", GOOD | {"mated_v:C:0": 0.505, "mated_v:C:1": 1.6}, None, 2),
    ("sensor_off_curve", GOOD | {"mated_v:C:0": 0.9}, None, 1),
    ("live_channel", GOOD | {"live_v::1": 1.0, "live_value::1": 125.0}, None, 2),
    ("live_scaling", GOOD | {"live_value::1": 690.0}, None, 2),
]


@pytest.mark.parametrize(("code", "values", "pull_up", "points"), ROWS, ids=[row[0] for row in ROWS])
def test_each_fault_is_named_from_its_readings(code, values, pull_up, points):
    values = {k: v for k, v in values.items() if points > 1 or not k.endswith(":1")}
    assessment = assess(case(values, pull_up=pull_up, points=points))
    assert assessment.verdict.level is VerdictLevel.FAULT
    assert code in [finding.rule.code for finding in assessment.findings]
    assert assessment.measure_again, "after the repair something has to be measured again"


@pytest.mark.parametrize(("values", "pull_up", "points"), [row[1:] for row in ROWS], ids=[row[0] for row in ROWS])
def test_a_named_fault_leaves_no_failed_reading_unexplained(values, pull_up, points):
    values = {k: v for k, v in values.items() if points > 1 or not k.endswith(":1")}
    assessment = assess(case(values, pull_up=pull_up, points=points))
    assert [str(slot) for slot in assessment.unexplained] == []


def test_every_rule_has_a_row_and_every_condition_a_rule():
    assert {row[0] for row in ROWS} == {rule.code for rule in RULES}
    used = {code for rule in RULES for code in rule.when}
    assert used <= set(CONDITIONS)


@pytest.mark.parametrize("values", [GOOD, GOOD_BIASED], ids=["no pull-up", "pull-up"])
def test_no_rule_stands_on_a_healthy_circuit(values):
    assessment = assess(case(values, pull_up=PULL_UP if values is GOOD_BIASED else None))
    assert assessment.findings == ()
    assert assessment.verdict.level is VerdictLevel.GOOD


def test_a_second_fault_beside_the_first_is_called_out():
    assessment = assess(case(GOOD | {"mated_v:B": 0.218, "live_lamp_positive_v:C": 0.02, "lamp_positive:C": "bright"}))
    assert len(assessment.findings) > 1


def test_a_bad_lamp_is_put_right_before_anything_is_believed():
    assessment = assess(case({"battery_v": 12.6, "battery_lamp": "dark"}))
    assert assessment.verdict.level is VerdictLevel.OPEN
    assert assessment.verdict.headline == "Put the set-up right first"
