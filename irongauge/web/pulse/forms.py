"""Forms of the Pulse room: what a sensor should read, and road speed."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from typing import Annotated

from irongauge.core.measure.entry import parse_entry, parse_plain_number, parse_ratio
from irongauge.core.measure.quantities import Limits
from irongauge.core.measure.units import Quantity
from irongauge.core.pulses.ratio import FigureKind, SpeedPair, measured_speed_kmh
from irongauge.core.pulses.rolling import Known
from irongauge.core.pulses.tyre import tyre_from_code
from irongauge.errors import EntryError, quoted
from irongauge.web.forms import OptionalUid, PostedForm, choice, number, optional_number, optional_ratio

__all__ = ["SPEED_UNITS", "KeepForm", "RelateForm", "SpeedForm", "known_from", "pairs_from", "pairs_in", "shown_fields"]

# Codes of speed units with km/h per unit, and the distance that pulses are counted over, in m.
SPEED_UNITS = {"km/h": (1.0, 1000.0), "mph": (1.609344, 1609.344)}
_NAMES = {"rpm": "shaft_hz", "axle_ratio": "axle_ratio", "tyre": "circumference_m", "speed": "speed_m_per_s",
          "frequency": "frequency_hz", "pulses": "pulses_per_m", "teeth": "teeth"}  # fmt: skip
_PCT = 100.0 * math.sqrt(3.0)  # ± a per cent, as the standard uncertainty of a rectangle
_POSITIVE = Limits(1e-6, 1e9)
_MOST_PAIRS = 2000


class KeepForm(PostedForm):
    """Fields of every question: the circuit that the answer belongs to, and who asked."""

    circuit_uid: OptionalUid = None
    technician_uid: OptionalUid = None


class RelateForm(KeepForm):
    """Any of these; `mine` names the fields that a person typed, the newest last. Empty: every field that holds something."""

    mine: str = ""
    teeth: str = ""
    rpm: str = ""
    axle_ratio: str = ""
    tyre: str = ""
    tyre_pct: Annotated[float | None, optional_number(0, 20, what="how well the tyre is known, in %")] = None
    speed: str = ""
    speed_pct: Annotated[float | None, optional_number(0, 20, what="how well the speed is known, in %")] = None
    frequency: str = ""
    pulses: str = ""
    unit: Annotated[str, choice(*SPEED_UNITS)] = "km/h"
    turns: Annotated[float | None, optional_number(0.1, 10_000, what="how many turns")] = None
    seconds: Annotated[float | None, optional_number(0.1, 3600, what="in how many seconds")] = None


class SpeedForm(KeepForm):
    """Shown and true speeds, and what is entered now."""

    pairs: str = ""
    unit: Annotated[str, choice(*SPEED_UNITS)] = "km/h"
    distance_m: Annotated[float | None, optional_number(1, 1e6, what="the measured distance in metres")] = None
    seconds: Annotated[float | None, optional_number(0.1, 36_000, what="its time in seconds")] = None
    shown: Annotated[float | None, optional_number(0.1, 1000, what="the speed that was shown")] = None
    old: Annotated[float | None, optional_number(1e-6, 1e9, what="what is entered now")] = None
    old_is: Annotated[str, choice("", *FigureKind)] = ""
    teeth: Annotated[float | None, optional_number(1, 1000, what="the teeth entered")] = None
    axle_ratio: Annotated[float | None, optional_ratio()] = None
    axles: str = ""
    tyre: str = ""
    tyres: str = ""
    after: str = ""
    within_pct: Annotated[float, number(0.05, 20, what="how far it may be off, in %")] = 1.0


def known_from(form: RelateForm) -> dict[str, Known]:
    """What a person typed, in fixed units, the newest last; `EntryError` naming the field that cannot be read."""
    kmh, metres = SPEED_UNITS[form.unit]
    typed = {field: text for field in _NAMES if (text := getattr(form, field)).strip()}
    mine = [field for field in dict.fromkeys(form.mine.split()) if field in typed]
    return {_NAMES[field]: _known(field, typed[field], form, kmh, metres) for field in mine or typed}


def _known(field: str, typed: str, form: RelateForm, kmh: float, metres: float) -> Known:
    if field == "tyre":
        return Known(circumference_m(typed), (form.tyre_pct or _known_pct(typed)) / _PCT)
    if field == "frequency":
        entry = parse_entry(typed, Quantity.FREQUENCY, field=field, limits=_POSITIVE)
        assert entry.value is not None  # no over-range word is allowed here
        return Known(entry.value)
    if field == "axle_ratio":
        return Known(parse_ratio(typed, field=field))
    value = parse_plain_number(typed, field=field, limits=_POSITIVE, what="a number above 0")
    if field == "speed":
        return Known(value * kmh / 3.6, (form.speed_pct or 0.0) / _PCT)
    return Known({"rpm": value / 60, "pulses": value / metres}.get(field, value))


def _known_pct(typed: str) -> float:
    """How well a tyre's diameter is known by its size alone, in %."""
    try:
        return tyre_from_code(typed).known_pct
    except ValueError:
        return 0.0


# The word may stand before the figure or behind it: c 2.26 m, circumference 2.26, 2.26 m round.
_AROUND, _ACROSS, _FROM_MIDDLE = (
    re.compile(rf"(?:{words})(?![a-z])\.?\s*(?P<rest>[\d.,].*)|(?P<before>[\d.,].*?)\s*(?:{words})\.?", re.IGNORECASE)
    for words in ("circumference|circ|c|round|around", "diameter|diam|dia|d|across|⌀|ø", "radius|rad|r")
)
_EITHER_M = 1.4  # a car's tyre is longer round, a lorry's no wider across: such a length may be either


def circumference_m(typed: str, field: str = "tyre") -> float:
    """Once round a tyre: from a size code, a diameter with its unit (`0.72 m`, `31 in`), or `c 2.26 m` for the way round."""
    around, across, middle = (pattern.fullmatch(typed.strip()) for pattern in (_AROUND, _ACROSS, _FROM_MIDDLE))
    said = around or across or middle
    text = typed if said is None else said["rest"] or said["before"]
    if said is None:
        try:
            return tyre_from_code(typed).circumference_m
        except ValueError:
            if "/" in typed or re.search(r"[x×]|\dR\d", typed, re.IGNORECASE):
                problem = f"{quoted(typed)} is no tyre size."
                would_do = "Type it as on its wall: 235/75R15, 31x10.5R15, 11R22.5 or 7.50R16."
                raise EntryError(field, typed, problem, would_do) from None
    entry = parse_entry(
        text,
        Quantity.LENGTH,
        field=field,
        unit="m",
        limits=Limits(0.05, 2.4) if middle is not None else Limits(0.1, 15.0),
        impossible="Type a size such as 235/75R15, a diameter such as 0.72 m or 31 in, or c 2.26 m for once round.",
    )
    assert entry.value is not None  # no over-range word is allowed here
    if said is None and entry.value > _EITHER_M:
        problem = f"{quoted(typed)} may be the way round a car’s tyre or the width across a tractor’s."
        raise EntryError(
            field, typed, problem, f"Type c {typed.strip()} for once round, or d {typed.strip()} for across."
        )
    if around is not None:
        return entry.value
    return math.pi * entry.value * (2.0 if middle is not None else 1.0)


def shown_fields(values: Mapping[str, Known], unit: str) -> dict[str, str]:
    """What stands in each field for what follows, rounded as it is typed."""
    kmh, metres = SPEED_UNITS[unit]
    made = {
        "teeth": lambda v: f"{v:.6g}",
        "rpm": lambda v: f"{v * 60:.6g}",
        "axle_ratio": lambda v: f"{v:.5g}",
        "tyre": lambda v: f"{'d ' if v / math.pi > _EITHER_M else ''}{v / math.pi:.5g} m",
        "speed": lambda v: f"{v * 3.6 / kmh:.5g}",
        "frequency": lambda v: f"{v:.6g}",
        "pulses": lambda v: f"{v * metres:.7g}",
    }
    return {field: made[field](values[name].value) for field, name in _NAMES.items() if name in values}


def pairs_from(form: SpeedForm) -> list[SpeedPair]:
    """Shown and true speeds in km/h, from the typed pairs and the timed distance."""
    kmh, _ = SPEED_UNITS[form.unit]
    found = pairs_in(form.pairs, "pairs", kmh)
    if form.distance_m is not None and form.seconds is not None and form.shown is not None:
        found.append(SpeedPair(form.shown * kmh, measured_speed_kmh(form.distance_m, form.seconds)))
    return found


def pairs_in(typed: str, field: str, kmh: float) -> list[SpeedPair]:
    """Pairs of shown and true speed, one a line, each worth `kmh` km/h; `EntryError` naming the row that is none."""
    found: list[SpeedPair] = []
    for row, line in enumerate(typed.splitlines(), 1):
        parts = [p for p in re.split(r"[\t; ]+|,(?=\s)", line.strip()) if p]
        if not parts:
            continue
        if len(found) >= _MOST_PAIRS:
            raise EntryError(field, line, f"At most {_MOST_PAIRS:,} pairs fit here.")
        if len(parts) != 2:  # noqa: PLR2004
            problem = f"Row {row}, {quoted(line)}, is not a pair."
            raise EntryError(field, line, problem, "Type the shown speed, a blank, and the true one.")
        shown, true = (
            parse_plain_number(p, field=field, limits=Limits(0.1, 2000), what=f"a speed in row {row}") for p in parts
        )
        found.append(SpeedPair(shown * kmh, true * kmh))
    return found
