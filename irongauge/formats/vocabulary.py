"""Every action and every fault by name, with units and meaning: for the programs' interface and for the documentation."""

from __future__ import annotations

from irongauge.core.bench.actions import ACTIONS, ActionSpec, AnswerKind
from irongauge.core.diagnosis.faults import FAULT_WORDS, HEALTHY, SURE, FaultWords

__all__ = ["AT_A_STIMULUS", "actions_text", "faults_text", "vocabulary_page"]

AT_A_STIMULUS = frozenset({"mated_v", "mated_live", "running", "running_live", "thermo_mv", "sensor_ohm", "loop_ma"})
_ANSWER = {
    AnswerKind.VOLTS: "V",
    AnswerKind.OHMS: "Ω, or `OL`, or `voltage present`",
    AnswerKind.GLOW: "`dark`, `dim` or `bright`",
    AnswerKind.VALUE: "the sensor's quantity: kPa, °, mm, % or °C",
    AnswerKind.HERTZ: "Hz",
    AnswerKind.MILLISECONDS: "ms",
    AnswerKind.PERCENT: "%",
    AnswerKind.MILLIAMPS: "mA",
}


def actions_text() -> str:
    """One line for each action: its name, answer and question."""
    return "; ".join(f"`{a}` ({_answer(spec)}): {_question(spec)}" for a, spec in ACTIONS.items())


def faults_text() -> str:
    """One line for each fault: its name, title and the unit of its size."""
    return "; ".join(f"`{code}` {words.title}{_size(words, ' ({})')}" for code, words in FAULT_WORDS.items())


def vocabulary_page() -> str:
    """The page of words, as Markdown."""
    actions = [
        f"| `{action}` | {_place(spec)} | {_answer(spec)} | {spec.state}, connector {'on' if spec.plugged_in else 'off'} "
        f"| {_question(spec)} |"
        for action, spec in ACTIONS.items()
    ]
    faults = [
        f"| `{code}` | {words.title} | {_size(words, '{}')} | {words.where if code != HEALTHY else ''} | {words.do} |"
        for code, words in FAULT_WORDS.items()
    ]
    return "\n".join([_HEAD, *actions, _MIDDLE, *faults, ""])


def _question(spec: ActionSpec) -> str:
    return spec.ask.replace("{pin}", "the pin")


def _place(spec: ActionSpec) -> str:
    point = (
        "point of a switch" if spec.role_point == "sensor_ohm" else "point"
    )  # other loose sensors are read as they are
    parts = (["cavity"] if "{pin}" in spec.ask else []) + ([point] if spec.role_point in AT_A_STIMULUS else [])
    return ", ".join(parts)


def _answer(spec: ActionSpec) -> str:
    if spec.words:
        return ", ".join(f"`{word}`" for word, _ in spec.words)
    return _ANSWER[spec.answer] + (", or `no data`" if spec.from_live_data else "")


def _size(words: FaultWords, form: str) -> str:
    return "" if words.size is None else form.format(words.size.unit)


_HEAD = f"""# Vocabulary

The words of `POST /api/v1/diagnose` and of the Bench's links, with their units. Written by `python -m tools.vocabulary` from
the tables that the program works by; a test compares them.

A **reading** names its action, the cavity that it is taken at, and the point: which of the circuit's stimuli was applied,
0 for the first. At the reference and the return a plugged-in reading is taken once, without a point. A cavity is the
connector's own name for a pin. A number is in the unit below; text is read as on the Bench, where a unit may follow
(`12mV`). A **test point** writes the three with colons: `mated_v:C:1`, `off_ohm:B`, `live_v::0`.

An answer has a **level**: `proved good`, `wiring good, slope not proved` (of a value at one point only), `good as far as it
can be read` (what cannot be is named), `fault found`, `cannot tell apart`, `readings contradict` or `not proved yet`. It has
a **ranking**: each fault, or two joined by `+`, with its probability from 0 to 1. Those with `in_group` are what no check
still to be made would tell from the likeliest; from {SURE} on their probability together is a verdict. `looks` are the direct
readings of the likeliest fault and of what feeds it. A **next check** gives its test points, its gain in nats (the expected
fall of the ranking's entropy) and its cost in minutes.

## Actions

| action | place | answer | state | what is done |
| --- | --- | --- | --- | --- |"""
_MIDDLE = """
## Faults

A size is given in the unit shown, where the readings fix it.

| fault | meaning | size | where | what to do |
| --- | --- | --- | --- | --- |"""
