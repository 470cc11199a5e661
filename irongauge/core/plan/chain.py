"""A signal from its sensor to each place where it is shown: what every stage takes and gives, and the first that do not match."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from itertools import pairwise
from uuid import UUID

__all__ = ["FORMS_IN_ORDER", "Form", "Mismatch", "Side", "Stage", "Trial", "first_mismatch", "next_form"]


class Form(StrEnum):
    """What a signal looks like on its wire."""

    LEVEL = "level in volts"
    SINE = "sine"
    SQUARE = "square wave"
    OHMS = "resistance"
    MILLIVOLTS = "thermocouple millivolts"
    BUS = "message on a bus"


# In which order the possible outputs of a conditioner are tried where nothing says which a gauge takes: what harms nothing first.
FORMS_IN_ORDER = (Form.SQUARE, Form.LEVEL, Form.SINE)


@dataclass(frozen=True, kw_only=True)
class Trial:
    """An output of a conditioner as it was tried at what takes it. `at` names the two, such as `Squarer to display`."""

    uid: UUID
    at: str
    form: Form
    worked: bool
    note: str
    technician_uid: UUID
    tried_at: datetime


def next_form(trials: Sequence[Trial], at: str) -> Form | None:
    """What is tried next there: the first of the order that was not tried; None where one worked or all were tried."""
    there = [trial for trial in trials if trial.at == at]
    if any(trial.worked for trial in there):
        return None
    return next((form for form in FORMS_IN_ORDER if form not in {trial.form for trial in there}), None)


@dataclass(frozen=True, kw_only=True)
class Side:
    """One side of a stage; None where it does not matter or nobody said."""

    form: Form
    least_v: float | None = None
    most_v: float | None = None
    pulses_per_km: float | None = None
    pull_up: bool | None = None  # giving: it needs one; taking: it has one


@dataclass(frozen=True)
class Stage:
    """A sensor, conditioner, module or gauge. The first takes nothing, the last gives nothing."""

    name: str
    takes: Side | None
    gives: Side | None


@dataclass(frozen=True)
class Mismatch:
    """The first pair of stages that do not go together."""

    giver: str
    taker: str
    sentence: str
    do: str


_SAME_PULSES = 0.005  # of the number: nearer than any display shows


def first_mismatch(stages: Sequence[Stage]) -> Mismatch | None:
    """The first mismatch along the chain, or None."""
    for giver, taker in pairwise(stages):
        gives, takes = giver.gives, taker.takes
        if gives is None or takes is None:
            return Mismatch(
                giver.name, taker.name, f"Nobody said what {giver.name} gives or {taker.name} takes.", "Look both up."
            )
        told = _mismatch(gives, takes)
        if told is not None:
            sentence, do = told
            return Mismatch(giver.name, taker.name, f"{giver.name} {sentence} {taker.name}.", do)
    return None


def _mismatch(gives: Side, takes: Side) -> tuple[str, str] | None:
    if gives.form is not takes.form:
        fit = (
            "Fit a squaring conditioner between them."
            if (gives.form, takes.form) == (Form.SINE, Form.SQUARE)
            else f"A converter from {gives.form} to {takes.form} is needed."
        )
        return f"gives a {gives.form}, and a {takes.form} is taken by", fit
    if gives.most_v is not None and takes.most_v is not None and gives.most_v > takes.most_v:
        return f"gives up to {gives.most_v:g} V, more than the {takes.most_v:g} V of", "Put a divider before it."
    if gives.most_v is not None and takes.least_v is not None and gives.most_v < takes.least_v:
        return (
            f"gives at most {gives.most_v:g} V, less than the {takes.least_v:g} V that are needed by",
            "It never switches: use a conditioner that gives more.",
        )
    if gives.pulses_per_km is not None and takes.pulses_per_km is not None:
        ratio = takes.pulses_per_km / gives.pulses_per_km
        if abs(ratio - 1) > _SAME_PULSES:
            return (
                f"gives {gives.pulses_per_km:g} pulses per km, and {takes.pulses_per_km:g} are expected by",
                f"Set a ratio of {ratio:.4g} in the conditioner, or the figure in the display.",
            )
    if gives.pull_up and takes.pull_up is False:
        return "needs a pull-up, and none is in", "Fit a resistor to its supply, or switch the input’s on."
    return None
