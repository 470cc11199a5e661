"""The guide that the application shows itself: whole, searched, and opened where one stands."""

from __future__ import annotations

import re

import pytest

from irongauge.errors import NotFoundError
from irongauge.web.guide.book import DOCS, GROUPS, guide_page, guide_pages, picture_path, search_guide

NAMES = [name for _, names in GROUPS for name in names]


def test_every_file_of_the_guide_is_a_page_and_every_page_a_file():
    assert {path.stem for path in (DOCS / "guide").glob("*.md")} == set(NAMES)


@pytest.mark.parametrize("name", NAMES)
def test_a_page_is_short_and_everything_that_it_points_to_is_there(standing, name):
    page = guide_page(name)
    words = len(re.sub("<[^>]+>", " ", page.html).split())
    assert 30 < words < 330
    answer = standing.get(f"/guide/{name}")
    assert answer.status == 200
    assert page.title in answer.text
    for picture in re.findall(r'src="/guide/pictures/([^"]+)"', page.html):
        got = standing.client.get(f"/guide/pictures/{picture}")
        assert got.headers["content-type"] == "image/png"
        assert got.content[:8] == b"\x89PNG\r\n\x1a\n"
    for link in re.findall(r'href="/guide/([^"]+)"', page.html):
        assert link in NAMES


@pytest.mark.parametrize(
    ("asked", "first"),
    [
        ("volt ladder", "Bench"),
        ("calib", "Worked job: a calibration"),
        ("check drive", "Worked job: a speed that is off"),
        ("HYSTERESIS", "Worked job: a calibration"),
        ("feeler", "Pulse"),
        ("12mV", "Bench"),
        ("foreman", "Handover"),
    ],
)
def test_what_is_looked_for_is_found_while_it_is_typed(asked, first):
    for length in range(max(3, len(asked) - 2), len(asked) + 1):
        assert first in {found.page.title for found in search_guide(asked[:length])}


@pytest.mark.parametrize("asked", ["", "   ", "zebra", "????", "<script>"])
def test_nothing_is_found_where_nothing_is(asked):
    assert [f for f in search_guide(asked) if asked.strip(" ?")] == []


@pytest.mark.parametrize("name", ["../../README", "nope", "floor.md", "", "floo"])
def test_only_pages_and_pictures_of_the_guide_are_given_out(name):
    with pytest.raises(NotFoundError):
        guide_page(name)
    with pytest.raises(NotFoundError):
        picture_path(name)


def test_no_page_carries_markup_of_its_own():
    assert not any(re.search(r"<(script|style|iframe)|javascript:", page.html) for page in guide_pages().values())


@pytest.mark.parametrize(
    ("path", "page"),
    [("/", "floor"), ("/curve/convert", "curve"), ("/curve/choose", "swap"), ("/pulse/speed", "speed-off"), ("/shelf", "shelf"),
     ("/me", "people"), ("/trace", "trace"), ("/plan", "plan")],
)  # fmt: skip
def test_the_guide_opens_at_the_place_where_one_stands(standing, path, page):
    assert f'href="/guide/{page}"' in standing.get(path).response.text


def test_the_search_shows_what_was_asked_and_nothing_that_it_could_run(standing):
    page = standing.get("/guide?q=<script>alert(1)</script>")
    assert page.status == 200
    assert "<script>alert" not in page.response.text
    assert "Nothing for" in page.text
