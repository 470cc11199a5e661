"""What the Pulse room's questions get as an answer: what was found, and what its page shows beside."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

from irongauge.core.measure.entry import parse_plain_number, parse_ratio
from irongauge.core.measure.quantities import Limits, Mark
from irongauge.core.pulses.principle import Looks, Principle, candidates, find_principle
from irongauge.core.pulses.ratio import Explanation, FigureKind, RatioFit, explain_ratio, fit_ratio, new_figure
from irongauge.core.pulses.rolling import Known, hand_spin_hz, settle
from irongauge.core.pulses.signal_parts import (
    DUTIES,
    AirGap,
    BusWiring,
    FuelReading,
    air_gap,
    decode_fuel,
    judge_bus,
    pull_up_for,
)
from irongauge.errors import EntryError, as_sentence
from irongauge.web.pulse.drawings import (
    BusDrawing,
    FuelDrawing,
    GapDrawing,
    SpeedDrawing,
    draw_bus,
    draw_fuel,
    draw_gap,
    draw_speeds,
)
from irongauge.web.pulse.forms import (
    SPEED_UNITS,
    RelateForm,
    SpeedForm,
    circumference_m,
    known_from,
    pairs_from,
    pairs_in,
    shown_fields,
)
from irongauge.web.pulse.part_forms import BusForm, FuelForm, GapForm, PrincipleForm
from irongauge.workflows.pulse.kept_checks import PulseFinding

__all__ = ["Answer", "Relation", "Speed", "bus", "fuel", "gap", "principle", "relation", "speed"]

_IN_A_ROW = Limits(-1e6, 1e6)  # no reading that is typed in a row is greater
_WIDE_PCT = 2.0


@dataclass(frozen=True)
class Answer:
    """What was found; None of it where nothing could be said yet. `fields` are the texts of fields that follow."""

    told: PulseFinding | None
    fields: Mapping[str, str] = field(default_factory=dict)


# What it should read


@dataclass(frozen=True)
class Line:
    """One quantity that follows: its name, its figure and unit, and the uncertainty that it inherits, where there is one."""

    name: str
    text: str
    pct: str


@dataclass(frozen=True, kw_only=True)
class Relation(Answer):
    """`against` are fields that the others contradict, each with what those give there."""

    lines: tuple[Line, ...] = ()
    needs: str = ""
    spin: str = ""
    against: Mapping[str, str] = field(default_factory=dict)


_SHOWN = (
    ("frequency", "frequency_hz", "At the sensor", "Hz"),
    ("speed", "speed_m_per_s", "Road speed", ""),
    ("pulses", "pulses_per_m", "Pulses", ""),
    ("rpm", "shaft_hz", "Shaft", "rpm"),
    ("", "wheel_hz", "Wheel", "rpm"),
    ("tyre", "circumference_m", "Tyre, across", "m"),
    ("axle_ratio", "axle_ratio", "Axle ratio", ""),
    ("teeth", "teeth", "Teeth", ""),
)


def relation(form: RelateForm) -> Relation:
    """Every quantity that follows from those that a person typed, and where one of those contradicts the others."""
    known = known_from(form)
    found = settle(known, tuple(known))
    units = {"speed": form.unit, "pulses": "per km" if form.unit == "km/h" else "per mile"}
    fields = shown_fields(found.values, form.unit)
    lines = []
    for name_of_field, name, title, unit in _SHOWN:
        if name not in found.values:
            continue
        value = found.values[name]
        text = fields.get(name_of_field, f"{value.value * 60:.6g}").removesuffix(" m")
        pct = 200 * value.relative_u
        shown = f"{text} {units.get(name_of_field, unit)}".strip()
        lines.append(Line(title, shown, f"± {pct:.2g} %" if pct else ""))
    spin = _spin(form, found.values)
    against = shown_fields(found.contradicted, form.unit)
    told = None
    if "frequency_hz" in found.values:
        said = tuple(f"{line.name} {line.text}{f' {line.pct}' if line.pct else ''}." for line in lines[1:])
        mark = Mark.UNDECIDED if against else Mark.NOT_MEASURED
        told = PulseFinding(mark, f"expect {lines[0].text}", (*_against(against), *said, *([spin] if spin else [])))
    mine = {name_of_field for name_of_field, name, _, _ in _SHOWN if name in known and name not in found.moved}
    follows = {name_of_field: text for name_of_field, text in fields.items() if name_of_field not in mine}
    follows["mine"] = " ".join(name_of_field for name in known for name_of_field, of, _, _ in _SHOWN if of == name)
    return Relation(
        told=told,
        fields=follows,
        lines=tuple(lines),
        needs=_needs(found.missing, any_typed=bool(known)),
        spin=spin,
        against=against,
    )


def _against(against: Mapping[str, str]) -> tuple[str, ...]:
    titles = {name_of_field: title.lower() for name_of_field, _, title, _ in _SHOWN}
    return tuple(
        f"The other figures give {text} for {titles[name]}: one of them is wrong." for name, text in against.items()
    )


def _needs(missing: tuple[str, ...], *, any_typed: bool) -> str:
    if not any_typed:
        return "Type what you know, in any field: the others follow."
    if "frequency_hz" in missing or "speed_m_per_s" in missing:
        return (
            "More is needed for the rest: teeth, axle ratio and tyre tie the sensor to the road; a speed or a frequency sets "
            "it going."
        )
    return ""


def _spin(form: RelateForm, values: Mapping[str, Known]) -> str:
    """What a wheel turned by hand should give."""
    if form.turns is None or form.seconds is None:
        return ""
    teeth, axle, around = (values.get(name) for name in ("teeth", "axle_ratio", "circumference_m"))
    if teeth is None:
        return "For the hand-spin check the number of teeth is needed."
    ratio = 1.0 if axle is None else axle.value
    hertz = hand_spin_hz(form.turns, form.seconds, teeth.value * ratio)
    text = f"{form.turns:g} turns of the wheel in {form.seconds:g} s: {hertz:.4g} Hz at the sensor"
    if around is not None:
        kmh = form.turns / form.seconds * around.value * 3.6
        shown = kmh / SPEED_UNITS[form.unit][0]
        text += f", and the display should show {shown:.3g} {form.unit}"
    return text + "."


# Road speed


@dataclass(frozen=True, kw_only=True)
class Speed(Answer):
    """What the pairs say, what to type, and what the check drive shows after it was typed."""

    fit: RatioFit | None = None
    count: int = 0
    new: str = ""
    asks_kind: bool = False
    sentence: str = ""
    explained: tuple[Explanation, ...] = ()
    left: PulseFinding | None = None
    drawing: SpeedDrawing | None = None
    wrong_part: str = ""


def speed(form: SpeedForm) -> Speed | None:
    """The ratio that the pairs of shown and true speed give, and what the check drive says of it."""
    kmh, _ = SPEED_UNITS[form.unit]
    pairs, after = pairs_from(form), pairs_in(form.after, "after", kmh)
    if not pairs:
        if after:
            raise EntryError("pairs", "", "The pairs before it was typed are missing.", "They are the record as found.")
        return None
    fit = fit_ratio(pairs)
    explained = explain_ratio(
        fit.ratio,
        teeth=None if form.teeth is None else round(form.teeth),
        axle_ratio=form.axle_ratio,
        axle_ratios=[parse_ratio(part.rstrip(","), field="axles") for part in form.axles.replace(";", " ").split()],
        diameter_m=_across_m(form.tyre, "tyre") if form.tyre.strip() else None,
        diameters_m=[_across_m(t, "tyres") for t in form.tyres.replace(";", ",").split(",") if t.strip()],
    )
    sentence = _sentence(fit, kmh, form.unit)
    left = _off(fit_ratio(after), form.within_pct, "as left") if after else None
    found = _off(fit, form.within_pct, "as found")
    new = _new_figure(form, fit)
    said = [f"As found: {found.finding.removeprefix('as found, ')}.", sentence]
    if new:
        said.append(f"In place of {form.old:g} {form.old_is} belongs {new}.")
    if left is not None:
        said.append(f"{left.finding[0].upper()}{left.finding[1:]}.")
    latest = left or found
    mark = Mark.UNDECIDED if latest.mark is Mark.PASS and fit.is_offset and left is None else latest.mark
    return Speed(
        told=PulseFinding(mark, latest.finding, tuple(said)),
        fields={},
        fit=fit,
        count=len(pairs),
        new=new,
        asks_kind=form.old is not None and not form.old_is and not fit.is_offset,
        sentence=sentence,
        explained=explained,
        left=left,
        drawing=draw_speeds(pairs, after, fit, form.within_pct, (form.unit, kmh)),
        wrong_part=_PART_OF.get(explained[0].what.split()[0], "") if explained else "",
    )


def _across_m(typed: str, field: str) -> float:
    """A tyre's diameter, however its size was typed."""
    return circumference_m(typed, field) / math.pi


# Which part of the drawn axle an explanation is about.
_PART_OF = {"teeth": "teeth", "axle": "axle_ratio", "tyre": "tyre"}


def _new_figure(form: SpeedForm, fit: RatioFit) -> str:
    """What to type; empty where nothing is entered, where nobody said what it is, and where no figure would put it right."""
    if form.old is None or not form.old_is or fit.is_offset:
        return ""
    return f"{new_figure(form.old, FigureKind(form.old_is), fit.ratio):.5g}"


def _off(fit: RatioFit, within_pct: float, when: str) -> PulseFinding:
    """How far the display is off, against what is allowed; undecided where the pairs do not tell it from the limit."""
    way = "high" if fit.off_pct > 0 else "low"
    known = f" ± {fit.off_u_pct:.2f}" if fit.off_u_pct else ""
    said = f"{when}, it reads {abs(fit.off_pct):.2f}{known} % {way}; {within_pct:g} % is allowed"
    return PulseFinding(fit.judged(within_pct), said)


def _numbers(typed: str, name: str, would_do: str) -> list[float]:
    """Numbers in a row, with blanks, commas or semicolons between them; `EntryError` naming the part that is none."""
    found = []
    for part in typed.replace(";", " ").split():
        try:
            found.append(parse_plain_number(part.rstrip(","), field=name, limits=_IN_A_ROW, what="numbers"))
        except EntryError as error:
            raise EntryError(name, typed, error.problem, would_do) from error
    return found


def _sentence(fit: RatioFit, kmh: float, unit: str) -> str:
    if fit.is_offset and fit.offset_kmh is not None and fit.offset_u is not None:
        return (
            f"An offset fits better than a ratio: the display is {abs(fit.offset_kmh) / kmh:.2g} {unit} "
            f"{'high' if fit.offset_kmh > 0 else 'low'} at every speed (± {2 * fit.offset_u / kmh:.2g}). {_beside(fit)}"
            "Look for noise pick-up at rest, or an offset that is entered in the display."
        )
    if fit.spread_pct is None:
        return "One pair gives a ratio, but not how far to trust it. Take two more at other speeds."
    if fit.spread_pct > _WIDE_PCT:
        return (
            f"The pairs differ by {fit.spread_pct:.1f} % among themselves: take them again, held steady, before you type "
            "anything."
        )
    return f"The pairs agree within {fit.spread_pct:.2g} %."


def _beside(fit: RatioFit) -> str:
    """Whether a ratio is wrong as well as the offset."""
    if fit.slope is None or not fit.slope_is_off:
        return "That is no ratio problem. "
    return f"And beside the offset it shows {fit.slope:.4g} × what is true: put the offset right first, then take pairs again. "


# The smaller questions


@dataclass(frozen=True, kw_only=True)
class Candidate:
    """A principle that it may be, and what rules it out, if anything does."""

    principle: Principle
    out: str
    is_it: bool


@dataclass(frozen=True)
class PrincipleAnswer(Answer):
    """What a sensor's principle is by what was seen, or what was wrong with what was typed."""

    candidates: tuple[Candidate, ...] = ()


def principle(form: PrincipleForm) -> PrincipleAnswer | None:
    """The answer to what was typed of a sensor of unknown kind."""
    looked = (form.supply_v, form.low_v, form.high_v, form.ac_v, form.coil_ohm)
    looks = Looks(
        wires=int(form.wires),
        supply_v=form.supply_v,
        low_v=form.low_v,
        high_v=form.high_v,
        ac_v=form.ac_v,
        coil_ohm=form.coil_ohm,
    )
    sentences: list[str] = []
    mark, finding = Mark.NOT_MEASURED, "pull-up worked out"
    is_it = None
    if any(look is not None for look in looked):
        found = find_principle(looks, input_takes_sine=form.sine == "yes")
        is_it = found.principle
        mark, finding = found.mark, found.fault or str(found.principle)
        if found.one_too_many:
            finding += ", its low level too high"
        elif found.needs_pull_up:
            finding += ", without a pull-up"
        sentences.append(found.reason)
        if found.needs_conditioner:
            sentences.append("The input cannot read a sine wave; fit a squaring conditioner.")
        if found.needs_pull_up:
            sentences.append("It needs one pull-up, at the controller or at the sensor, not at both.")
    if form.to_v is not None and form.highest_hz is not None and form.wire_m is not None:
        sentences.append(f"Pull-up: {pull_up_for(form.to_v, form.highest_hz, form.wire_m).sentence}")
    shown = tuple(Candidate(principle=p, out=out, is_it=p is is_it) for p, out in candidates(looks).items())
    return PrincipleAnswer(PulseFinding(mark, finding, tuple(sentences)) if sentences else None, {}, shown)


@dataclass(frozen=True)
class FuelAnswer(Answer):
    """What a fuel sensor's pulses mean."""

    drawing: FuelDrawing | None = None


def fuel(form: FuelForm) -> FuelAnswer | None:
    """The answer to what was typed of a fuel sensor."""
    if form.frequency_hz is None:
        return None
    found: FuelReading = decode_fuel(form.frequency_hz, form.pulse_ms)
    parts = []
    if found.share_pct is not None:
        parts.append(f"{found.share_pct:.1f} %")
    if found.temperature_degc is not None:
        parts.append(f"{found.temperature_degc:.1f} °C")
    told = PulseFinding(found.mark, ", ".join(parts) or "no reading", (found.fault,) if found.fault else ())
    return FuelAnswer(told, {}, draw_fuel(form.frequency_hz, form.pulse_ms))


@dataclass(frozen=True)
class GapAnswer(Answer):
    """Whether an air gap fits."""

    drawing: GapDrawing | None = None


def gap(form: GapForm) -> GapAnswer | None:
    """The answer to what was typed of an air gap."""
    if not form.readings.strip():
        return None
    readings = _numbers(form.readings, "readings", "Type the feelers in mm: 1.0 1.05 1.1 1.0")
    try:
        found: AirGap = air_gap(readings, form.least_mm, form.most_mm)
    except ValueError as error:
        raise EntryError("readings", form.readings, as_sentence(error)) from error
    said = [f"Mean {found.mean_mm:.2f} mm; spread {found.spread_mm:.2f} mm; once a turn ± {found.run_out_mm:.2f} mm."]
    if found.odd is not None:
        said.append(
            f"Place {found.odd + 1} stands out of the ring: look at that tooth, and take the feeler there again."
        )
    told = PulseFinding(found.mark, f"{found.sentence[0].lower()}{found.sentence[1:].rstrip('.')}", tuple(said))
    return GapAnswer(told, {}, draw_gap(readings[:_MOST_FEELERS], (form.least_mm, form.most_mm), found))


_MOST_FEELERS = 60  # that can be told apart on the drawing


@dataclass(frozen=True)
class BusAnswer(Answer):
    """What a channel over a module comes to."""

    drawing: BusDrawing | None = None


def bus(form: BusForm) -> BusAnswer | None:
    """What the channel shows at both ends of its speeds, what would be better, and what cannot be on one bus."""
    wiring = BusWiring(
        node=form.node.strip(),
        other_nodes=tuple(form.nodes.replace(",", " ").split()),
        firmware=form.firmware,
        host_firmware=form.host_firmware,
        inside_ohm=form.inside_ohm,
        pulled_up_in_harness={"yes": True, "no": False}.get(form.harness),
    )
    speeds = None if form.low_hz is None or form.high_hz is None else (form.low_hz, form.high_hz)
    duty = DUTIES[form.duty] if form.duty else None
    found = judge_bus(
        wiring,
        speeds_hz=speeds,
        pulses=int(form.pulses),
        frame_hz=form.frame_hz,
        duty=duty,
        needed_hz=form.needed_hz,
        tick_s=form.tick_us * 1e-6,
    )
    if found is None:
        return None
    needed_hz = form.needed_hz if duty is None else duty.needed_hz
    drawn = None if speeds is None else draw_bus(min(speeds), int(form.pulses), form.frame_hz, needed_hz)
    return BusAnswer(PulseFinding(found.mark, found.finding, found.sentences), {}, drawn)
