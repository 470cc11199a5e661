"""The solver against hand calculations, against itself, and against ngspice on generated circuits."""

import re
import shutil
import subprocess

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.diagnosis.network import GROUND, Network, NetworkError


def test_a_divider_divides():
    net = Network()
    net.source("top", 12.0, 1000.0)
    net.resistor("top", GROUND, 2000.0)
    assert net.solve()["top"][0] == pytest.approx(8.0, abs=1e-4)


def test_a_pull_up_and_a_thermistor_make_the_published_volts():
    """10 kΩ at 25 °C, beta 3435, at 80 °C is 1662.4 Ω; with 2.2 kΩ to 5 V that is 2.1521 V (hand calculation)."""
    net = Network()
    net.source("signal", 5.0, 2200.0)
    net.resistor("signal", GROUND, 1662.4)
    assert net.solve()["signal"][0] == pytest.approx(2.1521, abs=1e-4)


def test_a_lamp_takes_its_rated_current_and_more_than_its_share_when_dim():
    net = Network(2)
    net.source("top", np.array([12.0, 5.0]), 1e-3)
    net.lamp("top", GROUND)
    current = (np.array([12.0, 5.0]) - net.solve()["top"]) / 1e-3
    assert current[0] == pytest.approx(0.12, rel=1e-3)
    assert current[1] == pytest.approx(0.12 * (5 / 12) ** 0.55, rel=2e-2)  # tungsten: I ∝ V^0.55


def test_a_reference_holds_under_the_lamp_and_a_bias_collapses():
    net = Network(2)
    net.source("pin", np.array([5.0, 5.0]), np.array([1.0, 10_000.0]))
    net.lamp("pin", GROUND)
    held, collapsed = net.solve()["pin"]
    assert held > 4.9
    assert collapsed < 0.05


def test_a_supply_limits_its_current_and_takes_none_back():
    net = Network(3)
    net.supply("rail", 5.0, 0.5, limit_a=0.2)
    net.resistor("rail", GROUND, np.array([1000.0, 1.0, 1e6]))
    net.source("rail", np.array([0.0, 0.0, 12.0]), np.array([1e9, 1e9, 100.0]))
    free, shorted, lifted = net.solve()["rail"]
    assert free == pytest.approx(5.0, abs=5e-3)
    assert shorted == pytest.approx(0.2, rel=0.02), "200 mA into one ohm"
    assert lifted == pytest.approx(12.0, abs=0.05), "a regulator that cannot sink is lifted by battery volts"


def test_clamps_hold_an_input_between_its_rails():
    net = Network(2)
    net.source("input", np.array([12.0, -3.0]), 10_000.0)
    net.clamp_above("input", 5.3, 10.0)
    net.clamp_below("input", -0.3, 10.0)
    high, low = net.solve()["input"]
    assert high == pytest.approx(5.3, abs=0.04)  # a clamp is as soft as its corner
    assert low == pytest.approx(-0.3, abs=0.04)


def test_a_node_that_nothing_holds_is_at_ground():
    net = Network()
    net.resistor("loose", "end", 100.0)
    solution = net.solve()
    assert solution["loose"][0] == 0.0
    assert solution.across("loose", "end")[0] == 0.0


@pytest.mark.parametrize("ohm", [0.0, -5.0, np.array([1.0, 0.0])])
def test_a_wire_without_resistance_is_refused(ohm):
    with pytest.raises(NetworkError, match="a real one has more than none"):
        Network(2).resistor("a", "b", ohm)


@given(st.integers(0, 10_000))
def test_solving_together_is_solving_one_by_one(seed):
    both = generated(np.random.default_rng(seed), n=3)
    together = both.solve()
    for sample in range(3):
        alone = generated(np.random.default_rng(seed), n=3, only=sample).solve()
        for node, volts in alone.volts.items():
            assert volts[0] == pytest.approx(together[node][sample], abs=1e-6)


@given(st.integers(0, 10_000))
def test_current_into_every_node_is_current_out_of_it(seed):
    """Kirchhoff's law, seen from outside: a source's current is what the rest of the network takes."""
    rng = np.random.default_rng(seed)
    net = Network()
    ohms = rng.uniform(10, 1e4, 3)
    net.source("a", 12.0, ohms[0])
    net.lamp("a", "b")
    net.resistor("b", GROUND, ohms[1])
    net.supply("b", 5.0, 1.0, limit_a=0.1)
    net.resistor("b", GROUND, ohms[2])
    v = {node: volts[0] for node, volts in net.solve().volts.items()}
    lamp_a = (12.0 - v["a"]) / ohms[0]
    taken_a = v["b"] / ohms[1] + v["b"] / ohms[2]
    given_a = min(max(5.0 - v["b"], 0.0), 0.1)
    assert lamp_a + given_a == pytest.approx(taken_a, abs=2e-3)


def generated(rng, n=1, only=None):
    """A sensor circuit with a random fault: reference, others on it, wires, sensor, clamped input, lamp or meter."""

    def values(low, high):
        drawn = np.exp(rng.uniform(np.log(low), np.log(high), n))
        return drawn if only is None else drawn[only : only + 1]

    net = Network(n if only is None else 1)
    net.source("battery", values(11.5, 14.0), 0.02)
    net.source("earth", values(0.001, 0.02), 0.05)
    net.supply("rail", values(4.9, 5.1), values(0.3, 1.0), limit_a=values(0.08, 0.3), to="earth")
    net.resistor("rail", "earth", values(200, 2000))
    wires = [values(0.05, 0.5) for _ in range(3)]
    fault = int(rng.integers(0, 8))
    if fault in {1, 2, 3}:
        wires[fault - 1] = values(5, 1e7)
    for wire, (inside, outside) in zip(wires, (("rail", "A"), ("earth", "B"), ("input", "C")), strict=True):
        net.resistor(inside, outside, wire)
    shorts = {4: ("C", GROUND), 5: ("A", "battery"), 6: ("A", "C"), 7: ("rail", GROUND)}
    if fault in shorts:
        net.resistor(*shorts[fault], values(0.2, 50))
    if rng.random() < 0.5:
        net.source("input", values(3.3, 5.0), values(1e3, 1e5), to="earth")
    else:
        net.resistor("input", "earth", values(1e4, 1e6))
    net.resistor("input", "pad", 10_000.0)
    net.clamp_above("pad", 5.3, 20.0, to="earth")
    net.clamp_below("pad", -0.3, 20.0, to="earth")
    if rng.random() < 0.6:
        net.resistor("A", "C", values(500, 5000))
        net.resistor("C", "B", values(500, 5000))
    pin, end = rng.choice(["A", "B", "C"]), rng.choice(["battery", GROUND])
    if rng.random() < 0.6:
        net.lamp(str(pin), str(end))
    net.resistor(str(pin), GROUND, 1e7)
    return net


def spice(net, sample):
    netlist = net.to_spice(sample)
    done = subprocess.run(["ngspice", "-b"], input=netlist, capture_output=True, text=True, check=False, timeout=60)
    return {name: float(value) for name, value in re.findall(r"^v\((\w+)\)\[last\] = (\S+)", done.stdout, re.MULTILINE)}


def test_ngspice_agrees_on_generated_circuits():
    """48 circuits, healthy and with one of seven faults, to 2 mV or 0.2 % at every node."""
    assert shutil.which("ngspice"), "./iron test installs ngspice"
    compared = 0
    for seed in range(48):
        net = generated(np.random.default_rng(seed))
        ours, theirs = net.solve(), spice(net, 0)
        assert theirs, f"ngspice gave nothing for circuit {seed}"
        for node, volts in theirs.items():
            name = next(n for n in ours.volts if n.lower() == node)
            assert ours[name][0] == pytest.approx(volts, abs=2e-3, rel=2e-3), f"circuit {seed}, node {name}"
            compared += 1
    assert compared > 48 * 7
