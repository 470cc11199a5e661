"""Drawings of the Plan room: the way of a circuit through its connectors, and a connector's face."""

from __future__ import annotations

from dataclasses import dataclass

from markupsafe import Markup, escape

from irongauge.core.plan.harness import End, FaceSide, Harness, NextPlace, Node, NodeKind, Path, face_order
from irongauge.core.sensors.licensed import Licence

__all__ = ["FaceDrawing", "PathDrawing", "PathPart", "PathStop", "draw_face", "draw_path"]

_LEFT, _WIDTH, _LEAST = 60.0, 900.0, 120.0  # px of the drawing; a short wire is still wide enough for its label


@dataclass(frozen=True)
class PathStop:
    """A place on the way: where it is drawn, what it is, its name and cavity."""

    x: float
    kind: NodeKind
    name: str
    cavity: str
    is_half: bool


@dataclass(frozen=True)
class PathPart:
    """A wire on the way, with its label above and below."""

    x0: float
    x1: float
    above: str
    below: str


@dataclass(frozen=True, kw_only=True)
class PathDrawing:
    """The way from the sensor's pin to the module; `said` is its text for who cannot see it."""

    title: str
    stops: tuple[PathStop, ...]
    parts: tuple[PathPart, ...]
    said: str
    half: NextPlace | None
    licence: Licence | None
    width: float
    colours: tuple[str, ...]


def draw_path(harness: Harness, title: str, path: Path) -> PathDrawing:
    """A path as a straight line, long wires longer, the connector that halves it marked."""
    kinds = {node.name: node.kind for node in harness.nodes}
    following = harness.next_place(path)
    half = None if following is None else following.end
    spare = _WIDTH - _LEAST * len(path.wires)
    x, stops, parts = _LEFT, [], []
    for index, end in enumerate(path.ends):
        stops.append(PathStop(x, kinds.get(end.node, NodeKind.SPLICE), end.node, end.cavity, end == half))
        if index < len(path.wires):
            wire = path.wires[index]
            width = _LEAST + max(spare, 0.0) * wire.length_m / path.length_m
            parts.append(PathPart(x, x + width, wire.colour, f"{wire.length_m:g} m, {wire.area_mm2:g} mm²"))
            x += width
    way = ", ".join(str(end) for end in path.ends)
    return PathDrawing(
        title=title,
        stops=tuple(stops),
        parts=tuple(parts),
        said=f"{title}: {way}; {path.length_m:.2f} m",
        half=following,
        licence=next((wire.licence for wire in path.wires if wire.licence is not None), None),
        width=x + _LEFT,
        colours=path.colours,
    )


@dataclass(frozen=True, kw_only=True)
class FaceDrawing:
    """A connector from one side. `inside` is what is drawn of its cavities, `said` the same in words."""

    name: str
    side: FaceSide
    width: int
    height: int
    inside: Markup
    said: str
    empty: int


_CELL_W, _CELL_H = 84, 58


def draw_face(harness: Harness, node: Node, side: FaceSide) -> FaceDrawing:
    """The cavities of a connector as they are seen from one side, each with its wire.

    A plug has two dozen cavities and a vehicle a dozen plugs, so they are written here and not one by one in the template.
    """
    drawn, said = [], []
    for row, names in enumerate(face_order(node, side)):
        for column, cavity in enumerate(names):
            there = harness.wires_at.get(End(node.name, cavity), ())
            colours = "/".join(dict.fromkeys(wire.colour for wire in there if wire.colour))
            vacant = "" if there else " vacant"
            text = colours or ", ".join(wire.name for wire in there) or "plug"
            said.append(f"{cavity} {colours or 'empty'}")
            drawn.append(
                f'<g transform="translate({4 + column * _CELL_W} {4 + row * _CELL_H})"><rect class="cavity{vacant}" x="2" y="2" '
                f'width="80" height="54" rx="6"></rect><text x="10" y="22" class="cavity-no">{escape(cavity)}</text>'
                f'<text x="10" y="44" class="cavity-colour">{escape(text)}</text></g>'
            )
    return FaceDrawing(
        name=node.name,
        side=side,
        width=node.columns * _CELL_W + 8,
        height=node.rows * _CELL_H + 8,
        inside=Markup("".join(drawn)),  # noqa: S704  every text in it was escaped
        said=f"{node.name}, {side}: {', '.join(said)}",
        empty=len(harness.empty_cavities(node.name)),
    )
