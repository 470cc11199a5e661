"""What machines ask: does it live?"""

from __future__ import annotations

from fastapi import APIRouter
from sqlalchemy.exc import SQLAlchemyError
from starlette.responses import JSONResponse

from irongauge.web.deps import DatabaseDep

router = APIRouter(include_in_schema=False)


@router.get("/healthz")
def healthz(database: DatabaseDep) -> JSONResponse:
    """200 when the database answers, else 503."""
    try:
        database.answers()
    except SQLAlchemyError:
        return JSONResponse({"status": "no database"}, 503)
    return JSONResponse({"status": "ok"})
