"""What machines ask: does it live?"""

from __future__ import annotations

from typing import cast

from fastapi import APIRouter
from sqlalchemy.exc import SQLAlchemyError
from starlette.requests import Request
from starlette.responses import JSONResponse, Response

from irongauge.errors import NotFoundError
from irongauge.lan import AUTHORITY
from irongauge.settings import Settings
from irongauge.store.migrate import NEWEST, tables_of
from irongauge.web.authentication import require_from_here
from irongauge.web.deps import DatabaseDep
from irongauge.web.metrics import metrics_text
from irongauge.web.permissions import ANYBODY, LOOK, MACHINES

router = APIRouter(include_in_schema=False)


@router.get("/authority.pem", dependencies=[ANYBODY])
def authority(request: Request) -> Response:
    """The certificate of the shop's own authority, for a tablet to trust: there once it was opened to its network."""
    path = cast("Settings", request.app.state.settings).local_dir / AUTHORITY
    if not path.is_file():
        raise NotFoundError("certificate", AUTHORITY)
    return Response(path.read_bytes(), media_type="application/x-x509-ca-cert")


@router.get("/api/v1/openapi.json", dependencies=[LOOK])
def openapi(request: Request) -> JSONResponse:
    """What programs may ask, for who is let in."""
    return JSONResponse(request.app.openapi())


@router.get("/readyz", dependencies=[MACHINES])
def readyz(database: DatabaseDep) -> JSONResponse:
    """200 when requests can be served: the database answers and has the tables of this program, else 503."""
    try:
        found = tables_of(database.engine)
    except SQLAlchemyError:
        return JSONResponse({"status": "no database"}, 503)
    is_ready = found == NEWEST
    return JSONResponse({"status": "ready" if is_ready else "other tables", "tables": found}, 200 if is_ready else 503)


@router.get("/metrics", dependencies=[MACHINES])
def metrics(request: Request) -> Response:
    """Counts and times for a program on this machine that collects them."""
    require_from_here(request)
    content, kind = metrics_text()
    return Response(content, media_type=kind)


@router.get("/healthz", dependencies=[MACHINES])
def healthz(database: DatabaseDep) -> JSONResponse:
    """200 when the database answers, else 503."""
    try:
        database.answers()
    except SQLAlchemyError:
        return JSONResponse({"status": "no database"}, 503)
    return JSONResponse({"status": "ok"})
