"""A link that shows a customer one job's sheet, without coming in: until its end, and no longer than the shop likes."""

from __future__ import annotations

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.web.authentication import asking
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, uid_or_missing
from irongauge.web.forms import read_form
from irongauge.web.handover.routes import show_sheet
from irongauge.web.pages import go_to
from irongauge.web.people.forms import LinkForm
from irongauge.web.permissions import ANYBODY, HAND_OVER
from irongauge.workflows.people.tokens import add_link, revoke_link, sheet_of_link

router = APIRouter(include_in_schema=False)


@router.post("/jobs/{uid}/links", dependencies=[HAND_OVER], name="add_link")
def post_link(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Make a link to the sheet for a customer."""
    job_uid = uid_or_missing("job", uid)
    form, state = read_form(LinkForm, posted.values)
    if form is None:
        return show_sheet(request, database, pages, job_uid=job_uid, state=state, status=422)
    token = add_link(database, job_uid, form.for_whom, form.ends_on, asking(request).person)
    return show_sheet(
        request, database, pages, job_uid=job_uid, new_link=str(request.url_for("shown_sheet", token=token))
    )


@router.post("/jobs/{uid}/links/{link_uid}/revoke", dependencies=[HAND_OVER], name="revoke_link")
def post_revoke(request: Request, database: DatabaseDep, uid: str, link_uid: str, _posted: FormDep) -> Response:
    """Make such a link worthless."""
    revoke_link(database, uid_or_missing("job", uid), uid_or_missing("link", link_uid))
    return go_to(str(request.url_for("handover", uid=uid)) + "#links")


@router.get("/sheet/{token}", dependencies=[ANYBODY], name="shown_sheet")
def shown_sheet(request: Request, database: DatabaseDep, pages: PagesDep, token: str) -> Response:
    """The sheet behind a link, for who has it."""
    return show_sheet(request, database, pages, job_uid=sheet_of_link(database, token), for_customer=True)
