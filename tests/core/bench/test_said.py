"""Everything that the Bench says of circuits, held against what was approved."""

from dataclasses import replace

from irongauge.core.bench.actions import ACTIONS
from irongauge.core.bench.assessment import assess, conclude
from irongauge.core.bench.expectations import expect
from irongauge.core.bench.judgement import window_text
from irongauge.core.bench.reasoning import what_if
from irongauge.core.measure.quantities import Mark, TestPoint
from irongauge.core.pulses.record import PulseKind, PulseMark
from irongauge.core.sensors.live_reader import LiveReader
from irongauge.demo.shelf import MORE_SENSORS
from tests.cards import GOOD, GOOD_BIASED, PULL_UP, case, empty, reading
from tests.said import approved, text_of

READINGS = {
    "nothing read": {},
    "good": GOOD,
    "battery low": GOOD | {"battery_v": 10.9},
    "battery charging": GOOD | {"battery_v": 14.4},
    "the lamp does not light on the battery": GOOD | {"battery_lamp": "dark"},
    "the reference low, unplugged": GOOD | {"open_v:A": 4.2},
    "the reference high, unplugged": GOOD | {"open_v:A": 5.6},
    "the reference on the battery": GOOD | {"open_v:A": 12.4},
    "a bias where the reference belongs": GOOD | {"lamp_negative_v:A": 0.4, "lamp_negative:A": "dark"},
    "the reference sags under the lamp": GOOD | {"lamp_negative_v:A": 4.5},
    "the return lifted": GOOD | {"open_v:B": 0.3},
    "the return below": GOOD | {"open_v:B": -0.3},
    "no path on the return": GOOD | {"lamp_positive:B": "dark"},
    "a path on the signal": GOOD | {"lamp_positive:C": "dim"},
    "volts on the signal": GOOD | {"open_v:C": 3.0},
    "the lamp does not reach live data": GOOD | {"live_lamp_positive_v:C": 0.3},
    "the reference low, plugged in": GOOD | {"mated_v:A": 4.1},
    "the return high, plugged in": GOOD | {"mated_v:B": 0.41},
    "the return a little high": GOOD | {"mated_v:B": 0.07},
    "the signal low": GOOD | {"mated_v:C:0": 0.02, "live_v::0": 0.02, "live_value::0": -60.0},
    "the signal high": GOOD | {"mated_v:C:1": 4.9, "live_v::1": 4.9, "live_value::1": 1100.0},
    "the signal at the edge": GOOD | {"mated_v:C:1": 2.40, "live_v::1": 2.40, "live_value::1": 480.0},
    "live data off the pin": GOOD | {"live_v::1": 1.0, "live_value::1": 130.0},
    "live data shows nothing": GOOD | {"live_v::0": "no data", "live_v::1": "no data"},
    "a value off its volts": GOOD | {"live_value::1": 700.0},
    "nothing to ground where the return is": {"open_v:A": 0.0, "off_ohm:B": "OL", "off_ohm:A": 3.0},
    "voltage on a dead wire": GOOD | {"off_ohm:A": "voltage present"},
    "one reading to go": {k: v for k, v in GOOD.items() if k != "live_value::1"},
    "a return below nothing, plugged in": GOOD | {"mated_v:B": -0.3},
    "more than the reference under the lamp": GOOD | {"lamp_negative_v:A": 8.0},
    "less than nothing under the lamp": GOOD | {"lamp_negative_v:A": -0.5},
    "less than nothing in live data": GOOD | {"live_lamp_positive_v:C": -0.2},
    "the lamp on a driven signal": GOOD | {"open_v:C": 3.0, "lamp_negative:C": "dim", "lamp_negative_v:C": 0.2},
    "the lamp bright on the reference": GOOD | {"lamp_negative:A": "bright"},
    "the lamp dark on the reference": GOOD | {"lamp_negative:A": "dark"},
    "the battery on the return": GOOD | {"mated_v:B": 12.2},
    "the signal below nothing": GOOD | {"mated_v:C:0": -0.4},
    "live data above the pin": GOOD | {"live_v::0": 2.2},
    "a value below its volts": GOOD | {"live_value::1": 100.0},
    "ohms on a dead reference": {"open_v:A": 0.01, "off_ohm:A": 4.0},
    "two out and one missing": {k: v for k, v in GOOD.items() if k != "live_v::1"}
    | {"mated_v:A": 3.0, "mated_v:B": 0.5},
    "the others off brings it back": GOOD | {"open_v:A": 2.0, "sharers_off_v:A": 4.98},
    "the others off changes nothing": GOOD | {"open_v:A": 2.0, "sharers_off_v:A": 2.0},
    "the others off, and more than the reference": GOOD | {"open_v:A": 2.0, "sharers_off_v:A": 8.0},
    "a path on the return by the meter": GOOD | {"off_ohm:B": 0.4},
    "a dead pin": {"open_v:A": 0.02},
}
BIASED = {
    "good, with a bias": GOOD_BIASED,
    "the bias missing": GOOD_BIASED | {"open_v:C": 0.02},
    "the bias too high": GOOD_BIASED | {"open_v:C": 8.0},
    "the bias low": GOOD_BIASED | {"open_v:C": 3.9},
    "the jumper reads below nothing": GOOD_BIASED | {"live_jumped_v:C": -0.3},
    "the jumper leaves a little": GOOD_BIASED | {"live_jumped_v:C": 0.2},
    "the bias below nothing": GOOD_BIASED | {"open_v:C": -0.2},
    "ohms on a dead bias": GOOD_BIASED | {"open_v:C": 0.01, "off_ohm:C": 12.0},
    "the jumper does not reach live data": GOOD_BIASED | {"live_jumped_v:C": 4.0},
}
GOOD_VOLTS = {k: v for k, v in GOOD.items() if not k.startswith("live_value")}
# Readings that no fault explains, a group that none tells apart, and pins that are not known.
ODD = GOOD | {"mated_v:A": 0.3, "open_v:A": 4.98, "mated_v:C:0": 3.3, "live_v::0": 0.2, "off_ohm:C": 0.5,
              "lamp_positive:B": "dark"}  # fmt: skip
CONFIRMED_ODD = ("mated_v:A", "open_v:A", "mated_v:C:0", "live_v::0", "off_ohm:C", "lamp_positive:B", "mated_v:C:1")
NO_LIVE = {k: v for k, v in GOOD.items() if not k.startswith("live_")}
DEAD = NO_LIVE | {"mated_v:C:0": 0.02, "mated_v:C:1": 0.02}
# What a reader shows of a circuit, and what it is that shows it.
READERS = {
    "volts and a value beyond its end": (
        DEAD | {"live_lamp_positive_v:C": 5.0, "live_v::0": 0.02, "live_v::1": 0.02, "live_value::0": -122.0,
                "live_value::1": -122.0}, LiveReader()),
    "a value that stops, said": (DEAD | {"live_v::0": 0.02, "live_value::0": 0.0}, LiveReader(least=0.0, most=1000.0)),
    "a value that stops, not said": (DEAD | {"live_v::0": 0.02, "live_value::0": 0.0}, LiveReader()),
    "a value beyond the top, not said": (
        GOOD | {"mated_v:C:1": 4.9, "live_v::1": 4.9, "live_value::1": 1000.0}, LiveReader()),
    "a default for a fault": (DEAD | {"live_v::0": 0.02, "live_value::0": 250.0}, LiveReader(fault_value=250.0)),
    "the value alone": (
        NO_LIVE | {"live_lamp_positive_value:C": 1000.0, "live_value::0": 0.5, "live_value::1": 461.0},
        LiveReader(shows_signal=False)),
    "the value alone, and it is wrong": (
        NO_LIVE | {"live_lamp_positive_value:C": 1000.0, "live_value::0": 0.5, "live_value::1": 650.0},
        LiveReader(shows_signal=False)),
    "the value before any volts": ({"live_value::1": 461.0}, LiveReader()),
    "nothing": (NO_LIVE, LiveReader(shows_signal=False, shows_value=False)),
    "volts alone": (GOOD_VOLTS, LiveReader(shows_value=False)),
}  # fmt: skip
PINS_OPEN = ("nothing read", "good", "a dead pin")
CONCLUDED = (
    "good",
    "two out and one missing",
    "the return a little high",
    "the reference on the battery",
    "the reference low, plugged in",
    "the return high, plugged in",
    "live data off the pin",
    "a value off its volts",
    "the signal low",
    "battery low",
)


def _marks(found):
    return {
        "verdict": found.verdict,
        "proofs": [f"{p.proof}: {p.mark}, {p.taken} of {p.wanted}" for p in found.proofs],
        "next": None if found.next_test is None else found.next_test.ask,
        "again": [test.title for test in found.measure_again],
        "judged": {str(p): f"{j.mark}. {j.sentence}" for p, j in found.judgements.items()},
    }


def _concluded(found):
    diagnosis = found.diagnosis
    return _marks(found) | {
        "standing": diagnosis.standing,
        "leader": diagnosis.leader.title,
        "where": diagnosis.leader.where,
        "do": diagnosis.leader.do,
        "group": [s.title for s in diagnosis.group],
        "reasons": [(str(r.test_point), r.sentence, r.explained) for r in diagnosis.reasons],
        "bands": diagnosis.bands,
        "would change": diagnosis.would_change,
        "pins": diagnosis.pins,
        "suspects": [(s.title, f"{s.probability:.2f}", s.against, s.sizes) for s in diagnosis.suspects],
        "inspect": diagnosis.inspect,
    }


def _wanted(made):
    found = {}
    for test in assess(made).tests:
        wanted = expect(made, test.test_point)
        window = getattr(wanted, "window", None)
        text = window_text(made, test.test_point, window) if window else sorted(getattr(wanted, "wanted", ()))
        found[str(test.test_point)] = f"{test.title}. {test.ask} [{test.spec.state}] {text}"
    return found


def _shown(readings, reader):
    made = case(readings)
    return replace(made, circuit=replace(made.circuit, reader=reader))


def _cases():
    first = TestPoint.from_text("mated_v:C:1")
    pulses = (
        PulseMark(PulseKind.WAVEFORM, Mark.FAIL, "uneven tooth"),
        PulseMark(PulseKind.GAP, Mark.UNDECIDED, "too close"),
    )
    return (
        {f"action: {action}": spec for action, spec in ACTIONS.items()}
        | {f"judged: {name}": _marks(assess(case(values))) for name, values in READINGS.items()}
        | {f"judged: {name}": _marks(assess(case(values, pull_up=PULL_UP))) for name, values in BIASED.items()}
        | {f"judged, pins not known: {n}": _marks(assess(case(READINGS[n], known=False))) for n in PINS_OPEN}
        | {f"concluded: {name}": _concluded(conclude(assess(case(READINGS[name])))) for name in CONCLUDED}
        | {f"concluded, with a bias: {n}": _concluded(conclude(assess(case(BIASED[n], pull_up=PULL_UP)))) for n in BIASED}
        | {"concluded, pins not known": _concluded(conclude(assess(case(GOOD, known=False))))}
        | {"concluded, not to be explained": _concluded(conclude(assess(case(ODD, CONFIRMED_ODD))))}
        | {f"judged, reader shows {n}": _marks(assess(_shown(*READERS[n]))) for n in READERS}
        | {f"concluded, reader shows {n}": _concluded(conclude(assess(_shown(*READERS[n])))) for n in READERS}
        | {f"wanted: {sensor.name}": _wanted(empty(sensor)) for sensor in MORE_SENSORS}
        | {"judged: pulses out": _marks(assess(replace(case(GOOD), pulses=pulses)))}
        | {"judged: pulses undecided": _marks(assess(replace(case(GOOD), pulses=pulses[1:])))}
        | {"what if": what_if(case(GOOD), first, None)}
        | {"what if it reads": what_if(case(GOOD), first, reading("mated_v:C:1", 1.0))}
    )  # fmt: skip


SAID = ("bench", _cases)


def test_what_the_bench_says_is_what_was_approved():
    assert text_of(_cases()) == approved("bench")
