"""The guide's pages, its search, and its pictures."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import FileResponse
from starlette.requests import Request
from starlette.responses import Response

from irongauge.web.deps import PagesDep
from irongauge.web.guide.book import GROUPS, guide_page, guide_pages, picture_path, search_guide
from irongauge.web.permissions import LOOK

router = APIRouter(include_in_schema=False)

_LONGEST_ASKED = 100
_ONE_DAY = {"Cache-Control": "private, max-age=86400"}


@router.get("/guide", dependencies=[LOOK], name="guide")
def guide(request: Request, pages: PagesDep, q: str = "") -> Response:
    """What the guide holds, or what was found in it."""
    asked = q[:_LONGEST_ASKED].strip()
    return pages.render(
        request, "guide.html", groups=GROUPS, book=guide_pages(), page=None, asked=asked, found=search_guide(asked)
    )


@router.get("/guide/{page}", dependencies=[LOOK], name="guide_page")
def get_page(request: Request, pages: PagesDep, page: str) -> Response:
    """A page of the guide."""
    return pages.render(
        request, "guide.html", groups=GROUPS, book=guide_pages(), page=guide_page(page), asked="", found=()
    )


@router.get("/guide/pictures/{file}", dependencies=[LOOK], name="guide_picture")
def get_picture(file: str) -> Response:
    """A picture of the guide."""
    return FileResponse(picture_path(file), media_type="image/png", headers=_ONE_DAY)
