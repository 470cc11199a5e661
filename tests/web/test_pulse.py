"""The Pulse room over HTTP: what a sensor should read and the road speed, as pages and for programs."""

from __future__ import annotations

import numpy as np
import pytest

from irongauge.instruments.waveforms import Pickup, Ring, capture

READ = [
    ("frequency from the road", "teeth=20&axle_ratio=4.3&tyre=0.72+m&speed=30", "316.836 Hz"),
    ("pulses", "teeth=20&axle_ratio=4.3&tyre=0.72+m", "38020.3"),
    (
        "speed from the frequency",
        "teeth=20&axle_ratio=4.3&tyre=0.72+m&frequency=316.836&mine=teeth+axle_ratio+tyre+frequency",
        "30 km/h",
    ),
    ("in miles and inches", "teeth=12&axle_ratio=3.55&tyre=31+in&speed=25&unit=mph", "192.46"),
    ("a size code", "teeth=48&axle_ratio=1&tyre=235/75R15&speed=36", "208.3"),
    ("across, said so", "teeth=48&axle_ratio=1&tyre=d+1.6+m&speed=36", "95.49"),
    ("an axle by its gears", "teeth=20&axle_ratio=43:10&tyre=0.72+m&speed=30", "316.836 Hz"),
    ("once round", "teeth=48&axle_ratio=1&tyre=c+2.4+m&speed=36", "200 Hz"),
    (
        "the last typed wins",
        "teeth=20&axle_ratio=4.3&tyre=0.72+m&speed=30&frequency=158.418&mine=speed+teeth+axle_ratio+tyre+frequency",
        "15 km/h",
    ),
    (
        "what follows gives way to what is typed",
        "teeth=20&axle_ratio=4.3&tyre=0.72+m&speed=99&frequency=316.836&mine=teeth+axle_ratio+tyre+frequency",
        "30 km/h",
    ),
    (
        "two that contradict",
        "teeth=20&axle_ratio=4.3&tyre=0.72+m&pulses=30000&mine=pulses+teeth+axle_ratio+tyre",
        "the pulses would be 38020.35 by the others",
    ),
    ("uncertainty", "teeth=20&axle_ratio=4.3&tyre=0.72+m&tyre_pct=3&speed=30", "± 3.5 %"),
    (
        "turned by hand",
        "teeth=48&axle_ratio=1&tyre=c+2.4+m&turns=10&seconds=12.5",
        "38.4 Hz at the sensor, and the display should show 6.91",
    ),
    ("nothing yet", "", "Type what you know"),
    ("not enough", "teeth=20", "More is needed for the rest"),
    ("a slip", "teeth=many", "“many” is not a plain number"),
    ("round or across", "tyre=2.26+m", "Type c 2.26 m for once round, or d 2.26 m for across."),
    ("no tyre", "tyre=235/75", "is no tyre size"),
    ("a tyre of no vehicle", "tyre=40+m", "once round"),
]


@pytest.mark.parametrize(("query", "says"), [r[1:] for r in READ], ids=[r[0] for r in READ])
def test_what_a_sensor_should_read(standing, query, says):
    page = standing.get(f"/pulse?{query}")
    assert page.status == 200
    assert says in page.text


DRIVEN = [
    (
        "three pairs",
        "pairs=50+55.1%0A80+87.9%0A100+110.2&old=1.25&old_is=multiplier",
        "Type this in place of 1.25: 1.37",
    ),
    ("a figure that nobody named", "pairs=50+57&old=17000", "Choose what that figure is."),
    ("pulses per km", "pairs=50+57&old=17000&old_is=pulses+per+km", "Type this in place of 17000: 14912"),
    ("twice", "pairs=50+25%0A80+40%0A100+50", "Every pulse counted twice"),
    ("an offset and a ratio", "pairs=27.6+20%0A49.2+40%0A70.8+60%0A92.4+80", "beside the offset it shows 1.08"),
    ("an offset", "pairs=26+20%0A46.1+40%0A65.9+60%0A86+80", "An offset fits better than a ratio"),
    ("one pair", "pairs=50+55", "One pair gives a ratio"),
    ("a measured distance", "distance_m=1000&seconds=60&shown=57.1", "1.0508"),
    ("explained by a tooth", "pairs=50+47.6&teeth=20", "would fit"),
    (
        "explained by a tyre",
        "pairs=50+55.5&tyre=0.72+m&tyres=0.8+m,+0.76+m",
        "Tyre diameter: 0.72 m entered, 0.8 m would fit",
    ),
    (
        "explained by a tyre's way round",
        "pairs=50+55.5&tyre=c+2.2343+m&tyres=c+2.48+m",
        "0.7112 m entered, 0.7894 m would fit",
    ),
    ("pairs that scatter", "pairs=50+55%0A50+40%0A60+80", "differ by"),
    ("not a pair", "pairs=50", "is not a pair"),
    ("words", "pairs=fast+faster", "is not a plain number"),
    ("axles in words", "pairs=50+55&axle_ratio=4&axles=low", "Type a ratio, such as 3.73 or 41:11"),
]


@pytest.mark.parametrize(("query", "says"), [d[1:] for d in DRIVEN], ids=[d[0] for d in DRIVEN])
def test_the_road_speed_gets_one_figure(standing, query, says):
    page = standing.get(f"/pulse/speed?{query}")
    assert page.status == 200
    assert says in page.text
    assert "one person drives, another reads" in page.text


def test_every_example_of_the_description_is_answered(standing):
    paths = standing.client.get("/api/v1/openapi.json").json()["paths"]
    for name in ("relate", "ratio", "analyse"):
        examples = paths[f"/api/v1/pulse/{name}"]["post"]["requestBody"]["content"]["application/json"]["examples"]
        for example in examples.values():
            answer = standing.client.post(f"/api/v1/pulse/{name}", json=example["value"])
            assert answer.status_code == 200, answer.text


def test_a_waveform_with_an_uneven_tooth_is_analysed(standing):
    _, signal_v = capture(Ring(24, late_pct={7: 6.0}), Pickup(), turn_hz=(5, 5), seconds=2.0, rate_hz=10_000, seed=2)
    body = {"rate_hz": 10_000, "signal_v": np.round(signal_v, 4).tolist()}
    found = standing.client.post("/api/v1/pulse/analyse", json=body).json()
    assert found["frequency_hz"] == pytest.approx(120, rel=1e-3)
    assert found["ring"]["teeth"] == 24
    assert [f["what"] for f in found["findings"]] == ["uneven tooth"]
    assert found["findings"][0]["at_s"]
    assert (found["mark"], found["headline"]) == ("fail", "uneven tooth")


def test_what_is_known_of_a_ring_and_an_input_counts_for_programs_too(standing):
    ring = Ring(36, missing=frozenset({5, 6}))
    _, signal_v = capture(ring, Pickup(), turn_hz=(5, 5), seconds=2.0, rate_hz=10_000, seed=2)
    body = {"rate_hz": 10_000, "signal_v": np.round(signal_v, 4).tolist()}
    ask = lambda **more: standing.client.post("/api/v1/pulse/analyse", json=body | more).json()  # noqa: E731
    assert [f["what"] for f in ask()["findings"]] == ["missing tooth or index gap"]
    assert [f["what"] for f in ask(gap_teeth=0)["findings"]] == ["missing tooth"] * 2
    assert ask(gap_teeth=2)["findings"] == []
    assert [f["what"] for f in ask(gap_teeth=2, pull_up_v=12)["findings"]] == ["high level too low"]


BAD = [
    ("relate", {"known": {"gear": {"value": 1}}}, "is not a quantity here"),
    ("relate", {"known": {"teeth": {"value": -1}}}, "greater than or equal to"),
    ("ratio", {"pairs": [[1e-320, 1e-320]]}, "greater than or equal to 0.01"),
    ("ratio", {"pairs": []}, "at least 1"),
    ("analyse", {"signal_v": [0, 1] * 10}, "Give the rate of the samples"),
    ("analyse", {"signal_v": [0, 1] * 10, "time_s": [0.0] * 20}, "times of a waveform rise"),
    ("analyse", {"signal_v": [0, 1], "rate_hz": 10}, "at least 8"),
    ("analyse", {"signal_v": [0, 1] * 10, "time_s": []}, "each with a time and volts"),
    ("analyse", {"signal_v": [0, 1e308] * 10, "rate_hz": 10}, "less than or equal to"),
]


@pytest.mark.parametrize(("name", "body", "says"), BAD, ids=[b[2] for b in BAD])
def test_what_cannot_be_is_a_problem_with_its_reason(standing, name, body, says):
    answer = standing.client.post(f"/api/v1/pulse/{name}", json=body)
    assert answer.status_code == 422
    assert says in answer.json()["detail"]


SMALL = [
    ("/pulse/principle", "Type what you measured"),
    ("/pulse/principle?wires=3&supply_v=12&low_v=0.2&high_v=4.9", "Hall or optical"),
    ("/pulse/principle?wires=3&supply_v=12&low_v=1.2&high_v=11.8", "two pull-ups"),
    ("/pulse/principle?wires=2&coil_ohm=820", "fit a squaring conditioner"),
    ("/pulse/principle?wires=2&coil_ohm=820&sine=yes", "Two wires and 820 Ω between them: a coil."),
    ("/pulse/principle?to_v=5&highest_hz=2000&wire_m=4", "Pull-up: 1800 Ω"),
    ("/pulse/principle?supply_v=much", "“much” is not a plain number"),
    ("/pulse/fuel?frequency_hz=112&pulse_ms=2.74", "62.0 %, 31.8 °C"),
    ("/pulse/fuel?frequency_hz=0", "no pull-up, or no supply"),
    ("/pulse/gap?readings=1.0+1.05+1,1+1.05", "within the window all round"),
    ("/pulse/gap?readings=1.5+1.6+1.4", "move the sensor 0.45 mm towards the ring"),
    ("/pulse/gap?readings=1.5+x", "“x” is not a plain number"),
    ("/pulse/gap?readings=1.5", "three or more feeler readings"),
    (
        "/pulse/bus?low_hz=20&high_hz=400&pulses=4&frame_hz=20&needed_hz=5",
        "Best: 50 frames a second and 1 pulse averaged",
    ),
    ("/pulse/bus?low_hz=20&high_hz=400&duty=fan&pulses=1", "Best: 2 frames a second and 25 pulses averaged"),
    ("/pulse/bus?low_hz=20&high_hz=400&duty=fan&pulses=1", "A fan’s speed changes over seconds"),
    ("/pulse/bus?low_hz=20&high_hz=400&duty=driveshaft+for+traction", "not set for what it watches"),
    ("/pulse/bus?firmware=2.1&host_firmware=2.3", "has firmware 2.1 and the host expects 2.3"),
    ("/pulse/bus?inside_ohm=1000&harness=yes", "take that one out"),
    ("/pulse/bus?inside_ohm=0&harness=no", "an open output never rises"),
    ("/pulse/bus?low_hz=20&high_hz=400&node=7&nodes=5,7", "Node 7 is on the bus already"),
]


@pytest.mark.parametrize(("path", "says"), SMALL, ids=[s[1] for s in SMALL])
def test_a_small_question_gets_its_answer(standing, path, says):
    page = standing.get(path)
    assert page.status == 200
    assert says in page.text
