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
from irongauge.web.deps import DatabaseDep

router = APIRouter(include_in_schema=False)


@router.get("/authority.pem")
def authority(request: Request) -> Response:
    """The certificate of the shop's own authority, for a tablet to trust: there once it was opened to its network."""
    path = cast("Settings", request.app.state.settings).local_dir / AUTHORITY
    if not path.is_file():
        raise NotFoundError("certificate", AUTHORITY)
    return Response(path.read_bytes(), media_type="application/x-x509-ca-cert")


@router.get("/healthz")
def healthz(database: DatabaseDep) -> JSONResponse:
    """200 when the database answers, else 503."""
    try:
        database.answers()
    except SQLAlchemyError:
        return JSONResponse({"status": "no database"}, 503)
    return JSONResponse({"status": "ok"})
