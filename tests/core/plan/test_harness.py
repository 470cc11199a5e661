"""The wiring as a graph: paths, faces, lists that contradict themselves; lengths to cut; two harnesses put together."""

from __future__ import annotations

from dataclasses import replace

import pytest

from irongauge.core.plan.cutting import bundle_of, cut_list, wire_diameter_mm
from irongauge.core.plan.harness import End, FaceSide, Harness, Node, NodeKind, Wire, face_order
from irongauge.core.plan.marrying import Cavity, MatchedBy, marry
from irongauge.core.sensors.licensed import PartOf

SENSOR, SPLICE, MODULE = (
    Node(name=name, kind=kind)
    for name, kind in (("Oil", NodeKind.SENSOR), ("S1", NodeKind.SPLICE), ("ECU", NodeKind.MODULE))
)
X1, X2 = (Node(name=name, kind=NodeKind.CONNECTOR, rows=2, columns=3) for name in ("X1", "X2"))


def wire(name, start, end, length_m=1.0, **more):
    a, b = (End(*text.split(":")) for text in (start, end))
    return Wire(name=name, start=a, end=b, length_m=length_m, **more)


GOOD = Harness(
    (SENSOR, X1, X2, SPLICE, MODULE),
    (
        wire("1", "Oil:A", "X1:1", 0.4, colour="red"),
        wire("2", "X1:1", "X2:4", 2.0, colour="red"),
        wire("3", "X2:4", "S1", 0.3, colour="pink"),
        wire("4", "S1", "ECU:A12", 1.1),
        wire("5", "S1", "ECU:B2", 0.1),
    ),
)


def test_a_path_goes_through_connectors_and_splices_to_the_pin():
    assert GOOD.problems == ()
    path = GOOD.path(End("Oil", "A"), End("ECU", "A12"))
    assert [w.name for w in path.wires] == ["1", "2", "3", "4"]
    assert path.length_m == pytest.approx(3.8)
    assert path.colours == ("red", "pink")
    assert [str(end) for end in path.ends] == ["Oil:A", "X1:1", "X2:4", "S1", "ECU:A12"]
    assert GOOD.path(End("Oil", "A"), End("ECU", "Z9")) is None
    assert GOOD.reached_from(End("ECU", "B2")) == GOOD.reached_from(End("Oil", "A"))
    assert GOOD.reached_from(End("Oil", "B")) == ()


def test_the_next_place_to_measure_is_the_connector_that_halves_the_way():
    """0.4 m before X1, 2.4 m before X2, of 3.8 m."""
    path = GOOD.path(End("Oil", "A"), End("ECU", "A12"))
    assert str(GOOD.next_place(path).end) == "X2:4"
    assert GOOD.next_place(GOOD.path(End("ECU", "A12"), End("ECU", "B2"))) is None


@pytest.mark.parametrize(
    ("wires", "says"),
    [
        ([wire("9", "Oil:B", "X7:1")], "Wire 9 goes to X7, which is not there."),
        ([wire("9", "Oil:B", "X1:7")], "Wire 9: X1 has no cavity 7."),
        ([wire("9", "Oil:B", "X1")], "Wire 9: X1 has no cavity (none typed)."),
        ([wire("1", "Oil:B", "X1:2")], "Wire 1 is there twice."),
        ([wire("9", "Oil:B", "X1:1")], "Cavity X1:1 has 3 wires: 1, 2, 9."),
        ([wire("9", "Oil:A", "ECU:B2")], "Wires make a loop: 1, 2, 3, 5, 9."),
        ([wire("9", "X1:1", "X2:4")], "Wires make a loop: 2, 9."),
    ],
)
def test_lists_that_contradict_themselves_are_told(wires, says):
    assert any(says in problem for problem in replace(GOOD, wires=(*GOOD.wires, *wires)).problems)


def test_a_cavity_takes_a_wire_on_each_half_and_no_third_from_either_side():
    third = wire("9", "X1:1", "Oil:B")
    assert any("Cavity X1:1 has 3 wires: 1, 2, 9" in p for p in replace(GOOD, wires=(*GOOD.wires, third)).problems)
    assert GOOD.problems == (), "two are as it should be"


def test_a_way_that_ends_at_a_connector_is_not_halved_there():
    assert str(GOOD.next_place(GOOD.path(End("Oil", "A"), End("X2", "4"))).end) == "X1:1"
    assert GOOD.next_place(GOOD.path(End("Oil", "A"), End("X1", "1"))) is None


@pytest.mark.parametrize(
    ("rows", "columns", "may"), [(1, 1, True), (20, 100, True), (21, 1, False), (1, 101, False), (1, 0, False)]
)
def test_a_connector_has_as_many_cavities_as_plugs_have(rows, columns, may):
    if may:
        assert Node(name="X", kind=NodeKind.CONNECTOR, rows=rows, columns=columns).rows == rows
    else:
        with pytest.raises(ValueError, match="1 to 20 rows of 1 to 100 cavities"):
            Node(name="X", kind=NodeKind.CONNECTOR, rows=rows, columns=columns)


def test_an_adapter_has_cavities_like_a_connector():
    adapter = Node(name="T1", kind=NodeKind.ADAPTER, columns=4)
    through = Harness(
        (SENSOR, adapter, MODULE),
        (wire("1", "Oil:A", "T1:1"), wire("2", "T1:1", "ECU:A1"), wire("3", "T1:4", "ECU:B1")),
    )
    assert through.problems == ()
    assert str(through.next_place(through.path(End("Oil", "A"), End("ECU", "A1"))).end) == "T1:1"
    assert through.empty_cavities("T1") == ("2", "3")


IN_PLUG = Node(name="T1", kind=NodeKind.ADAPTER, columns=4, plug="Oil")


def test_an_adapter_put_into_a_sensors_plug_stands_on_its_way():
    with_tap = Harness((*GOOD.nodes, IN_PLUG), (*GOOD.wires, wire("9", "T1:4", "ECU:B1", 2.0)))
    assert with_tap.problems == ()
    path = with_tap.path(End("Oil", "A"), End("ECU", "A12"))
    assert [str(end) for end in path.ends] == ["Oil:A", "T1:1", "X1:1", "X2:4", "S1", "ECU:A12"], (
        "pin A is its first cavity"
    )
    assert path.length_m == pytest.approx(3.85)
    assert with_tap.reached_from(End("T1", "4")) == (End("ECU", "B1"), End("T1", "4"))
    assert path.colours == ("red", "pink")


@pytest.mark.parametrize(
    ("side", "way"),
    [
        ("Oil", ["Oil:A", "X1:1", "T1:4", "X2:4", "S1", "ECU:A12"]),
        ("X1", ["Oil:A", "X1:1", "T1:4", "X2:4", "S1", "ECU:A12"]),
        ("ECU", ["Oil:A", "X1:1", "X2:4", "T1:4", "S1", "ECU:A12"]),
    ],
)
def test_an_adapter_in_a_connector_stands_on_the_side_it_was_put_in(side, way):
    adapter = Node(name="T1", kind=NodeKind.ADAPTER, rows=2, columns=3, plug="X2", side=side)
    path = Harness((*GOOD.nodes, adapter), GOOD.wires).path(End("Oil", "A"), End("ECU", "A12"))
    assert [str(end) for end in path.ends] == way


@pytest.mark.parametrize(
    ("adapter", "says"),
    [
        (replace(IN_PLUG, plug="X9"), "T1 is put into X9, which is no sensor and no connector here."),
        (replace(IN_PLUG, plug="S1"), "T1 is put into S1, which is no sensor and no connector here."),
        (replace(IN_PLUG, plug="X2"), "T1 is put into X2: on which side?"),
        (replace(IN_PLUG, plug="X2", side="Moon"), "T1 is put in towards Moon, which is not there."),
        (replace(IN_PLUG, plug="X2", side="ECU", columns=2), "T1 has 2 cavities: none for X2 4."),
    ],
)
def test_an_adapter_in_no_plug_is_told(adapter, says):
    assert any(says in problem for problem in Harness((*GOOD.nodes, adapter), GOOD.wires).problems)


def test_nothing_is_measured_on_a_way_of_licensed_work():
    for part_of, name in ((PartOf.RESTRAINT, "2"), (PartOf.NOT_TOLD, "Squib feed"), (PartOf.BRAKES, "2")):
        wires = tuple(replace(w, name=name, part_of=part_of) if w.name == "2" else w for w in GOOD.wires)
        left = replace(GOOD, wires=wires)
        assert left.next_place(left.path(End("Oil", "A"), End("ECU", "A12"))) is None
    wires = tuple(replace(w, name="Brake gauge", part_of=PartOf.NOTHING) if w.name == "2" else w for w in GOOD.wires)
    assert replace(GOOD, wires=wires).next_place(GOOD.path(End("Oil", "A"), End("ECU", "A12"))) is not None


def test_places_are_named_once_and_possible():
    assert "X1 is named twice." in replace(GOOD, nodes=(*GOOD.nodes, X1)).problems
    for make in (
        lambda: wire("9", "Oil:A", "Oil:A"), lambda: wire("9", "Oil:A", "X1:1", 0.0), lambda: Node(name="", kind=NodeKind.SENSOR),
        lambda: Node(name="a:b", kind=NodeKind.SENSOR), lambda: Node(name="X", kind=NodeKind.CONNECTOR, plug="Oil"),
        lambda: Node(name="X", kind=NodeKind.CONNECTOR, cover_minutes=3.0),
        lambda: Node(name="X", kind=NodeKind.CONNECTOR, rows=0),
        lambda: wire("9", "Oil:A", "X1:1", area_mm2=-1.0),
    ):  # fmt: skip
        with pytest.raises(ValueError, match=r"."):
            make()


def test_a_face_is_mirrored_from_the_other_side():
    assert face_order(X1, FaceSide.WIRES) == (("1", "2", "3"), ("4", "5", "6"))
    assert face_order(X1, FaceSide.MATING) == (("3", "2", "1"), ("6", "5", "4"))
    assert GOOD.empty_cavities("X1") == ("2", "3", "4", "5", "6")


def test_lengths_are_cut_with_slack_from_left_over_ends_first():
    """1 m and 5 % and two loops of 0.1 m are 1.25 m; the end of 1.4 m serves, and 0.15 m of it is no pigtail."""
    wires = [wire("a", "Oil:A", "X1:1", 1.0, colour="red"), wire("b", "Oil:B", "X1:2", 2.0, colour="red")]
    cut = cut_list(wires, ends=[("red, 0.5 mm²", 1.4), ("red, 0.5 mm²", 0.9)])
    assert [(c.wire.name, round(c.length_m, 3), c.source) for c in cut.cuts] == [
        ("b", 2.3, "the roll"), ("a", 1.25, "the left-over end of 1.40 m")]  # fmt: skip
    assert [(kind, round(metres, 9)) for kind, metres in cut.rolls] == [("red, 0.5 mm²", 2.3)]
    assert cut.spares == (("red, 0.5 mm²", 0.9),)
    assert cut.pigtails == (("red, 0.5 mm²", 3),)
    assert cut_list([], ends=[("red, 1 mm²", 0.29), ("pink, 1 mm²", 0.3), ("pink, 1 mm²", 0.7)]).pigtails == (
        ("pink, 1 mm²", 3),
    )


def test_a_bundle_is_as_thick_as_its_circle_at_seven_tenths():
    """Seven of 1.6 mm: √(7·1.6²/0.7) = 5.06 mm, a sleeve of 8 (0.8 of it is 6.4), a hole of 9."""
    bundle = bundle_of([0.5] * 7)
    assert bundle.diameter_mm == pytest.approx(5.060, abs=1e-3)
    assert (bundle.sleeve_mm, bundle.hole_mm) == (8, 9)
    assert bundle_of([0.5]).diameter_mm == wire_diameter_mm(0.5) == 1.6
    assert bundle_of([25.0] * 60).sleeve_mm is None


OURS = [
    Cavity("1", "red", "Reference"), Cavity("2", "black", "Sensor ground"), Cavity("3", "green", ""), Cavity("4"),
    Cavity("5", "blue", "Backlight"), Cavity("9", "white", ""),
]  # fmt: skip
THEIRS = [
    Cavity("A", "pink", "reference"), Cavity("B", "red", "sensor-ground"), Cavity("3", "brown", "Lamp"),
    Cavity("D", "white", ""), Cavity("E"),
]  # fmt: skip


def test_two_harnesses_are_matched_by_function_then_number_then_colour():
    rows = marry(OURS, THEIRS)
    got = [(r.ours.number if r.ours else None, r.theirs.number if r.theirs else None, r.by) for r in rows]
    assert got == [
        ("1", "A", MatchedBy.FUNCTION), ("2", "B", MatchedBy.FUNCTION), ("3", "3", MatchedBy.NUMBER),
        ("4", None, MatchedBy.NOTHING), ("5", None, MatchedBy.NOTHING), ("9", "D", MatchedBy.COLOUR),
    ]  # fmt: skip


def test_what_contradicts_is_told_beside_its_row():
    rows = {row.ours.number: row.notes for row in marry(OURS, THEIRS)}
    assert "Same colour, other function: their red in B is sensor-ground." in rows["1"]
    assert "The colour changes on the way: red to pink. Label both." in rows["1"]
    assert rows["4"] == ("Empty: put a plug in.",)
    assert rows["5"] == ("Nothing on the other side fits it: look it up.",)


def test_a_function_on_both_sides_is_never_matched_by_its_number():
    rows = marry([Cavity("1", "red", "Oil")], [Cavity("1", "red", "Fuel")])
    assert [row.by for row in rows] == [MatchedBy.NOTHING, MatchedBy.NOTHING]
    assert rows[1].notes == ("Nothing on our side: cap it, or find what it is for.",)
