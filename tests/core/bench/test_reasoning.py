"""From readings on the Bench to the fault: the order of the trade, row by row, and what must never be concluded."""

from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from irongauge.core.bench.assessment import VerdictLevel, assess, conclude
from irongauge.core.bench.reasoning import diagnose, what_if
from irongauge.core.bench.sequence import is_allowed
from irongauge.core.diagnosis.faults import HEALTHY, Standing
from irongauge.core.measure.quantities import TestPoint
from irongauge.core.measure.uncertainty import MeterSpec
from tests.cards import GOOD, GOOD_BIASED, METER, PULL_UP, PULLED_DOWN, case, reading

UNPLUGGED = {k: v for k, v in GOOD.items() if not k.startswith(("mated", "live_v"))}
B_UNPLUGGED = {k: v for k, v in GOOD_BIASED.items() if not k.startswith(("mated", "live_v"))}
NO_REF = {"battery_v": 12.6, "battery_lamp": "bright", "open_v:A": 0.01, "open_v:B": 0.002, "open_v:C": 0.01}
NO_REF |= {"lamp_negative:A": "dark", "lamp_negative_v:A": 0.0, "lamp_positive:B": "bright", "lamp_positive:C": "dark"}
DEAD = {"mated_v:A": 4.93, "mated_v:B": 0.011, "live_lamp_positive_v:C": 5.0}

# What each answer of the by-hand order says: readings, pull-up on the input, the faults that may lead.
ROWS = {
    "battery on the reference": (UNPLUGGED | {"open_v:A": 12.5, "lamp_negative:A": "bright", "lamp_negative_v:A": 11.9},
                                 None, {"reference_short_battery"}),
    "more than the reference": (UNPLUGGED | {"open_v:A": 6.1, "lamp_negative_v:A": 6.0}, None, {"reference_wrong"}),
    "5 V where the signal is": (NO_REF | {"open_v:C": 4.98, "lamp_negative:C": "dim", "lamp_negative_v:C": 4.9,
                                          "live_v::0": 0.0}, None, {"reference_signal_crossed"}),
    "5 V where the return is": (NO_REF | {"open_v:B": 4.98, "lamp_positive:A": "bright"}, None, {"reference_return_crossed"}),
    "ground where the signal is": (UNPLUGGED | {"lamp_positive:B": "dark", "lamp_positive:C": "bright",
                                                "live_lamp_positive_v:C": 0.02}, None, {"return_signal_crossed"}),
    "back when the sharers come off": (NO_REF | {"open_v:A": 0.6, "lamp_negative_v:A": 0.58, "sharers_off_v:A": 4.99},
                                       None, {"sharer_short"}),
    "still dead, and 0.6 Ω to ground": (NO_REF | {"open_v:A": 0.12, "lamp_negative_v:A": 0.11, "sharers_off_v:A": 0.12,
                                                     "off_ohm:A": 0.6}, None, {"reference_short_ground"}),
    "dead, and no path at all": (NO_REF | {"sharers_off_v:A": 0.0, "off_ohm:A": "OL"}, None, {"reference_open"}),
    "low, sharers or not": (UNPLUGGED | {"open_v:A": 3.9, "lamp_negative_v:A": 3.85, "sharers_off_v:A": 3.9}, None,
                            {"reference_wrong"}),
    "5 V that the lamp pulls down": (UNPLUGGED | {"lamp_negative:A": "dark", "lamp_negative_v:A": 0.06}, None,
                                     {"reference_resistance"}),
    "no path on the return": (UNPLUGGED | {"lamp_positive:B": "dark", "off_ohm:B": "OL"}, None, {"return_open"}),
    "body offset on the return": (GOOD | {"open_v:B": 0.32, "mated_v:B": 0.33, "mated_v:C:0": 0.80, "mated_v:C:1": 2.48,
                                          "live_v::0": 0.79, "live_v::1": 2.47, "live_value::0": 73.0, "live_value::1": 493.0},
                                  None, {"return_on_body"}),
    "volts lost in the return": (GOOD | {"mated_v:B": 0.41, "mated_v:C:0": 0.87, "mated_v:C:1": 2.53, "live_v::0": 0.86,
                                         "live_v::1": 2.52, "live_value::0": 90.0, "live_value::1": 504.0}, None,
                                 {"return_resistance"}),
    "battery on the signal": (UNPLUGGED | {"open_v:C": 12.5, "lamp_positive:C": "dark"}, None, {"signal_short_battery"}),
    "the reference on the signal": (UNPLUGGED | {"open_v:C": 4.97, "lamp_negative:C": "dim", "lamp_negative_v:C": 4.9}, None,
                                    {"signal_short_reference"}),
    "a bias where none belongs": (UNPLUGGED | {"open_v:C": 4.97, "lamp_negative:C": "dark", "lamp_negative_v:C": 0.05}, None,
                                  {"signal_pull_up_left"}),
    "a path to ground on the signal": (UNPLUGGED | {"lamp_positive:C": "bright", "live_lamp_positive_v:C": 0.1, "off_ohm:C": 0.8},
                                       None, {"signal_short_ground"}),
    "no bias, 0.4 Ω to ground": (B_UNPLUGGED | {"open_v:C": 0.01, "off_ohm:C": 0.4, "live_v::0": 0.0}, PULL_UP,
                                 {"signal_short_ground"}),
    "no bias, no path": (B_UNPLUGGED | {"open_v:C": 0.01, "off_ohm:C": "OL", "live_unplugged_v:C": 0.0}, PULL_UP,
                         {"signal_pull_up_missing"}),
    "the lamp does not reach live data": (UNPLUGGED | {"live_lamp_positive_v:C": 0.01}, None, {"signal_open"}),
    "the jumper does not reach live data": (B_UNPLUGGED | {"live_jumped_v:C": 4.99, "open_v:C": 0.02}, PULL_UP, {"signal_open"}),
    "dead low, wiring good": (GOOD | {"mated_v:C:0": 0.03, "mated_v:C:1": 0.03, "live_v::0": 0.02, "live_v::1": 0.02,
                                      "live_value::0": -120.0, "live_value::1": -120.0}, None, {"sensor_low"}),
    "stuck high, wiring good": (GOOD | {"mated_v:C:0": 4.88, "mated_v:C:1": 4.89, "live_v::0": 4.87, "live_v::1": 4.88,
                                        "live_value::0": 1092.0, "live_value::1": 1095.0}, None, {"sensor_high"}),
    "the same at both": (GOOD | {"mated_v:C:0": 2.5, "mated_v:C:1": 2.51, "live_v::0": 2.49, "live_v::1": 2.5,
                                 "live_value::0": 497.0, "live_value::1": 500.0}, None, {"sensor_stuck"}),
    "off by the same at both": (GOOD | {"mated_v:C:0": 0.905, "mated_v:C:1": 2.71, "live_v::0": 0.9, "live_v::1": 2.7,
                                        "live_value::0": 100.0, "live_value::1": 550.0}, None, {"sensor_offset"}),
    "the sensor drags its supply down": (GOOD | {"mated_v:A": 1.1, "mated_v:C:0": 0.2, "mated_v:C:1": 0.5, "live_v::0": 0.2,
                                                 "live_v::1": 0.49, "live_value::0": -75.0, "live_value::1": -2.0,
                                                 "sensor_ohm:A": 4.0}, None, {"sensor_short"}),
    "another channel": (GOOD | {"live_v::0": 1.3, "live_value::0": 200.0, "live_v::1": 1.3, "live_value::1": 200.0}, None,
                        {"signal_live_channel"}),
}  # fmt: skip


def test_volts_right_and_value_wrong_is_the_scaling_once_it_was_read_twice():
    values = GOOD | {"live_value::0": 2.0, "live_value::1": 690.0}
    once, twice = diagnose(case(values)), diagnose(case(values, confirmed=("live_value::1",)))
    assert {s.fault for s in once.suspects[:2]} == {"healthy", "signal_live_scaling"}, "one reading may be a slip"
    assert once.standing is Standing.OPEN
    assert twice.leader.fault == "signal_live_scaling"


def concluded(values, **card):
    return conclude(assess(case(values, **card)))


@pytest.mark.parametrize("name", ROWS)
def test_what_each_answer_says(name):
    values, pull_up, faults = ROWS[name]
    others_on_reference = "Throttle position" if any(k.startswith("sharers_off") for k in values) else ""
    unpulled = pull_up is None  # the card says so: else what hangs there is not known, and no fault
    found = diagnose(case(values, pull_up=pull_up, others_on_reference=others_on_reference, unpulled=unpulled))
    ranked = [(s.fault, round(s.probability, 3)) for s in found.suspects]
    assert found.leader.fault in faults, ranked
    assert found.leader.title
    assert all(do.endswith(".") for do in found.leader.do)
    assert found.reasons


@pytest.mark.parametrize("values", [GOOD | PULLED_DOWN, GOOD_BIASED], ids=["no pull-up", "pull-up"])
def test_a_good_circuit_is_proved_good(values):
    found = concluded(values, pull_up=PULL_UP if values is GOOD_BIASED else None)
    assert found.verdict.level is VerdictLevel.GOOD
    assert found.diagnosis.leader.is_healthy


def test_a_fault_is_named_with_its_place_size_and_repair():
    values = GOOD | {"mated_v:B": 0.41, "mated_v:C:0": 0.87, "mated_v:C:1": 2.53, "live_v::0": 0.86, "live_v::1": 2.52,
                     "live_value::0": 90.0, "live_value::1": 504.0}  # fmt: skip
    assert concluded(values).next_test is not None, "no verdict may hang on one reading"
    found = concluded(values | {"off_ohm:B": 49.8}, confirmed=("mated_v:B", "off_ohm:B", "mated_v:C:1"))
    assert found.verdict.level is VerdictLevel.FAULT
    assert "resistance in the return wire" in found.verdict.headline
    assert found.diagnosis.leader.sizes[0].endswith("Ω")
    assert found.diagnosis.leader.where == ("return wire",)
    assert found.measure_again
    assert found.next_test is None
    assert "a good circuit gives" in found.verdict.detail


def test_readings_that_nothing_explains_are_called_out_and_never_settled():
    """4.98 V that the lamp holds, and a sensor that gets none of it, twice each way."""
    found = concluded(GOOD | {"mated_v:A": 0.3, "open_v:A": 4.98, "mated_v:C:0": 3.3, "live_v::0": 0.2, "off_ohm:C": 0.5,
                              "lamp_positive:B": "dark"})  # fmt: skip
    assert found.verdict.level is not VerdictLevel.FAULT or found.diagnosis.group_probability < 1
    assert found.diagnosis.standing is not Standing.SETTLED
    assert found.diagnosis.unexplained or found.next_test is not None


@pytest.mark.parametrize("one", ["open_v:A", "mated_v:A", "live_v::1", "mated_v:C:0"])
@pytest.mark.parametrize("volts", [-3.0, 40.0])
def test_one_impossible_reading_never_gives_a_verdict(one, volts):
    found = concluded({"battery_v": 12.6, "battery_lamp": "bright", one: volts})
    assert found.verdict.level is not VerdictLevel.GOOD
    assert found.diagnosis.standing is not Standing.SETTLED
    assert found.next_test is not None


def test_meter_and_lamp_are_proved_before_anything_is_believed():
    assert concluded({"battery_v": 12.6, "battery_lamp": "dark"}).verdict.headline == "Fix the set-up first"
    assert str(concluded({}).next_test.test_point) == "battery_v"
    assert str(concluded({"battery_v": 12.6}).next_test.test_point) == "battery_lamp"


def test_the_volts_are_asked_while_the_lamp_is_still_on():
    found = concluded({"battery_v": 12.6, "battery_lamp": "bright", "open_v:A": 4.98, "lamp_negative:A": "dim"})
    assert str(found.next_test.test_point) == "lamp_negative_v:A"


def test_unknown_pins_are_found_with_the_fault():
    unknown = {k: v for k, v in UNPLUGGED.items() if not k.startswith("live")}
    pins = {g.cavity: g for g in diagnose(case(unknown, known=False)).pins}
    assert {c: g.role for c, g in pins.items()} == {"A": "reference", "B": "return", "C": "signal"}
    assert all(g.is_sure for g in pins.values())
    broken = diagnose(case(unknown | {"lamp_positive:B": "dark", "off_ohm:B": "OL"}, known=False))
    assert broken.leader.fault != HEALTHY


def test_cavities_may_have_any_names():
    """What is found must not hang on the order in which the pins stand on the card."""
    values = {k.replace(":A", ":Z").replace(":C", ":A").replace(":Z", ":C"): v for k, v in UNPLUGGED.items()}
    values = {k: v for k, v in values.items() if not k.startswith("live")}
    pins = {g.cavity: g.role for g in diagnose(case(values, known=False)).pins}
    assert pins == {"C": "reference", "B": "return", "A": "signal"}


def test_what_each_answer_would_mean_is_known_before_it_is_given():
    made = case({"battery_v": 12.6, "battery_lamp": "bright", "open_v:A": 4.98, "open_v:B": 0.002})
    ahead, after = what_if(made, TestPoint.from_text("mated_v:A"), reading("mated_v:A", 0.02))
    assert len({p.reads for p in ahead}) > 1
    assert after[0].fault != HEALTHY
    assert "mated_v:A" not in {str(test_point) for test_point in made.readings}


SOME = st.dictionaries(
    st.sampled_from(sorted(k for k in GOOD if not k.startswith("battery"))), st.just(None), max_size=9
)


@given(SOME, st.sampled_from([0.0, 0.3, 2.5, 4.9, 12.4]))
@settings(max_examples=25, deadline=None)
def test_any_readings_are_told_of_and_only_safe_steps_asked(chosen, volts):
    values = {k: GOOD[k] if isinstance(GOOD[k], str) else volts for k in chosen}
    made = case({"battery_v": 12.6, "battery_lamp": "bright"} | values)
    found = conclude(assess(made))
    assert found.verdict.headline
    assert abs(sum(s.probability for s in found.diagnosis.suspects)) < 1 + 1e-6
    if found.next_test is not None:
        assert is_allowed(made, found.next_test.test_point)
    for role_point in found.diagnosis.next_tests:
        assert all(is_allowed(made, test_point) for test_point in role_point.test_points)


def test_a_reading_counts_for_as_much_as_its_meter_knows():
    values = {"open_v:A": 4.98, "lamp_negative:A": "dim", "open_v:B": 0.002, "mated_v:A": 4.62, "mated_v:B": 0.01}
    made = case(values)
    poor = replace(METER, meter=MeterSpec(5.0, 5, 2000))
    sure, unsure = (diagnose(replace(made, instruments={METER.uid: meter})) for meter in (METER, poor))
    healthy = [next(s.probability for s in found.suspects if s.is_healthy) for found in (sure, unsure)]
    assert healthy[1] > 1.5 * healthy[0], "a meter of 5 % cannot tell 4.62 V from 4.95 V"


DEAD_LOW = {"mated_v:C:0": 0.03, "mated_v:C:1": 0.03, "live_v::0": 0.02, "live_v::1": 0.02, "live_value::0": -120.0,
            "live_value::1": -120.0}  # fmt: skip


@pytest.mark.parametrize(
    ("gone", "part", "asked"),
    [
        (("mated_v:A",), "reference at the plugged-in connector", {"mated_v:A"}),
        (("mated_v:B", "lamp_positive:B"), "return under load", {"mated_v:B", "lamp_positive:B"}),
        (("open_v:C", "lamp_positive:C", "live_lamp_positive_v:C"), "signal wire by itself",
         {"open_v:C", "lamp_positive:C", "live_lamp_positive_v:C", "off_ohm:C", "live_unplugged_v:C", "live_jumped_v:C"}),
    ],
)  # fmt: skip
@pytest.mark.parametrize("confirmed", [(), tuple(DEAD_LOW)], ids=["read once", "read twice"])
def test_the_sensor_is_not_blamed_before_what_feeds_it_was_looked_at(gone, part, asked, confirmed):
    found = conclude(assess(case({k: v for k, v in (GOOD | DEAD_LOW).items() if k not in gone}, confirmed)))
    assert found.diagnosis.leader.fault == "sensor_low"
    assert found.verdict.level is VerdictLevel.OPEN
    assert str(found.next_test.test_point) in asked
    assert [look.of for look in found.diagnosis.looks if not look.seen] == [part]


def test_the_verdict_names_what_was_looked_at():
    found = conclude(assess(case(GOOD | DEAD_LOW)))
    assert found.verdict.level is VerdictLevel.FAULT
    looks = "Reference at the plugged-in connector 4.93 V; return under load 11 mV; signal wire by itself 5.00 V; "
    assert found.verdict.detail.startswith(looks + "volts at the sensor's own pin 30 mV. ")


def test_a_fault_of_a_known_size_gives_what_was_read():
    """38 Ω by the ohmmeter carry a few milliamperes of sensor: what is said of the volts there must be near them."""
    lost = {"mated_v:B": 0.218, "off_ohm:B": 38.0, "mated_v:C:0": 0.69, "live_v::0": 0.68, "live_value::0": 48.0,
            "mated_v:C:1": 2.51, "live_v::1": 2.50, "live_value::1": 498.0}  # fmt: skip
    found = diagnose(case(GOOD | lost))
    assert found.leader.fault == "return_resistance"
    told = next(b for b in found.bands if b.of == "leading" and b.cavity == "B" and b.plugged_in)
    assert 0.01 < told.low_v < 0.218 < told.high_v < 0.6


def test_what_was_looked_at_stands_there_for_every_stimulus():
    found = diagnose(case(GOOD | DEAD_LOW | {"mated_v:C:0": 0.02}))
    seen = {look.of: look.seen for look in found.looks}
    assert found.leader.fault.startswith("sensor")
    assert seen["volts at the sensor's own pin"] == "20 mV, 30 mV"
    assert seen["reference at the plugged-in connector"] == "4.93 V"
