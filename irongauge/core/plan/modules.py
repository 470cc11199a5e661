"""Modules that read sensors and drive things, as their makers sell them: pins with kind, range, pull-up and limits."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from uuid import UUID

__all__ = ["INPUTS", "FittedModule", "ModuleKind", "ModulePin", "ModuleType", "PinKind", "PullUpFitted", "Shows"]


class ModuleKind(StrEnum):
    """What a module is for."""

    CONTROLLER = "controller"
    DISPLAY = "display"
    LOGGER = "logger"
    EXPANSION = "expansion module"


class PinKind(StrEnum):
    """What a pin of a module is."""

    ANALOGUE = "analogue"
    DIGITAL = "digital"
    FREQUENCY = "frequency"
    THERMOCOUPLE = "thermocouple"
    BUS = "bus"
    OUTPUT = "output"
    REFERENCE = "reference"
    SENSOR_GROUND = "sensor ground"
    POWER = "power"


INPUTS = (PinKind.ANALOGUE, PinKind.DIGITAL, PinKind.FREQUENCY, PinKind.THERMOCOUPLE, PinKind.BUS)


class PullUpFitted(StrEnum):
    """Whether an input has a resistor to a supply inside the module."""

    NONE = "none"
    FIXED = "fixed"
    SWITCHABLE = "switchable"


class Shows(StrEnum):
    """What a module can show of a value."""

    ENGINEERING = "engineering value"
    VOLTS = "raw volts only"
    NOTHING = "nothing"


@dataclass(frozen=True, kw_only=True)
class ModulePin:
    """One pin. `most_v` is the greatest volts that an input takes; `bits` those of its converter, None where it has none.

    A reference says its volts and the mA that it can give. Figures that do not apply are None.
    """

    name: str
    kind: PinKind
    most_v: float | None = None
    bits: int | None = None
    pull_up: PullUpFitted = PullUpFitted.NONE
    pull_up_ohm: float | None = None
    pull_up_v: float | None = None
    reference_v: float | None = None
    reference_ma: float | None = None

    def __post_init__(self) -> None:
        has_figures = self.pull_up_ohm is not None and self.pull_up_v is not None
        if (self.pull_up is not PullUpFitted.NONE) != has_figures:
            msg = f"pin {self.name}: a pull-up has ohms and volts, and only a pull-up"
            raise ValueError(msg)
        if self.pull_up is not PullUpFitted.NONE and self.kind not in INPUTS:
            msg = f"pin {self.name}: only an input has a pull-up"
            raise ValueError(msg)
        if (self.kind is PinKind.REFERENCE) != (self.reference_v is not None):
            msg = f"pin {self.name}: a reference says its volts, and only a reference"
            raise ValueError(msg)
        if any(figure is not None and figure <= 0 for figure in (
            self.most_v, self.pull_up_ohm, self.pull_up_v, self.reference_v, self.reference_ma,
        )):  # fmt: skip
            msg = f"pin {self.name}: its volts, ohms and mA are positive"
            raise ValueError(msg)

    @property
    def is_input(self) -> bool:
        """True for a pin that reads something."""
        return self.kind in INPUTS


@dataclass(frozen=True, kw_only=True)
class ModuleType:
    """A module as its maker sells it."""

    uid: UUID
    name: str
    maker: str = ""
    kind: ModuleKind = ModuleKind.CONTROLLER
    shows: Shows = Shows.ENGINEERING
    pins: tuple[ModulePin, ...] = ()

    def __post_init__(self) -> None:
        names = [pin.name for pin in self.pins]
        if not names:
            msg = "a module has at least one pin"
            raise ValueError(msg)
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            msg = f"pin {twice} is named twice"
            raise ValueError(msg)

    @property
    def inputs(self) -> tuple[ModulePin, ...]:
        """Its pins that read something."""
        return tuple(pin for pin in self.pins if pin.is_input)


@dataclass(frozen=True)
class FittedModule:
    """A module in a vehicle, with the name that it has there."""

    uid: UUID
    name: str
    type: ModuleType
