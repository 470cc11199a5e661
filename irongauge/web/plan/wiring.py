"""Wiring: the harness as lists and drawings, where to look next, lengths to cut, and two connectors put together."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.plan.cutting import Bundle, CutList, bundle_of, cut_list
from irongauge.core.plan.harness import WITH_CAVITIES, FaceSide, Harness, Node, Wire
from irongauge.core.plan.kit import KitKind
from irongauge.core.plan.marrying import Joined, marry
from irongauge.core.sensors.circuits import Circuit
from irongauge.errors import BadListError, EntryError
from irongauge.formats.harness_csv import (
    read_cavities,
    read_nodes,
    read_wires,
    write_cavities,
    write_nodes,
    write_wires,
)
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, uid_or_missing
from irongauge.web.forms import FormState, read_form
from irongauge.web.pages import Pages, go_to
from irongauge.web.permissions import ARRANGE, LOOK
from irongauge.web.plan.drawings import FaceDrawing, PathDrawing, draw_face, draw_path
from irongauge.web.plan.forms import MapForm, ends_from
from irongauge.workflows.plan.plans import PlanView, look_at_plan
from irongauge.workflows.plan.wirings import ShieldView, keep_map, save_harness, shields_of
from irongauge.workflows.shop.examples import wired_example

router = APIRouter(include_in_schema=False)

_STEPS = (
    "Take a picture first, from both sides.",
    "Write down every cavity and colour.",
    "Take the lock out.",
    "Move the pins one at a time, the old one out, the new one in.",
    "Hear each one click, and tug it.",
    "Put the lock in last, and plug every empty cavity.",
)


@dataclass(frozen=True)
class CircuitWays:
    """A circuit's ways through the harness."""

    circuit: Circuit
    ways: tuple[PathDrawing, ...]


@dataclass(frozen=True)
class CutView:
    """What is to be cut for the whole harness, and how thick it gets."""

    cuts: CutList
    bundle: Bundle


def _cut(harness: Harness, ends: Sequence[tuple[str, float]]) -> CutView | None:
    """What is cut here: all but what is left to licensed work."""
    wires = [wire for wire in harness.wires if wire.licence is None]
    if not wires:
        return None
    return CutView(cut_list(wires, ends=ends), bundle_of([wire.area_mm2 for wire in wires]))


def _ways(view: PlanView, asked: str) -> tuple[CircuitWays, ...]:
    found = []
    for _, circuit in view.circuits:
        if asked and str(circuit.uid) != asked:
            continue
        ways = tuple(
            draw_path(view.plan.harness, f"{circuit.name}, pin {cavity}", path)
            for cavity, path in view.plan.paths_of(circuit)
        )
        if ways or asked:
            found.append(CircuitWays(circuit, ways))
    return tuple(found)


@dataclass(frozen=True)
class ExampleWay:
    """The way of another vehicle's wire, and whose it is."""

    whose: str
    drawing: PathDrawing


def _example(view: PlanView | None) -> ExampleWay | None:
    """The way with the most wires of what another vehicle has."""
    ways = [] if view is None else [d for of in _ways(view, "") for d in of.ways]
    if view is None or not ways:
        return None
    longest = max(ways, key=lambda d: len(d.parts))
    return ExampleWay(f"{view.vehicle.tag}, {longest.title}", longest)


def _faces(harness: Harness) -> tuple[tuple[FaceDrawing, FaceDrawing], ...]:
    return tuple(
        (draw_face(harness, node, FaceSide.WIRES), draw_face(harness, node, FaceSide.MATING))
        for node in harness.nodes
        if node.kind in WITH_CAVITIES
    )


def _page(
    request: Request,
    pages: Pages,
    view: PlanView,
    state: FormState | None = None,
    status: int = 200,
    *,
    married: tuple[Joined, ...] = (),
    circuit: str = "",
    shields: tuple[ShieldView, ...] = (),
    example: ExampleWay | None = None,
    ends: Sequence[tuple[str, float]] = (),
) -> Response:
    harness = view.plan.harness
    open_job = next((job for job, _ in view.circuits if job.handed_over_at is None and not job.is_practice), None)
    newest = view.plan.maps[0] if view.plan.maps else None
    values = {"nodes": write_nodes(harness), "wires": write_wires(harness)}
    if newest is not None:
        values |= {
            "map_name": newest.name,
            "ours": write_cavities(newest.ours),
            "theirs": write_cavities(newest.theirs),
        }
    if not married and newest is not None and state is None:
        married = marry(newest.ours, newest.theirs)
    return pages.render(
        request,
        "wiring.html",
        status,
        view=view,
        vehicle=view.vehicle,
        state=(state or FormState()).over(values),
        ways=_ways(view, circuit),
        asked=circuit,
        shields=shields,
        example=example,
        faces=_faces(harness),
        cut=_cut(harness, ends),
        open_job=open_job,
        spare=KitKind.SPARE,
        married=married,
        maps=view.plan.maps,
        steps=_STEPS,
        asked_wires=view.plan.asked_wires(),
        tab="wiring",
    )


@router.get("/vehicles/{uid}/wiring", dependencies=[LOOK], name="wiring")
def get_wiring(
    request: Request, database: DatabaseDep, pages: PagesDep, *, uid: str, circuit: str = "", ends: str = ""
) -> Response:
    """The harness, drawn, with what contradicts itself in it."""
    view = look_at_plan(database, uid_or_missing("vehicle", uid), power=False)
    example = None if view.plan.harness.wires else _example(wired_example(database, view.vehicle.uid))
    shields = shields_of(database, view)
    state, left = FormState({"ends": ends[:4000]}), tuple[tuple[str, float], ...]()
    try:
        left = ends_from(ends[:4000])
    except EntryError as error:
        state = state.with_error(error)
    status = 422 if state.errors else 200
    return _page(
        request,
        pages,
        view,
        state if ends else None,
        status,
        circuit=circuit[:40],
        shields=shields,
        example=example,
        ends=left,
    )


@router.post("/vehicles/{uid}/wiring", dependencies=[ARRANGE], name="save_harness")
def post_harness(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Keep the harness as it was handed in."""
    vehicle_uid = uid_or_missing("vehicle", uid)
    state = FormState(posted.values)
    try:
        harness = _harness_from(posted.values)
        save_harness(database, vehicle_uid, harness)
    except EntryError as error:
        return _page(request, pages, look_at_plan(database, vehicle_uid, power=False), state.with_error(error), 422)
    return go_to(request.url_for("wiring", uid=uid))


def _harness_from(values: dict[str, str]) -> Harness:
    """Both lists; where both have bad lines, all of them are told."""
    problems: list[str] = []
    nodes: tuple[Node, ...] = ()
    wires: tuple[Wire, ...] = ()
    try:
        nodes = read_nodes(values.get("nodes", ""))
    except BadListError as error:
        problems += [f"Places, {problem[0].lower()}{problem[1:]}" for problem in error.problems]
    try:
        wires = read_wires(values.get("wires", ""))
    except BadListError as error:
        problems += error.problems
    if problems:
        raise BadListError("wires", problems)
    return Harness(nodes, wires)


@router.post("/vehicles/{uid}/maps", dependencies=[ARRANGE], name="join_connectors")
def post_map(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Show two connectors put together, and keep them where that is asked for."""
    vehicle_uid = uid_or_missing("vehicle", uid)
    form, state = read_form(MapForm, posted.values)
    married: tuple[Joined, ...] = ()
    if form is not None:
        try:
            ours, theirs = read_cavities(form.ours, "ours"), read_cavities(form.theirs, "theirs")
            married = marry(ours, theirs)
            if form.keep == "yes":
                if form.technician_uid is None or not form.map_name:
                    raise EntryError("technician_uid", "", "A kept map has a name, and who made it.", "Type both.")
                keep_map(
                    database, vehicle_uid, form.map_name, ours=ours, theirs=theirs, technician_uid=form.technician_uid
                )
                return go_to(f"{request.url_for('wiring', uid=uid)}#joined")
        except EntryError as error:
            state = state.with_error(error)
    status = 422 if state.errors else 200
    return _page(request, pages, look_at_plan(database, vehicle_uid, power=False), state, status, married=married)


@router.get("/vehicles/{uid}/wiring/{kind}.csv", dependencies=[LOOK], name="harness_csv")
def get_csv(database: DatabaseDep, uid: str, kind: str) -> Response:
    """One of its tables."""
    view = look_at_plan(database, uid_or_missing("vehicle", uid), power=False)
    text = write_nodes(view.plan.harness) if kind == "places" else write_wires(view.plan.harness)
    headers = {"Content-Disposition": f'attachment; filename="{"places" if kind == "places" else "wires"}.csv"'}
    return Response(text, media_type="text/csv; charset=utf-8", headers=headers)
