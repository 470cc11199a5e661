"""A vehicle's wiring as a graph: sensors, connectors with numbered cavities, splices, module pins, and the wires between them.

A node is written `X12` for a connector, or any name of a splice, sensor or module; an end is a node and a cavity. Inside a
connector a wire goes on in the cavity of the same number on its other half, so that both halves are one node here. Paths are the
shortest by length. Read from CSV, every problem of a list is told at once.

An adapter may be put into a plug, on its one side: then every wire of that side goes through it, and it is a place to measure.
"""

from __future__ import annotations

import itertools
from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cached_property
from typing import TYPE_CHECKING

from irongauge.core.plan.halving import Spot, next_spot
from irongauge.core.sensors.licensed import Licence, PartOf, licence_of

if TYPE_CHECKING:
    import networkx as nx

__all__ = ["WITH_CAVITIES", "End", "FaceSide", "Harness", "NextPlace", "Node", "NodeKind", "Path", "Wire", "face_order"]


class NodeKind(StrEnum):
    """What a wire can end at."""

    SENSOR = "sensor"
    CONNECTOR = "connector"
    # Sits between a sensor and its own plug: what passes through keeps its cavity, the tap has one more.
    ADAPTER = "adapter"
    SPLICE = "splice"
    GROMMET = "grommet"
    MODULE = "module"
    GROUND = "ground"
    FEED = "feed"


WITH_CAVITIES = (NodeKind.CONNECTOR, NodeKind.ADAPTER)
_CONNECTOR_MIN, _ADAPTER_MIN = (
    3.0,
    1.0,
)  # to get at it and measure: defaults of the shop; an adapter has its tap outside
_THROUGH_M = 0.05  # an adapter from one side to the other


class FaceSide(StrEnum):
    """From which side a connector's face is looked at."""

    WIRES = "wire side"
    MATING = "mating side"


@dataclass(frozen=True, kw_only=True)
class Node:
    """A place where wires end. A connector has `rows` of `columns` cavities, numbered along the rows seen from the wires.

    `note` says where it is and what is near: heat, a belt, a pedal. `reach_minutes` is what getting at it and measuring there
    takes, `cover` what must come off first, in `cover_minutes` with putting it back. An adapter may sit in a `plug`, a sensor's
    or a connector's, on the `side` that leads to a place of that name; a sensor's plug has one side.
    """

    name: str
    kind: NodeKind
    rows: int = 1
    columns: int = 1
    note: str = ""
    reach_minutes: float | None = None
    cover: str = ""
    cover_minutes: float = 0.0
    plug: str = ""
    side: str = ""

    @property
    def minutes(self) -> float:
        """To get at it and measure there: as told, else as is usual."""
        usual = _ADAPTER_MIN if self.kind is NodeKind.ADAPTER else _CONNECTOR_MIN
        return usual if self.reach_minutes is None else self.reach_minutes

    def __post_init__(self) -> None:
        if not self.name or ":" in self.name:
            msg = f"“{self.name}” is no name for a place: it needs one, without a colon"
            raise ValueError(msg)
        if not (1 <= self.rows <= 20 and 1 <= self.columns <= 100):  # noqa: PLR2004  the greatest plugs there are
            msg = f"{self.name}: a connector has 1 to 20 rows of 1 to 100 cavities"
            raise ValueError(msg)
        if self.plug and self.kind is not NodeKind.ADAPTER:
            msg = f"{self.name}: only an adapter is put into a plug"
            raise ValueError(msg)
        if self.cover_minutes and not self.cover:
            msg = f"{self.name}: what comes off in {self.cover_minutes:g} min needs a name"
            raise ValueError(msg)


@dataclass(frozen=True, order=True)
class End:
    """One end of a wire: written `X12:3`."""

    node: str
    cavity: str = ""

    def __str__(self) -> str:
        return f"{self.node}:{self.cavity}" if self.cavity else self.node


@dataclass(frozen=True, kw_only=True)
class Wire:
    """One wire. `length_m` and `area_mm2` are above zero. `part_of` says what it is part of, where that is licensed work."""

    name: str
    start: End
    end: End
    colour: str = ""
    area_mm2: float = 0.5
    length_m: float = 1.0
    shield: str = ""
    part_of: PartOf = PartOf.NOT_TOLD

    @property
    def licence(self) -> Licence | None:
        """Whose work it is, where it is left to those who are licensed for it: as told, else by its name."""
        return licence_of(self.name, self.part_of)

    def __post_init__(self) -> None:
        if self.length_m <= 0 or self.area_mm2 <= 0:
            msg = f"wire {self.name}: its length and area lie above zero"
            raise ValueError(msg)
        if self.start == self.end:
            msg = f"wire {self.name} begins and ends at {self.start}"
            raise ValueError(msg)


@dataclass(frozen=True)
class Path:
    """The way from one end to another: the wires in their order, and the ends that they pass."""

    wires: tuple[Wire, ...]
    ends: tuple[End, ...]

    @property
    def length_m(self) -> float:
        """The length of its wires together."""
        return sum(wire.length_m for wire in self.wires)

    @property
    def shares(self) -> dict[str, float]:
        """How far each end on it lies from its last one, as a share of its length: 1 for its first."""
        gone_m = [0.0, *itertools.accumulate(wire.length_m for wire in self.wires)]
        return {str(end): 1 - gone / self.length_m for end, gone in zip(self.ends, gone_m, strict=True)}

    def part(self, first: End, last: End) -> Path:
        """The part between two of its ends, in its own direction."""
        a, b = self.ends.index(first), self.ends.index(last)
        return Path(self.wires[a:b], self.ends[a : b + 1])

    @property
    def colours(self) -> tuple[str, ...]:
        """Colours along it, each once where it does not change."""
        return tuple(dict.fromkeys(wire.colour for wire in self.wires if wire.colour))


@dataclass(frozen=True)
class NextPlace:
    """Where to measure next, what that takes with its `cover`, and what it takes in all to find the stretch, to be expected."""

    end: End
    minutes: float
    expected_minutes: float
    cover: str = ""


@dataclass(frozen=True)
class Harness:
    """All nodes and wires of a vehicle."""

    nodes: tuple[Node, ...]
    wires: tuple[Wire, ...]

    @cached_property
    def problems(self) -> tuple[str, ...]:
        """Everything that cannot be: places named twice, wires to nowhere, cavities twice or not there, loops."""
        found = [f"{name} is named twice." for name, n in Counter(node.name for node in self.nodes).items() if n > 1]
        found += [f"Wire {name} is there twice." for name, n in Counter(w.name for w in self.wires).items() if n > 1]
        known = {node.name: node for node in self.nodes}
        for wire in self.wires:
            for end in (wire.start, wire.end):
                node = known.get(end.node)
                if node is None:
                    found.append(f"Wire {wire.name} goes to {end.node}, which is not there.")
                elif node.kind in WITH_CAVITIES and end.cavity not in _cavities(node):
                    found.append(f"Wire {wire.name}: {end.node} has no cavity {end.cavity or '(none typed)'}.")
        found += self._crowded(known)
        found += self._misplaced(known)
        found += [f"Wires make a loop: {', '.join(names)}." for names in self._loops()]
        return tuple(found)

    @cached_property
    def wires_at(self) -> Mapping[End, Sequence[Wire]]:
        """The wires at each end, in their order; an end without one is not in it."""
        found: dict[End, list[Wire]] = defaultdict(list)
        for wire in self.wires:
            found[wire.start].append(wire)
            found[wire.end].append(wire)
        return dict(found)

    def _crowded(self, known: dict[str, Node]) -> Iterable[str]:
        """Cavities with more wires than the one on either half."""
        for end, wires in self.wires_at.items():
            node = known.get(end.node)
            if node is not None and node.kind in WITH_CAVITIES and len(wires) > 2:  # noqa: PLR2004  two halves
                names = ", ".join(wire.name for wire in wires)
                yield f"Cavity {end} has {len(wires)} wires: {names}. Each half takes one: join them in a splice."

    def _loops(self) -> list[list[str]]:
        import networkx as nx

        between: dict[frozenset[tuple[str, str]], list[str]] = defaultdict(list)
        for wire in self.wires:
            between[frozenset((_key(wire.start), _key(wire.end)))].append(wire.name)
        names = []
        for cycle in nx.cycle_basis(nx.Graph(self.graph)):
            ring = {frozenset(pair) for pair in zip(cycle, [*cycle[1:], cycle[0]], strict=True)}
            names.append(sorted(name for pair in ring for name in between[pair]))
        return names + [sorted(wires) for wires in between.values() if len(wires) > 1]

    @cached_property
    def graph(self) -> nx.MultiGraph:
        """Ends as nodes, wires as edges, those of a plug with an adapter in it through the adapter."""
        import networkx as nx

        graph = nx.MultiGraph()
        for wire in self._through_adapters():
            graph.add_edge(_key(wire.start), _key(wire.end), key=wire.name, wire=wire, weight=wire.length_m)
        return graph

    def path(self, start: End, end: End) -> Path | None:
        """The shortest way between two ends; None where no wires join them."""
        import networkx as nx

        try:
            keys = nx.shortest_path(self.graph, _key(start), _key(end), weight="weight")
        except (nx.NetworkXNoPath, nx.NodeNotFound):
            return None
        wires = [
            min((data["wire"] for data in self.graph[a][b].values()), key=lambda w: (w.length_m, w.name))
            for a, b in itertools.pairwise(keys)
        ]
        return Path(tuple(wires), tuple(End(*key) for key in keys))

    def _through_adapters(self) -> list[Wire]:
        """The wires, each parted where it comes into a plug through an adapter."""
        wires = list(self.wires)
        for adapter in self._in_plugs:
            side = self._side_of(adapter)
            parted = []
            for wire in wires:
                at = next((end for end in (wire.start, wire.end) if end.node == adapter.plug), None)
                other = wire.end if at == wire.start else wire.start
                cavity = None if at is None or other.node not in side else _same_cavity(adapter, at.cavity)
                if at is None or cavity is None:
                    parted.append(wire)
                    continue
                through = End(adapter.name, cavity)
                parted += [
                    replace(
                        wire, name=f"{wire.name} through {adapter.name}", start=at, end=through, length_m=_THROUGH_M
                    ),
                    replace(wire, start=through, end=other),
                ]
            wires = parted
        return wires

    @property
    def _in_plugs(self) -> list[Node]:
        return [node for node in self.nodes if node.plug]

    def _side_of(self, adapter: Node) -> set[str]:
        """The places on the side of its plug that an adapter is put in at; all where the plug has one side."""
        import networkx as nx

        near = nx.Graph((wire.start.node, wire.end.node) for wire in self.wires)
        if not adapter.side:
            return set(near.nodes)
        near.remove_nodes_from([adapter.plug])
        return set(nx.node_connected_component(near, adapter.side)) if adapter.side in near else set()

    def _misplaced(self, known: dict[str, Node]) -> Iterable[str]:
        """Adapters put into plugs that are not there, on no side of theirs, or with fewer cavities."""
        for adapter in self._in_plugs:
            plug = known.get(adapter.plug)
            if plug is None or plug.kind not in {NodeKind.SENSOR, NodeKind.CONNECTOR}:
                yield f"{adapter.name} is put into {adapter.plug}, which is no sensor and no connector here."
                continue
            if plug.kind is NodeKind.CONNECTOR and not adapter.side:
                yield f"{adapter.name} is put into {plug.name}: on which side? Name a place that this side leads to."
            elif adapter.side and adapter.side not in known:
                yield f"{adapter.name} is put in towards {adapter.side}, which is not there."
            ends = (end for wire in self.wires for end in (wire.start, wire.end) if end.node == plug.name)
            missing = sorted({end.cavity for end in ends if _same_cavity(adapter, end.cavity) is None})
            if missing:
                yield f"{adapter.name} has {adapter.rows * adapter.columns} cavities: none for {plug.name} {', '.join(missing)}."

    def next_place(self, path: Path) -> NextPlace | None:
        """The place inside a path to measure next, so that its stretch is found soonest; None where it has none, or where one of
        its wires is left to licensed work.
        """
        if any(wire.licence is not None for wire in path.wires):
            return None
        known = {node.name: node for node in self.nodes}
        gone_m, spots, ends = 0.0, [], {}
        for wire, end in zip(path.wires, path.ends[1:], strict=True):
            gone_m += wire.length_m
            node = known.get(end.node)
            if node is not None and node.kind in WITH_CAVITIES and end != path.ends[-1]:
                ends[str(end)] = end
                spots.append(
                    Spot(
                        name=str(end),
                        at_m=gone_m,
                        minutes=node.minutes,
                        cover=node.cover,
                        cover_minutes=node.cover_minutes,
                    )
                )
        found = next_spot(spots, gone_m)
        if found is None:
            return None
        return NextPlace(ends[found.spot.name], found.minutes, found.expected_minutes, found.spot.cover)

    def reached_from(self, start: End) -> tuple[End, ...]:
        """Every end that wires join to this one, in order."""
        import networkx as nx

        if _key(start) not in self.graph:
            return ()
        return tuple(sorted(End(*key) for key in nx.node_connected_component(self.graph, _key(start))))

    def empty_cavities(self, name: str) -> tuple[str, ...]:
        """Cavities of a connector without a wire: each needs a plug."""
        node = next(n for n in self.nodes if n.name == name)
        return tuple(cavity for cavity in _cavities(node) if End(name, cavity) not in self.wires_at)


def _key(end: End) -> tuple[str, str]:
    return (end.node, end.cavity)


def _same_cavity(adapter: Node, cavity: str) -> str | None:
    """The adapter's cavity for one of its plug: of the same number, or A for 1; None where it has none."""
    letter = str(ord(cavity.upper()) - ord("A") + 1) if len(cavity) == 1 and cavity.isalpha() else cavity
    return letter if letter in _cavities(adapter) else None


def _cavities(node: Node) -> tuple[str, ...]:
    return tuple(str(number) for number in range(1, node.rows * node.columns + 1))


def face_order(node: Node, side: FaceSide) -> tuple[tuple[str, ...], ...]:
    """The cavities of a connector's face, row by row, left to right; from the mating side each row is mirrored.

    >>> face_order(Node(name="X1", kind=NodeKind.CONNECTOR, rows=2, columns=2), FaceSide.MATING)
    (('2', '1'), ('4', '3'))
    """
    names = _cavities(node)
    rows: Sequence[tuple[str, ...]] = [names[row * node.columns : (row + 1) * node.columns] for row in range(node.rows)]
    return tuple(row if side is FaceSide.WIRES else row[::-1] for row in rows)
