"""Sensors and circuits of every family through the forms, their Benches step by step, and what does not fit."""

from urllib.parse import quote, unquote

import pytest

NEW = {"name": "New type", "source": "data sheet"}
LINE = {"pressure_base": "gauge", "value_low": "0", "value_high": "10"}
NTC = {"ohm_25": "2500", "beta_k": "3500"}
COIL = {"coil_ohm": "800", "coil_tolerance_pct": "12", "loose_low_v": "3", "loose_high_v": "6"}
PULSES = {"hz_low": "50", "hz_high": "150", "pulse_low_ms": "1", "pulse_high_ms": "5"}
FAMILIES = {
    "potentiometer-3w": {"quantity": "angle", "value_low": "0", "value_high": "90", "track_ohm": "4500"},
    "thermistor-2w": NTC,
    "combo-4w": LINE | NTC,
    "hall-3w": {"low_when_present": "no"},
    "frequency-3w": PULSES | {"supply_v": "12"},
    "controller-out": {"quantity": "share", "kind": "volts", "signal_low": "0", "signal_high": "5", "value_low": "0",
                       "value_high": "100", "supply_v": "12"},
    "vr-2w": COIL,
    "thermocouple": {"thermocouple_type": "J"},
    "switch": {},
    "current-loop-2w": LINE | {"signal_low": "4", "signal_high": "20", "supply_v": "12"},
}  # fmt: skip


def shelf(visitor):
    return {s["name"]: s for s in visitor.client.get("/api/v1/shelf").json()["sensor_types"]}


def put_on_shelf(visitor, family, **fields):
    form = visitor.get("/shelf/sensor-types/new").form("/sensor-types")
    return visitor.send(form, **(NEW | FAMILIES[family] | {"family": family} | fields))


@pytest.mark.parametrize("family", FAMILIES)
def test_a_sensor_type_of_every_family_is_put_on_the_shelf(visitor, family):
    page = put_on_shelf(visitor, family)
    assert page.status == 200, page.text
    kept = shelf(visitor)["New type"]
    assert kept["family"] == family
    assert (kept["curve"] is not None) == ("value_low" in FAMILIES[family])
    figures = kept.get("element") or {}
    for name, typed in FAMILIES[family].items():
        if name in figures and name != "low_when_present":
            assert figures[name] == float(typed)
    if family == "hall-3w":
        assert figures["low_when_present"] is False


@pytest.mark.parametrize(
    ("family", "fields", "says"),
    [
        ("thermistor-2w", {"ohm_25": ""}, "This kind of sensor needs it."),
        ("thermistor-2w", {"beta_k": "12"}, "a number from 500 to 10000"),
        ("thermistor-2w", {"ohm_25": "ten thousand"}, "“ten thousand” is not a plain number."),
        ("combo-4w", {"beta_k": ""}, "This kind of sensor needs it."),
        ("combo-4w", {"pressure_base": ""}, "A pressure is gauge or absolute."),
        ("vr-2w", {"loose_high_v": "2"}, "The most is not above the least."),
        ("vr-2w", {"coil_ohm": "0"}, "a number from 10 to 100000"),
        ("frequency-3w", {"hz_high": "50"}, "Both ends have the same frequency."),
        ("frequency-3w", {"pulse_low_ms": ""}, "This kind of sensor needs it."),
        ("thermocouple", {"thermocouple_type": "other", "uv_per_k": "4100"}, "a number from 1 to 100"),
        ("thermocouple", {"thermocouple_type": "other"}, "This kind of sensor needs it."),
        ("current-loop-2w", {"signal_high": "40"}, "40 is outside 0 to 30 mA."),
        ("potentiometer-3w", {"track_ohm": "-1"}, "a number from 50 to 1000000"),
    ],
)
def test_figures_that_do_not_fit_are_pointed_at_and_kept(standing, family, fields, says):
    page = put_on_shelf(standing, family, **fields)
    assert page.status == 422
    assert says in page.text
    kept = page.form("/sensor-types").fields
    assert all(kept.get(name, "") == value for name, value in fields.items())
    assert "New type" not in shelf(standing)


# What a circuit's card of each family needs: roles in the order of its cavities, and the values or states it is put to.
CARDS = {
    "Corrie N10, 10 kΩ NTC": (("signal", "return"), {"stimulus_0": "18", "label_1": "warm", "stimulus_1": "80"}),
    "Corrie H3 Hall switch": (("reference", "return", "signal"), {"label_1": "target there"}),
    "Orrin V800 coil, 800 Ω": (("plus", "minus"), {"shielded": "yes", "differential": "yes"}),
    "Fellgate F150, fuel composition": (
        ("reference", "return", "signal"), {"reference_v": "12", "battery_fed": "yes", "stimulus_0": "10"}),
    "Corrie K41 thermocouple": (("plus", "minus"), {"stimulus_0": "20", "label_1": "hot", "stimulus_1": "320"}),
    "Fellgate S1 oil level switch": (("signal", "return"), {"label_1": "float down"}),
    "Orrin PT4, 20–250 kPa with NTC": (
        ("reference", "return", "signal", "temperature"),
        {"stimulus_0": "1 bar", "temperature_0": "20", "label_1": "pumped", "stimulus_1": "1.8 bar", "temperature_1": "60",
         "temperature_pull_up_ohm": "2200", "temperature_pull_up_to_v": "5"}),
    "Rimefall W5 exhaust controller, 0–5 V": (
        ("reference", "return", "signal"),
        {"reference_v": "12", "battery_fed": "yes", "stimulus_0": "20", "label_1": "more", "stimulus_1": "60"}),
    "Rimefall R16, 0–16 bar, 4–20 mA": (
        ("reference", "signal"),
        {"reference_v": "12", "battery_fed": "yes", "shunt_ohm": "150", "stimulus_0": "0", "label_1": "pumped",
         "stimulus_1": "10 bar"}),
}  # fmt: skip
PULLED = {
    "Corrie N10, 10 kΩ NTC",
    "Corrie H3 Hall switch",
    "Fellgate F150, fuel composition",
    "Fellgate S1 oil level switch",
}


def card_fields(visitor, sensor, **more):
    roles, fields = CARDS[sensor]
    fields = {"name": "New circuit", "sensor_type_uid": shelf(visitor)[sensor]["uid"], "label_0": "as it stands",
              "stimulus_0": "", "label_1": ""} | fields  # fmt: skip
    for n in range(4):
        fields[f"cavity_{n}"] = "ABCD"[n] if n < len(roles) else ""
        fields[f"role_{n}"] = roles[n] if n < len(roles) else ""
    if sensor in PULLED:
        fields |= {"pull_up_ohm": "4700", "pull_up_to_v": "5"}
    return fields | more


def open_card(visitor, jobs):
    return visitor.get(f"/jobs/{jobs['LT-7']['uid']}/circuits/new").form("/circuits")


@pytest.mark.parametrize("sensor", CARDS)
def test_a_circuit_of_every_family_is_added_and_its_card_comes_back_as_it_was_typed(visitor, jobs, sensor):
    page = visitor.send(open_card(visitor, jobs), **card_fields(visitor, sensor))
    assert page.status == 200, page.text
    assert "Put the meter across the battery" in page.text, "the Bench asks for its first step"
    card = visitor.get(page.link("/card")).form("/circuits")
    for name, typed in card_fields(visitor, sensor).items():
        if name.startswith(
            ("cavity", "role", "name", "battery_fed", "shielded", "pull_up", "temperature_pull_up", "shunt_ohm")
        ):
            assert card.fields.get(name, "") == typed, name  # a cavity that the sensor lacks is not asked for
    assert visitor.send(card).status == 200, "saved again unchanged"


@pytest.mark.parametrize("sensor", CARDS)
def test_every_step_of_its_bench_can_be_asked_for(visitor, jobs, sensor):
    page = visitor.send(open_card(visitor, jobs), **card_fields(visitor, sensor))
    steps = [href for href in page.reader.links if "?test=" in href]
    assert len(steps) > 5
    for href in dict.fromkeys(steps):
        asked = visitor.get(href)
        assert asked.status == 200
        assert asked.form("/readings").fields["test_point"] == unquote(href.split("test=")[1].split("&")[0])
    assert visitor.get(href + "&ahead=yes").status == 200


@pytest.mark.parametrize(
    ("sensor", "fields", "says"),
    [
        ("Corrie N10, 10 kΩ NTC", {"cavity_2": "C"}, "has 2 wires, and 3 cavities are named."),
        ("Corrie N10, 10 kΩ NTC", {"role_0": "reference"}, "has no reference wire."),
        ("Corrie N10, 10 kΩ NTC", {"pull_up_to_v": ""}, "A pull-up has both ohms and volts."),
        ("Orrin PT4, 20–250 kPa with NTC", {"cavity_3": ""}, "has 4 wires, and 3 cavities are named."),
        ("Orrin PT4, 20–250 kPa with NTC", {"temperature_1": "hot"}, "“hot” is not a number."),
        ("Orrin PT4, 20–250 kPa with NTC", {"temperature_pull_up_ohm": ""}, "A pull-up has both ohms and volts."),
        ("Rimefall R16, 0–16 bar, 4–20 mA", {"shunt_ohm": ""}, "A current loop is read over a shunt."),
        ("Rimefall R16, 0–16 bar, 4–20 mA", {"shunt_ohm": "470"}, "At most 250 Ω fit this input."),
        ("Rimefall R16, 0–16 bar, 4–20 mA", {"reference_v": "7"}, "the sensor keeps too little"),
        ("Corrie K41 thermocouple", {"stimulus_1": "90000"}, "cannot be right here"),
        ("Orrin V800 coil, 800 Ω", {"role_1": "plus"}, "Two pins are the plus."),
        ("Corrie H3 Hall switch", {"cavity_1": "A"}, "Cavity A is named twice."),
        ("Corrie H3 Hall switch", {"cavity_1": "B:2"}, "A cavity has no colon in its name."),
        ("Fellgate F150, fuel composition", {"stimulus_0": "10 V"}, "is not a unit that fits here"),
    ],
)
def test_a_card_that_does_not_fit_is_not_added_and_keeps_what_was_typed(visitor, jobs, sensor, fields, says):
    page = visitor.send(open_card(visitor, jobs), **card_fields(visitor, sensor, **fields))
    assert page.status == 422
    assert says in page.text
    kept = page.form("/circuits").fields
    assert all(kept.get(name, "") == value for name, value in fields.items() if not name.startswith("role"))


def test_words_and_numbers_of_other_families_are_taken_and_judged(visitor, jobs):
    page = visitor.send(open_card(visitor, jobs), **card_fields(visitor, "Orrin V800 coil, 800 Ω"))
    bench = page.link("?test=").split("?")[0]

    def answer(step, value):
        asked = visitor.get(f"{bench}?test={quote(step)}")
        return visitor.send(asked.form("/readings"), value=value)

    assert "“ok”, as a good circuit" in answer("counted", "o").text
    assert "where a good circuit gives" in answer("polarity", "-").text
    assert "is not one of the answers" in answer("ring_places", "many").text
    assert "Voltage" in answer("shield_ohm", "voltage").text or "voltage" in answer("shield_ohm", "voltage").text
    assert "cannot be right here" in answer("ac_loose_v", "900").text


def test_each_circuit_of_a_job_has_its_marks_under_their_own_heads(visitor, jobs):
    """A two-wire sensor has no reference to prove; its other marks must not slip into that column."""
    text = visitor.client.get(f"/jobs/{jobs['LT-7']['uid']}").text
    heads = ["reference", "return", "signal wire", "signal", "live data"]
    for name, lacks in {"Coolant temperature": 1, "Axle speed": 2, "Fuel composition": 0}.items():
        row = text.split(f">{name}</a>")[1].split("</tr>")[0]
        assert [part.split('"')[0] for part in row.split('data-label="')[1:]] == heads
        assert row.count("has none") == lacks
