"""The circuits of the four machines, and what was read on each: as typed, as far as the technician came."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from irongauge.core.measure.units import standard_atmosphere_kpa
from irongauge.core.sensors.circuits import Circuit, PullUp, Role, Stimulus
from irongauge.core.sensors.licensed import PartOf
from irongauge.demo.cards import card
from irongauge.demo.shelf import B25, F150, H3, K41, L50, N10, P10, P250, S1, T90, V800

__all__ = ["CircuitPlan", "de_icer", "groomer", "launcher", "locomotive"]


@dataclass(frozen=True, kw_only=True)
class CircuitPlan:
    """A circuit of the demo and what was read on it: by test point, as typed, as far as the technician came.

    `stimulus` gives what the gauge showed at a point where it was not the planned value. `mistyped` names a test point that
    was first entered wrongly.
    """

    circuit: Circuit
    typed: dict[str, str] = field(default_factory=dict)
    upto: int | None = None
    gauge: str | None = None
    stimulus: dict[int, float] = field(default_factory=dict)
    mistyped: dict[str, str] = field(default_factory=dict)


def _healthy(
    circuit: Circuit, typed_values: str, *, ref: str = "4.98", mated: str = "4.96", drop: str = "9mV"
) -> dict[str, str]:
    """Readings of a good circuit. `typed_values` are, per stimulus, signal volts, live volts and live value."""
    v, r, s = (pin.cavity for pin in circuit.pins)
    values = typed_values.split()
    typed = {
        "battery_v": "12.58",
        "battery_lamp": "bright",
        f"open_v:{v}": ref,
        f"open_v:{r}": "1mV",
        f"open_v:{s}": "4mV" if circuit.pull_up is None else f"{circuit.pull_up.to_v - 0.02:.2f}",
        f"lamp_negative:{v}": "dim",
        f"lamp_negative_v:{v}": "4.90",
        f"lamp_positive:{r}": "bright",
        f"lamp_positive:{s}": "dark",
        f"live_lamp_positive_v:{s}": "5.00",
        f"live_jumped_v:{s}": "0.01",
        f"mated_v:{v}": mated,
        f"mated_v:{r}": drop,
    }
    for point in range(len(circuit.stimuli)):
        signal, live_v, live_value = values[3 * point : 3 * point + 3]
        typed |= {f"mated_v:{s}:{point}": signal, f"live_v::{point}": live_v, f"live_value::{point}": live_value}
    return typed


def launcher() -> list[CircuitPlan]:
    """The boat-launching tractor: one bad return, one sensor that never switches."""
    vented = Stimulus("vented", 0.0)
    brake = card(
        "LT-7",
        "Brake line pressure",
        P10,
        colours="red black blue",
        stimuli=(vented, Stimulus("pedal held", 450.0)),
        channel="AI 3",
        others_on_reference="Throttle position, boost pressure",
        part_of=PartOf.NOTHING,
    )
    winch = card(
        "LT-7",
        "Winch oil pressure",
        P250,
        colours="red/white black yellow",
        stimuli=(Stimulus("drum idle", 0.0), Stimulus("holding the trailer", 12000.0)),
        channel="AI 4",
        cavities="123",
    )
    throttle = card("LT-7", "Throttle position", T90, colours="violet brown green",
                        stimuli=(Stimulus("closed", 0.0), Stimulus("at the stop", 84.0)), channel="AI 1")  # fmt: skip
    boost = card(
        "LT-7",
        "Boost pressure",
        B25,
        colours="red black white",
        stimuli=(Stimulus("engine stopped", round(standard_atmosphere_kpa(12.0), 1)), Stimulus("hand pump", 180.0)),
        channel="AI 2",
        roles=(None, None, None),
        cavities="123",
    )
    wheel = card(
        "LT-7",
        "Axle speed",
        V800,
        colours="white green",
        stimuli=(Stimulus("turned by hand", None),),
        channel="FI 1",
        cavities="12",
        roles=(Role.PLUS, Role.MINUS),
    )
    wheel = replace(wheel, shielded=True, differential=True)
    fuel = card(
        "LT-7",
        "Fuel composition",
        F150,
        colours="red black violet",
        stimuli=(Stimulus("fuel in the tank", 10.0),),
        channel="FI 2",
        pull_up=PullUp(4700.0, 5.0),
    )
    fuel = replace(fuel, reference_v=12.0, battery_fed=True)
    winch_typed = _healthy(winch, "0.69 0.69 11.9 2.51 2.51 125.6", drop="218mV")
    winch_typed["off_ohm:2"] = "38.6"
    boost_typed = _healthy(boost, "1.90 1.89 1.01 3.35 3.34 1.79")
    shaft = (
        card("LT-7", "Propeller shaft speed", H3, colours="red black blue",
                 stimuli=(Stimulus("target away", None), Stimulus("target there", None)), channel="DI 2",
                 pull_up=PullUp(4700.0, 5.0), others_on_reference="Throttle position"))  # fmt: skip
    coolant = card(
        "LT-7",
        "Coolant temperature",
        N10,
        colours="yellow black",
        stimuli=(Stimulus("as it stands", 18.0), Stimulus("warm", 80.0)),
        channel="AI 5",
        cavities="12",
        roles=(Role.SIGNAL, Role.RETURN),
        pull_up=PullUp(2200.0, 5.0),
    )
    return [
        CircuitPlan(circuit=brake),
        CircuitPlan(circuit=winch, typed=winch_typed, gauge="Dial 250 bar"),
        CircuitPlan(circuit=throttle, typed=_healthy(throttle, "0.50 0.50 0.1 4.20 4.19 83.9")),
        CircuitPlan(circuit=boost, typed=boost_typed, upto=6, gauge="Hand pump dial"),
        CircuitPlan(circuit=shaft, typed=_stands_high("A", "B", "C")),
        CircuitPlan(circuit=coolant),
        CircuitPlan(circuit=wheel),
        CircuitPlan(circuit=fuel),
    ]


def _stands_high(v: str, r: str, s: str) -> dict[str, str]:
    """Readings of a Hall switch that never pulls its output down, its wiring good."""
    return {
        "battery_v": "12.58", "battery_lamp": "bright", f"open_v:{v}": "4.98", f"open_v:{r}": "2mV", f"open_v:{s}": "4.97",
        f"lamp_negative:{v}": "dim", f"lamp_negative_v:{v}": "4.90", f"lamp_positive:{r}": "bright",
        f"live_jumped_v:{s}": "0.01", f"mated_v:{v}": "4.96", f"mated_v:{r}": "8mV", f"mated_v:{s}:0": "4.96",
        f"mated_v:{s}:1": "4.96", "live_v::0": "4.96", "live_v::1": "4.96", f"turning_low_v:{s}": "4.95",
        f"turning_high_v:{s}": "4.96",
    }  # fmt: skip


def groomer() -> list[CircuitPlan]:
    """The piste groomer: a tilt sensor stuck in the middle."""
    tilt = card(
        "G-12",
        "Blade tilt angle",
        T90,
        colours="red grey green",
        stimuli=(Stimulus("blade level", 45.0), Stimulus("blade at the left stop", 78.0)),
        channel="X2-1",
    )
    air = card("G-12", "Manifold absolute pressure", B25, colours="red black yellow",
                   stimuli=(Stimulus("engine stopped", round(standard_atmosphere_kpa(1830.0), 1)), Stimulus("hand pump", 180.0)),
                   channel="X2-4")  # fmt: skip
    tiller = card(
        "G-12",
        "Tiller drive pressure",
        P250,
        colours="red blue white",
        stimuli=(Stimulus("tiller stopped", 0.0), Stimulus("relief valve", 21000.0)),
        channel="X2-5",
        cavities="123",
        pull_up=PullUp(100_000.0, 5.0),
    )
    level = card(
        "G-12",
        "Tiller oil level",
        S1,
        colours="grey black",
        stimuli=(Stimulus("float up", None), Stimulus("float down", None)),
        channel="DI 4",
        cavities="12",
        roles=(Role.SIGNAL, Role.RETURN),
        pull_up=PullUp(3300.0, 5.0),
    )
    exhaust = card(
        "G-12",
        "Exhaust temperature",
        K41,
        colours="green white",
        stimuli=(Stimulus("cold", 20.0), Stimulus("idling hot", 320.0)),
        channel="TC 1",
        cavities="12",
        roles=(Role.PLUS, Role.MINUS),
    )
    tilt_typed = _healthy(tilt, "2.49 2.48 44.8 2.50 2.49 45.0")
    air_typed = _healthy(air, "1.53 1.52 0.81 3.36 3.35 1.80")
    tiller_typed = _healthy(tiller, "0.51 0.50 0.3 3.83 3.82 209.4")
    for typed in (tilt_typed, air_typed, tiller_typed):
        typed["battery_v"] = "25.1"
    return [
        CircuitPlan(circuit=tilt, typed=tilt_typed),
        CircuitPlan(circuit=air, typed=air_typed, upto=13, gauge="Hand pump dial", mistyped={"open_v:A": "9.48"}),
        CircuitPlan(circuit=tiller, typed=tiller_typed, gauge="Dial 250 bar"),
        CircuitPlan(circuit=level),
        CircuitPlan(circuit=exhaust),
    ]


def de_icer() -> list[CircuitPlan]:
    """The de-icer: all good."""
    spray = card("D-3", "Spray pressure", P10, colours="red black green",
                     stimuli=(Stimulus("vented", 0.0), Stimulus("pump at idle", 600.0)), channel="CH 7")  # fmt: skip
    level = card(
        "D-3",
        "Tank level arm",
        L50,
        colours="orange black pink",
        stimuli=(Stimulus("tank empty", 0.0), Stimulus("arm lifted by hand", 0.04)),
        channel="CH 8",
        cavities="123",
    )
    boom = card("D-3", "Boom height angle", T90, colours="red brown yellow",
                    stimuli=(Stimulus("boom on its rest", 5.0), Stimulus("boom raised", 70.0)), channel="CH 9")  # fmt: skip
    plans = [
        CircuitPlan(circuit=spray, typed=_healthy(spray, "0.51 0.50 0.02 2.89 2.88 5.99"), gauge="Dial 16 bar",
              mistyped={"mated_v:A": "4.69"}),
        CircuitPlan(circuit=level, typed=_healthy(level, "0.51 0.50 0.1 3.68 3.67 40.1")),
        CircuitPlan(circuit=boom, typed=_healthy(boom, "0.73 0.72 5.1 3.59 3.58 70.2")),
    ]  # fmt: skip
    for plan in plans:
        plan.typed["battery_v"] = "25.3"
    return plans


def locomotive() -> list[CircuitPlan]:
    """The park locomotive: all good."""
    reservoir = card("P-2", "Brake reservoir pressure", P10, colours="red black white",
                         stimuli=(Stimulus("drained", 0.0), Stimulus("compressor cut-out", 750.0)), channel="IN 11",
                         part_of=PartOf.NOTHING)  # fmt: skip
    regulator = card("P-2", "Regulator handle position", T90, colours="red black green",
                         stimuli=(Stimulus("shut", 0.0), Stimulus("full open", 88.0)), channel="IN 12")  # fmt: skip
    return [
        CircuitPlan(
            circuit=reservoir,
            typed=_healthy(reservoir, "0.50 0.50 0.01 3.48 3.47 7.48"),
            gauge="Dial 16 bar",
        ),
        CircuitPlan(circuit=regulator, typed=_healthy(regulator, "0.49 0.49 -0.2 4.38 4.37 88.2")),
    ]
