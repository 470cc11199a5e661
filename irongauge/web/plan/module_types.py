"""Module types of the Shelf: their pins by form or CSV, in and out."""

from __future__ import annotations

from uuid import UUID

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.plan.modules import ModuleKind, PinKind, Shows
from irongauge.errors import BadFileError, EntryError, NotFoundError
from irongauge.formats.harness_csv import write_pins
from irongauge.store.database import Database
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, Posted, uid_or_missing
from irongauge.web.forms import FormState, read_form
from irongauge.web.pages import Pages, go_to
from irongauge.web.permissions import ARRANGE, LOOK
from irongauge.web.plan.forms import ModuleTypeForm, module_type_from
from irongauge.workflows.plan.plans import look_at_module_types, save_module_type

router = APIRouter(include_in_schema=False)

_MOST_BYTES = 1_000_000  # of a list of pins: thousands of them


def _type_page(
    request: Request, pages: Pages, state: FormState, uid: UUID | None = None, status: int = 200
) -> Response:
    return pages.render(
        request,
        "module_form.html",
        status,
        state=state,
        uid=uid,
        kinds=tuple(ModuleKind),
        shows=tuple(Shows),
        pin_kinds=tuple(PinKind),
    )


@router.get("/shelf/modules", dependencies=[LOOK], name="module_types")
def get_types(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    """Module types of the Shelf."""
    shop, types = look_at_module_types(database)
    return pages.render(request, "modules.html", shop=shop, types=types)


@router.get("/shelf/modules/new", dependencies=[LOOK], name="new_module_type")
def new_type(request: Request, pages: PagesDep) -> Response:
    """The form for one."""
    return _type_page(request, pages, FormState({"kind": ModuleKind.CONTROLLER, "shows": Shows.ENGINEERING}))


@router.get("/shelf/modules/{uid}/edit", dependencies=[LOOK], name="edit_module_type")
def edit_type(request: Request, database: DatabaseDep, pages: PagesDep, uid: str) -> Response:
    """One type's card."""
    _, types = look_at_module_types(database)
    kind = next((t for t in types if str(t.uid) == uid), None)
    if kind is None:
        raise NotFoundError("module type", uid)
    values = {"name": kind.name, "maker": kind.maker, "kind": kind.kind, "shows": kind.shows}
    return _type_page(request, pages, FormState({**values, "pins": write_pins(kind.pins)}), kind.uid)


@router.get("/shelf/modules/{uid}/pins.csv", dependencies=[LOOK], name="module_pins")
def get_pins(database: DatabaseDep, uid: str) -> Response:
    """Its pins as a table."""
    _, types = look_at_module_types(database)
    kind = next((t for t in types if str(t.uid) == uid), None)
    if kind is None:
        raise NotFoundError("module type", uid)
    headers = {"Content-Disposition": 'attachment; filename="pins.csv"'}
    return Response(write_pins(kind.pins), media_type="text/csv; charset=utf-8", headers=headers)


@router.post("/shelf/modules", dependencies=[ARRANGE], name="add_module_type")
def post_type(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Put a module type on the Shelf."""
    return _take_type(request, database, pages, posted, None)


@router.post("/shelf/modules/{uid}", dependencies=[ARRANGE], name="change_module_type")
def post_changed_type(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Change its card."""
    return _take_type(request, database, pages, posted, uid_or_missing("module type", uid))


def _take_type(request: Request, database: Database, pages: Pages, posted: Posted, uid: UUID | None) -> Response:
    """Add a module type, or change the card of the one with `uid`; pins are pasted, or come as a file."""
    values, file = posted.values, posted.files.get("pins_file")
    if file is not None and file.filename:
        try:
            values = {**values, "pins": file.file.read(_MOST_BYTES).decode("utf-8-sig")}
        except UnicodeDecodeError as error:
            raise BadFileError(file.filename, "It is not text.", "Save it as CSV, in UTF-8.") from error
    form, state = read_form(ModuleTypeForm, values)
    if form is not None:
        try:
            save_module_type(database, module_type_from(form, uid))
        except EntryError as error:
            state = state.with_error(error)
        else:
            return go_to(request.url_for("module_types"))
    return _type_page(request, pages, state, uid, 422)
