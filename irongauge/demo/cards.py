"""A circuit's card for the demo, in one line, and the training board: a practice circuit of every family."""

from __future__ import annotations

from dataclasses import replace

from irongauge.core.measure.units import standard_atmosphere_kpa
from irongauge.core.sensors.circuits import Circuit, Pin, PullUp, Role, SensorType, Stimulus
from irongauge.core.sensors.families import Family
from irongauge.core.sensors.licensed import PartOf
from irongauge.demo.shelf import F150, H3, K41, N10, P10, PT4, R16, S1, T90, V800, W5, uid_of

__all__ = ["card", "training_board"]

_MAKES_VOLTS = {Family.RATIOMETRIC, Family.POTENTIOMETER, Family.COMBO}  # of its supply: such a sensor needs no pull-up
_ROLES = (Role.REFERENCE, Role.RETURN, Role.SIGNAL)
_ATMOSPHERE_KPA = round(standard_atmosphere_kpa(12.0), 1)


def card(
    job: str,
    name: str,
    sensor: SensorType,
    *,
    colours: str,
    stimuli: tuple[Stimulus, ...],
    channel: str,
    cavities: str = "ABC",
    roles: tuple[Role | None, ...] = _ROLES,
    pull_up: PullUp | None = None,
    others_on_reference: str = "",
    shunt_ohm: float | None = None,
    part_of: PartOf = PartOf.NOT_TOLD,
) -> Circuit:
    """A circuit with a pin for each colour, all on a reference of 5 V."""
    pins = tuple(
        Pin(cavity, colour, role) for cavity, colour, role in zip(cavities, colours.split(), roles, strict=True)
    )
    return Circuit(
        uid=uid_of(f"{job}/{name}"),
        name=name,
        family=sensor.family,
        pins=pins,
        reference_v=5.0,
        sensor=sensor,
        stimuli=stimuli,
        part_of=part_of,
        pull_up=pull_up,
        unpulled=pull_up is None and sensor.family in _MAKES_VOLTS,
        live_channel=channel,
        live_full_scale_v=5.0,
        others_on_reference=others_on_reference,
        shunt_ohm=shunt_ohm,
    )


def _state(*labels: str) -> tuple[Stimulus, ...]:
    return tuple(Stimulus(label, None) for label in labels)


def training_board() -> tuple[Circuit, ...]:
    """A circuit of every family, each with something hidden, for the simulator to read."""
    pull_up = PullUp(2200.0, 5.0)
    signal, legs = (Role.SIGNAL, Role.RETURN), (Role.PLUS, Role.MINUS)
    fuel = card(
        "BOARD",
        "Fuel composition",
        F150,
        colours="red black violet",
        stimuli=(Stimulus("known fuel", 10.0),),
        channel="FI 2",
        pull_up=PullUp(4700.0, 5.0),
    )
    exhaust = card(
        "BOARD",
        "Exhaust oxygen",
        W5,
        colours="red black white",
        stimuli=(Stimulus("stopped", 0.0), Stimulus("test gas", 60.0)),
        channel="AI 6",
    )
    intake = card(
        "BOARD",
        "Intake pressure and temperature",
        PT4,
        colours="red black white yellow",
        stimuli=(Stimulus("engine stopped", _ATMOSPHERE_KPA, 18.0), Stimulus("pumped and warmed", 180.0, 60.0)),
        channel="AI 2",
        cavities="1234",
        roles=(*_ROLES, Role.TEMPERATURE),
    )
    loop = card(
        "BOARD",
        "Hydraulic pressure",
        R16,
        colours="red white",
        stimuli=(Stimulus("vented", 0.0), Stimulus("pumped", 1000.0)),
        channel="AI 7",
        cavities="12",
        roles=(Role.REFERENCE, Role.SIGNAL),
        shunt_ohm=150.0,
    )
    coil = card(
        "BOARD",
        "Axle speed",
        V800,
        colours="white green",
        stimuli=_state("turned by hand"),
        channel="FI 1",
        cavities="12",
        roles=legs,
    )
    return (
        card(
            "BOARD",
            "Oil pressure",
            P10,
            colours="red black blue",
            stimuli=(Stimulus("vented", 0.0), Stimulus("pumped", 450.0)),
            channel="AI 3",
            others_on_reference="Pedal position",
        ),
        card(
            "BOARD",
            "Pedal position",
            T90,
            colours="violet brown green",
            stimuli=(Stimulus("up", 0.0), Stimulus("at the stop", 84.0)),
            channel="AI 1",
        ),
        card(
            "BOARD",
            "Coolant temperature",
            N10,
            colours="yellow black",
            stimuli=(Stimulus("cold", 18.0), Stimulus("warm", 80.0)),
            channel="AI 5",
            cavities="12",
            roles=signal,
            pull_up=pull_up,
        ),
        replace(intake, temperature_pull_up=pull_up),
        card(
            "BOARD",
            "Shaft speed",
            H3,
            colours="red black blue",
            stimuli=_state("target away", "target there"),
            channel="DI 2",
            pull_up=PullUp(4700.0, 5.0),
        ),
        replace(fuel, reference_v=12.0, battery_fed=True),
        replace(exhaust, reference_v=12.0, battery_fed=True),
        replace(coil, shielded=True, differential=True),
        replace(loop, reference_v=12.0, battery_fed=True),
        card(
            "BOARD",
            "Exhaust temperature",
            K41,
            colours="green white",
            stimuli=(Stimulus("cold", 20.0), Stimulus("hot", 320.0)),
            channel="TC 1",
            cavities="12",
            roles=legs,
        ),
        card(
            "BOARD",
            "Oil level",
            S1,
            colours="grey black",
            stimuli=_state("float up", "float down"),
            channel="DI 4",
            cavities="12",
            roles=signal,
            pull_up=PullUp(3300.0, 5.0),
        ),
    )
