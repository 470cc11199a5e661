"""Power: each fuse with its wire and what hangs on it, judged."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import uuid4

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.measure.quantities import Mark
from irongauge.core.plan.power import FeedVerdict, days_asleep, fuse_would_do, judge_feed, size_of_awg
from irongauge.core.plan.record import KeptFeed
from irongauge.errors import EntryError
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, uid_or_missing
from irongauge.web.forms import FormState, read_form
from irongauge.web.pages import Pages, go_to
from irongauge.web.permissions import ARRANGE, LOOK
from irongauge.web.plan.forms import FeedForm, feed_from, loads_text
from irongauge.workflows.plan.plans import PlanView, look_at_plan
from irongauge.workflows.plan.wirings import remove_feed, save_feed
from irongauge.workflows.shop.examples import fed_example

router = APIRouter(include_in_schema=False)

_BATTERY_AH = 70.0  # of a vehicle that nobody said anything of


@dataclass(frozen=True)
class TriedFuse:
    """Another fuse, and whether it would do."""

    fuse_a: float
    mark: Mark
    sentence: str


@dataclass(frozen=True)
class FeedView:
    """A feed with its verdict, and another fuse held against load and wire where one was asked for."""

    kept: KeptFeed
    verdict: FeedVerdict
    tried: TriedFuse | None


def _values(kept: KeptFeed) -> dict[str, str]:
    feed, run = kept.feed, kept.feed.run
    numbers = {
        "fuse_a": feed.fuse_a,
        "supply_m": run.supply_m,
        "return_m": run.return_m,
        "around_degc": run.around_degc,
        "insulation_degc": run.insulation_degc,
        "circuits_together": run.circuits_together,
        "rated_a": run.rated_a,
        "terminal_a": run.terminal_a,
    }
    values = {name: "" if value is None else f"{value:g}" for name, value in numbers.items()}
    told = {"keyed": "yes" if feed.keyed else "no", "shares_return": "yes" if feed.shares_return else "no"}
    told |= {"name": feed.name, "area_mm2": f"{run.area_mm2:g} mm²", "loads": loads_text(feed)}
    return values | told | {"uid": str(kept.uid)}


_FRESH = {"fuse_a": "10", "supply_m": "2", "return_m": "2", "area_mm2": "1 mm²", "around_degc": "40", "keyed": "yes",
          "insulation_degc": "70", "circuits_together": "1", "shares_return": "yes"}  # fmt: skip


def _page(
    request: Request,
    pages: Pages,
    view: PlanView,
    state: FormState | None = None,
    status: int = 200,
    *,
    looked: FeedView | None = None,
    example: tuple[str, FeedView] | None = None,
) -> Response:
    params = request.query_params
    chosen = next((k for k in view.plan.feeds if str(k.uid) == params.get("feed")), None)
    values = {**_FRESH, **({} if chosen is None else _values(chosen))}
    feeds = tuple(FeedView(kept, judge_feed(kept.feed), None) for kept in view.plan.feeds)
    sleep_ma = sum(kept.feed.sleep_ma for kept in view.plan.feeds)
    return pages.render(
        request,
        "power.html",
        status,
        view=view,
        vehicle=view.vehicle,
        state=(state or FormState()).over(values),
        feeds=feeds,
        looked=looked,
        example=example,
        sleep_ma=sleep_ma,
        sleep_days=days_asleep(sleep_ma, _BATTERY_AH),
        battery_ah=_BATTERY_AH,
        awg=size_of_awg,
        tab="power",
    )


def _example(view: PlanView | None) -> tuple[str, FeedView] | None:
    """Another vehicle's tag, with its first feed."""
    if view is None:
        return None
    kept = view.plan.feeds[0]
    return view.vehicle.tag, FeedView(kept, judge_feed(kept.feed), None)


@router.get("/vehicles/{uid}/power", dependencies=[LOOK], name="power")
def get_power(request: Request, database: DatabaseDep, pages: PagesDep, uid: str) -> Response:
    """The feeds with their checks."""
    view = look_at_plan(database, uid_or_missing("vehicle", uid), wiring=False)
    typed = {name: value[:4000] for name, value in request.query_params.items()}
    if "fuse_a" not in typed:
        example = None if view.plan.feeds else _example(fed_example(database, view.vehicle.uid))
        return _page(request, pages, view, example=example)
    form, state = read_form(FeedForm, typed)
    if form is not None:
        try:
            feed = feed_from(form, view.vehicle.system_v)
        except EntryError as error:
            state = state.with_error(error)
        else:
            other_a = form.try_fuse_a
            tried = None if other_a is None else TriedFuse(other_a, *fuse_would_do(feed, other_a))
            looked = FeedView(KeptFeed(uuid4(), feed), judge_feed(feed), tried)
            return _page(request, pages, view, state, looked=looked)
    return _page(request, pages, view, state, 422)


@router.post("/vehicles/{uid}/power", dependencies=[ARRANGE], name="save_feed")
def post_feed(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Keep a feed."""
    vehicle_uid = uid_or_missing("vehicle", uid)
    view = look_at_plan(database, vehicle_uid, wiring=False)
    form, state = read_form(FeedForm, posted.values)
    if form is not None:
        try:
            feed = feed_from(form, view.vehicle.system_v)
            known = {kept.uid for kept in view.plan.feeds}
            kept = KeptFeed(form.uid if form.uid in known and form.uid is not None else uuid4(), feed)
            save_feed(database, vehicle_uid, kept)
        except EntryError as error:
            state = state.with_error(error)
        else:
            return go_to(request.url_for("power", uid=uid))
    return _page(request, pages, view, state, 422)


@router.post("/vehicles/{uid}/power/{feed_uid}/remove", dependencies=[ARRANGE], name="remove_feed")
def post_remove(request: Request, database: DatabaseDep, uid: str, feed_uid: str, _posted: FormDep) -> Response:
    """Remove a feed."""
    remove_feed(database, uid_or_missing("vehicle", uid), uid_or_missing("feed", feed_uid))
    return go_to(request.url_for("power", uid=uid))
