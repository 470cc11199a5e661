"""The kit check of a job."""

from __future__ import annotations

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.plan.kit import KitKind, open_lines, total_price
from irongauge.errors import EntryError
from irongauge.web.cookies import recall, remember
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, uid_or_missing
from irongauge.web.forms import FormState, read_form
from irongauge.web.pages import Pages, go_to
from irongauge.web.permissions import ARRANGE, LOOK, MEASURE
from irongauge.web.plan.forms import KitForm, TickForm, kit_lines_from
from irongauge.workflows.plan.kits import KitView, add_kit_lines, look_at_kit, remove_kit_line, tick_kit_line

router = APIRouter(include_in_schema=False)

_COOKIE = "iron_kit"


def _page(request: Request, pages: Pages, view: KitView, state: FormState, status: int = 200) -> Response:
    last = recall(request, _COOKIE, 1)
    return pages.render(
        request,
        "kit.html",
        status,
        view=view,
        state=state.over({"kind": KitKind.PART, "technician_uid": "".join(last)}),
        kinds=tuple(KitKind),
        still=open_lines(view.lines),
        total=total_price(view.lines),
    )


@router.get("/jobs/{uid}/kit", dependencies=[LOOK], name="kit")
def get_kit(request: Request, database: DatabaseDep, pages: PagesDep, uid: str) -> Response:
    """A job's kit."""
    return _page(request, pages, look_at_kit(database, uid_or_missing("job", uid)), FormState())


@router.post("/jobs/{uid}/kit", dependencies=[ARRANGE], name="add_kit_lines")
def post_lines(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Add lines to it."""
    job_uid = uid_or_missing("job", uid)
    form, state = read_form(KitForm, posted.values)
    if form is not None:
        try:
            add_kit_lines(database, job_uid, kit_lines_from(form, posted.values))
        except EntryError as error:
            state = state.with_error(error)
        else:
            return go_to(request.url_for("kit", uid=uid))
    return _page(request, pages, look_at_kit(database, job_uid), state, 422)


@router.post("/kit/{uid}/tick", dependencies=[MEASURE], name="tick_kit_line")
def post_tick(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Tick a line, or open it again."""
    line_uid = uid_or_missing("kit line", uid)
    form, state = read_form(TickForm, posted.values)
    try:
        if form is None:
            raise state.first_error()
        who = form.who()
    except EntryError as error:
        job_uid = uid_or_missing("job", posted.values.get("job_uid", ""))
        return _page(request, pages, look_at_kit(database, job_uid), state.with_error(error), 422)
    response = go_to(request.url_for("kit", uid=tick_kit_line(database, line_uid, who)))
    remember(response, _COOKIE, (who,))
    return response


@router.post("/kit/{uid}/remove", dependencies=[ARRANGE], name="remove_kit_line")
def post_remove(request: Request, database: DatabaseDep, uid: str, _posted: FormDep) -> Response:
    """Remove a line."""
    return go_to(request.url_for("kit", uid=remove_kit_line(database, uid_or_missing("kit line", uid))))
