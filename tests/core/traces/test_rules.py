"""Health rules: read as they are written, refused in words, and held where they hold."""

import numpy as np
import pytest

from irongauge.core.measure.units import Quantity
from irongauge.core.traces.channels import Channel, Log
from irongauge.core.traces.rules import SHIPPED_RULES, HealthRule, apply_rules, channels_lacking, when_from
from irongauge.core.traces.senses import Sense
from irongauge.errors import EntryError
from tools.logging_drives import made_drive

T = np.arange(0, 200, 0.2)


def log(**columns):
    units = {
        Quantity.PRESSURE: "kPa",
        Quantity.TEMPERATURE: "°C",
        Quantity.VOLTAGE: "V",
        Quantity.SHARE: "%",
        None: "rpm",
    }
    channels = []
    for name, value in columns.items():
        sense = Sense(name.replace("_", " "))
        values = np.broadcast_to(np.asarray(value, dtype=np.float32), T.shape).copy()
        channels.append(
            Channel(
                name=name.upper(),
                unit=units[sense.quantity],
                quantity=sense.quantity,
                sense=sense,
                time_s=T,
                value=values,
            )
        )
    return Log(tuple(channels), system_v=24.0)


def held(text, **columns):
    return apply_rules(log(**columns), [HealthRule(name="x", when=text, means="is so.", check="Look.")])


@pytest.mark.parametrize("rule", SHIPPED_RULES, ids=lambda rule: rule.name)
def test_every_rule_that_ships_can_be_read_and_says_why_and_what_confirms_it(rule):
    assert when_from(rule.when).channels
    assert rule.check.endswith(".")
    assert rule.why


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "cannot be read as a condition"),
        ("oil pressure", "cannot be read as a condition"),
        ("oil pressure < 5 furlongs", "“furlongs” is no unit"),
        ("oil pressure < 1 bar while load follows boost pressure", "comparisons with < or >"),
        ("oil pressure < 1 bar while " + " and ".join(["load > 5 %"] * 9), "at most 6 conditions"),
        ("oil pressure < one bar", "cannot be read"),
    ],
)
def test_what_cannot_be_read_is_refused_with_what_would_do(text, says):
    with pytest.raises(EntryError, match="Such as: oil pressure") as caught:
        when_from(text)
    assert says in str(caught.value)


@pytest.mark.parametrize(
    ("text", "holds"),
    [
        ("oil pressure < 0.5 bar while engine speed > 500 rpm for 5 s", True),
        ("oil pressure < 7.3 psi while engine speed > 500 rpm", True),  # 50.3 kPa
        ("oil pressure < 39 kPa", False),
        ("OIL_PRESSURE < 50 kPa", True),  # by its own name, in any letters
        ("oil pressure < 50 kPa while engine speed > 1200 rpm", False),
        ("oil pressure < 50 kPa for 10 min", False),
        ("battery volts < 1.1 × system", True),  # 26 V of 24 V nominal: 26.4
        ("battery volts < 1.05 x system", False),
        ("oil pressure < 50 kPa while coolant temperature > 70 °C", False),  # the log has none
    ],
)
def test_comparisons_hold_where_they_hold(text, holds):
    found = held(text, oil_pressure=40.0, engine_speed=900.0, battery_volts=26.0)
    assert bool(found) is holds
    if holds:
        assert found[0].follow_up == "Look."


def test_a_rule_says_where_and_for_how_long():
    oil = np.where((T > 50) & (T < 62), 30.0, 200.0)
    (found,) = held("oil pressure < 50 kPa for 5 s", oil_pressure=oil)
    assert found.at_s == ((pytest.approx(50.2), pytest.approx(61.8)),)
    assert "for 12 s in all" in found.sentence


def test_what_follows_in_seconds_is_told_from_what_warms_up():
    boost = 100 + 80 * (np.sin(T / 3) > 0.3)
    slow = 20 + 60 * (1 - np.exp(-T / 80))
    noise = np.random.default_rng(1).normal(0, 0.5, len(T))
    text = "coolant pressure follows boost pressure"
    assert held(text, coolant_pressure=slow + noise, boost_pressure=boost) == ()
    (found,) = held(text, coolant_pressure=slow + 0.2 * (boost - 100) + noise, boost_pressure=boost)
    assert "with BOOST_PRESSURE" in found.sentence


def test_a_sag_is_measured_between_light_and_full_load():
    load = 50 + 50 * np.sin(T / 9)
    text = "fuel pressure falls with load by 60 kPa"
    assert held(text, fuel_pressure=380 - 0.3 * load, load=load) == ()
    (found,) = held(text, fuel_pressure=380 - 1.2 * load, load=load)
    assert 60 < found.size < 120


def test_roughness_is_of_what_is_no_slope():
    rng = np.random.default_rng(2)
    text = "oil pressure is rough by 25 kPa"
    assert held(text, oil_pressure=100 + 3 * T) == ()
    (found,) = held(text, oil_pressure=300 + rng.normal(0, 40, len(T)))
    assert found.size == pytest.approx(40, rel=0.15)


def test_no_shipped_rule_holds_of_drives_that_are_well():
    said = [f.sentence for seed in range(3000, 3030) for f in apply_rules(made_drive(None, seed).log, SHIPPED_RULES)]
    assert said == []


def test_what_a_log_lacks_of_a_rule_is_named():
    when = when_from("oil pressure < 50 kPa while fan speed > 500 rpm")
    assert channels_lacking(when, [("Oil P", Sense.OIL_PRESSURE)]) == ("fan speed",)
    assert channels_lacking(when, [("Oil P", Sense.OIL_PRESSURE), ("Fan speed", Sense.OTHER)]) == ()
