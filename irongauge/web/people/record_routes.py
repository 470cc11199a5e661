"""The record of what was done, for the foreman: per job and person, on a page and as CSV or JSON."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from urllib.parse import urlencode
from uuid import UUID

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.people.record import RecordLine
from irongauge.core.shop import Shop
from irongauge.errors import NotFoundError
from irongauge.formats.record_csv import COLUMNS, write_record
from irongauge.web.deps import DatabaseDep, PagesDep
from irongauge.web.forms import FormState
from irongauge.web.pages import as_moment
from irongauge.web.permissions import RUN
from irongauge.workflows.people.record import RecordView, look_at_record

router = APIRouter(include_in_schema=False)

_MOST_CHANGES = 6
_PAGE, _FILE = 100, 200_000
_MOMENT = re.compile(r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d+)?\+00:00")
_DEEDS = {"INSERT": "added", "UPDATE": "changed", "DELETE": "removed"}
_JOB_DIGITS, _LINE_DIGITS, _CELL = 9, 16, 80  # of numbers that the record can hold; characters of a cell
_HIDDEN = {"uid", "shop_uid", "job_uid", "circuit_uid", "vehicle_uid", "calibration_uid", "facts"}


@dataclass(frozen=True, kw_only=True)
class ShownLine:
    """A line of the record as it is shown."""

    number: int
    when: str
    who: str
    origin: str
    what: str
    changes: tuple[tuple[str, str, str], ...]
    more: int


def _text(value: object, shop: Shop) -> str:
    if value is None:
        return ""
    if isinstance(value, str) and _MOMENT.fullmatch(value):
        return as_moment(datetime.fromisoformat(value), shop)
    if isinstance(value, bool):
        return "yes" if value else "no"
    text = f"{value:g}" if isinstance(value, float) else str(value)
    return text if len(text) <= _CELL else f"{text[:_CELL]}…"


def _shown(line: RecordLine, shop: Shop, names: Mapping[str, str]) -> ShownLine:
    who = json.loads(line.who or "{}")
    was, became = (json.loads(side or "{}") for side in (line.was, line.became))
    changes = []
    for name in sorted({*was, *became}):
        old, new = was.get(name), became.get(name)
        if old == new or (name in _HIDDEN and line.deed != "UPDATE"):
            continue
        old, new = (names.get(str(side), side) for side in (old, new))
        said = (_text(old, shop), _text(new, shop))
        if any(said):
            changes.append((name.removesuffix("_uid").replace("_", " "), *said))
    origin = ", ".join(who[part] for part in ("program", "device", "address") if who.get(part))
    return ShownLine(
        number=line.number,
        when=as_moment(datetime.fromisoformat(line.at), shop),
        who=who.get("name", "The server"),
        origin=origin,
        what=f"{line.what.replace('_', ' ').capitalize()} {_DEEDS[line.deed]}",
        changes=tuple(changes[:_MOST_CHANGES]),
        more=max(0, len(changes) - _MOST_CHANGES),
    )


def _asked(request: Request, database: DatabaseDep, limit: int) -> RecordView:
    asked = request.query_params
    job, before = asked.get("job", "").strip(), asked.get("before", "")
    person = asked.get("person", "")
    return look_at_record(
        database,
        job_number=int(job)
        if job.isascii() and job.isdecimal() and len(job) < _JOB_DIGITS
        else None
        if not job
        else -1,
        person=_uid(person),
        before=int(before) if before.isascii() and before.isdecimal() and len(before) < _LINE_DIGITS else None,
        limit=limit,
    )


def _uid(text: str) -> UUID | None:
    try:
        return UUID(text) if text else None
    except ValueError:
        return None


@router.get("/record", dependencies=[RUN], name="record")
def record(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    """The record of changes, the newest first."""
    asked = {name: request.query_params.get(name, "")[:80] for name in ("job", "person")}
    view = _asked(request, database, _PAGE + 1)
    lines = view.lines[:_PAGE]
    names = {str(t.uid): t.name for t in view.technicians}
    errors = (
        {} if view.is_known else {"job": f"There is no job “{asked['job']}”. Type the number that is on its sheet."}
    )
    given = {name: value for name, value in asked.items() if value}
    path = request.url_for("record").path
    older = f"{path}?{urlencode({**given, 'before': lines[-1].number})}" if len(view.lines) > _PAGE else ""
    about = view.job.name if view.job else "everything that was done"
    return pages.render(
        request,
        "record.html",
        lines=[_shown(line, view.shop, names) for line in lines],
        people=[(str(t.uid), t.name) for t in view.technicians],
        state=FormState(asked, errors),
        older=older,
        about=about,
        file=lambda kind: f"{path}.{kind}" + (f"?{urlencode(given)}" if given else ""),
    )


@router.get("/record.{kind}", dependencies=[RUN], name="record_file")
def record_file(request: Request, database: DatabaseDep, kind: str) -> Response:
    """The newest lines with their seals, as they are kept; `docs/formats/record.md` says how to check them."""
    if kind not in {"csv", "json"}:
        raise NotFoundError("file", f"record.{kind}")
    lines = _asked(request, database, _FILE).lines[::-1]
    headers = {"Content-Disposition": f'attachment; filename="record.{kind}"'}
    if kind == "csv":
        return Response("".join(write_record(lines)), media_type="text/csv; charset=utf-8", headers=headers)
    told = [{name: getattr(line, name) for name in COLUMNS[:-1]} | {"seal": line.seal.hex()} for line in lines]
    return Response(json.dumps(told, ensure_ascii=False), media_type="application/json", headers=headers)
