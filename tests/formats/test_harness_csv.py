"""Lists of places, wires, pins and cavities: written and read back, as people write them, and every bad line told at once."""

from __future__ import annotations

import pytest

from irongauge.core.plan.harness import Harness
from irongauge.core.plan.modules import PinKind, PullUpFitted
from irongauge.core.sensors.licensed import PartOf
from irongauge.demo.planned import MODULES
from irongauge.errors import BadListError
from irongauge.formats.harness_csv import (
    read_cavities,
    read_nodes,
    read_pins,
    read_wires,
    write_cavities,
    write_nodes,
    write_pins,
    write_wires,
)

NODES = "X1,connector,2,3,behind the seat\nOil,sensor\n"
WIRES = "1,Oil:A,X1:3,red,0.5,1.25,\n2,Oil:B,X1:4,black,,0.8,drained at the controller\n"


def test_a_harness_is_written_and_read_back():
    harness = Harness(read_nodes(NODES), read_wires(WIRES))
    assert (read_nodes(write_nodes(harness)), read_wires(write_wires(harness))) == (harness.nodes, harness.wires)
    assert (harness.wires[1].area_mm2, harness.wires[1].length_m, str(harness.wires[0].end)) == (0.5, 0.8, "X1:3")


def test_what_a_place_takes_and_a_wire_is_part_of_is_written_and_read_back():
    heading = "place,kind,rows,columns,note,min,cover,cover min,put into,towards"
    nodes = f"{heading}\nX1,connector,2,3,,4,seat,12\nT1,adapter,1,3,,,,,Oil\n"
    wires = "1,Oil:A,X1:3,red,0.5,1.25,,none of these\n2,Oil:B,X1:4,black,,0.8,,Airbag\n3,Oil:C,X1:5,black,,0.8\n"
    harness = Harness(read_nodes(nodes), read_wires(wires))
    assert (read_nodes(write_nodes(harness)), read_wires(write_wires(harness))) == (harness.nodes, harness.wires)
    x1, t1 = harness.nodes
    assert (x1.minutes, x1.cover, x1.cover_minutes, t1.minutes, t1.plug) == (4.0, "seat", 12.0, 1.0, "Oil")
    assert [wire.part_of for wire in harness.wires] == [PartOf.NOTHING, PartOf.RESTRAINT, PartOf.NOT_TOLD]
    assert write_wires(Harness((), harness.wires[2:])).splitlines()[1] == "3,Oil:C,X1:5,black,0.5,0.8"


def test_a_cell_that_no_column_is_for_is_told_and_not_lost():
    for text in ("wire,from,to,length_m\n7,Oil:A,X1:1,2,airbags", "7,Oil:A,X1:1,red,0.75,2,,none of these,more"):
        with pytest.raises(BadListError, match="cells, and there are"):
            read_wires(text)


@pytest.mark.parametrize("kind", MODULES, ids=lambda k: k.name)
def test_pins_are_written_and_read_back(kind):
    assert read_pins(write_pins(kind.pins)) == kind.pins


def test_cavities_are_written_and_read_back():
    cavities = read_cavities("1;red;Reference\n2;black, thin;\n3\n", "ours")
    assert [(c.number, c.colour, c.function) for c in cavities] == [
        ("1", "red", "Reference"), ("2", "black, thin", ""), ("3", "", "")]  # fmt: skip
    assert read_cavities(write_cavities(cavities), "ours") == cavities


@pytest.mark.parametrize(
    "text",
    [
        "wire,from,to,colour,mm2,length_m\n7,Oil:A,X1:1,red,0.75,2",
        "Length (m);Color;To;From;ID;Size\n2;red;X1:1;Oil:A;7;0,75",
        "from\tto\tlength\twire no\tmm²\tcolor\nOil:A\tX1:1\t2\t7\t0.75\tred",
        "7|Oil:A|X1:1|red|0.75|2",
        "7,Oil:A,X1:1,red,0.75,2\n\n",
    ],
    ids=["ours", "semicolons and decimal commas", "tabs and mm²", "strokes", "blank lines"],
)
def test_the_ways_people_write_a_list_are_read(text):
    (wire,) = read_wires(text)
    assert (wire.name, str(wire.start), str(wire.end), wire.colour) == ("7", "Oil:A", "X1:1", "red")
    assert (wire.area_mm2, wire.length_m) == (0.75, 2.0)


def test_every_bad_line_is_told_at_once_and_the_rest_is_counted():
    bad = "\n".join(f"{n},Oil:A,X1:1,red,0.5,{'zero' if n % 10 == 3 else 1}" for n in range(100))
    with pytest.raises(BadListError) as refused:
        read_wires(bad)
    assert len(refused.value.problems) == 10
    assert refused.value.problems[0].startswith("Line 4: “zero” is not")
    with pytest.raises(BadListError) as refused:
        read_wires(bad.replace(",1\n", ",x\n"))
    assert refused.value.problems[-1].startswith("And ")


@pytest.mark.parametrize(
    ("read", "text", "says"),
    [
        (read_wires, "1,Oil:A,,red,0.5,1", "goes from one end to another"),
        (read_wires, "1,Oil:A,X1:1,red,0.5,1,,engine", "is not one of: not told, none of these, airbags"),
        (read_nodes, "X1,connector,1,2,,soon", "not a plain number"),
        (read_nodes, "X1,connector,1,2,,3,,8", "what comes off in 8 min needs a name"),
        (read_nodes, "X1,connector,1,2,,,,,Oil", "only an adapter is put into a plug"),
        (read_wires, "1,Oil:A,X1:1,red,0.5,0", "0.001"),
        (read_wires, "1,Oil:A,Oil:A,red,0.5,1", "begins and ends at Oil:A"),
        (read_wires, "1,Oil:A,X1:1,red,-2,1", "from 0.05 to 500"),
        (read_wires, "x" * 50 + ",Oil:A,X1:1,red,1,1", "too long for a wire’s name"),
        (read_nodes, "X1,plug", "is not one of: sensor, connector"),
        (read_nodes, "X1,connector,99", "from 1 to 20"),
        (read_nodes, ",sensor", "needs one, without a colon"),
        (read_pins, "A1,analogue,5,10,fixed", "has ohms and volts"),
        (read_pins, "A1,antenna", "is not one of: analogue"),
        (read_pins, "A1,reference", "says its volts"),
        (read_wires, "1,a:1,b:1,red,1,1\n" * 10_002, "10000 are the most"),
        (lambda text: read_cavities(text, "ours"), ",red", "has a number"),
    ],
)
def test_what_cannot_be_is_told_with_its_line(read, text, says):
    with pytest.raises(BadListError) as refused:
        read(text)
    assert says in str(refused.value)


def test_a_list_may_be_empty_and_a_pin_may_say_little():
    assert read_wires("  \n\n") == ()
    (pin,) = read_pins("A1,analogue")
    assert (pin.kind, pin.pull_up, pin.most_v) == (PinKind.ANALOGUE, PullUpFitted.NONE, None)
