"""Pages speak plain trade English: what docs/words.md puts on the left stands on no page, of the demo or of an empty shop."""

from __future__ import annotations

import re
from html.parser import HTMLParser
from pathlib import Path

import pytest

from irongauge.demo.shelf import uid_of

ROOT = Path(__file__).resolve().parents[2]
ROWS = re.findall(r"^\| ([^|]+?) \| [^|]+? \|$", (ROOT / "docs" / "words.md").read_text(encoding="utf-8"), re.MULTILINE)
REFUSED = tuple(row for row in ROWS if row not in {"not", "---"})
LT7, JOB = uid_of("LT-7"), uid_of("job LT-7")
PAGES = (
    "/", "/vehicles/new", "/jobs/new", f"/jobs/{JOB}", f"/jobs/{JOB}/handover", f"/jobs/{JOB}/kit", f"/jobs/{JOB}/codes",
    f"/jobs/{JOB}/circuits/new", f"/vehicles/{LT7}", f"/vehicles/{LT7}/inputs", f"/vehicles/{LT7}/wiring",
    f"/vehicles/{LT7}/power", f"/vehicles/{LT7}/joints", f"/vehicles/{LT7}/normals", f"/vehicles/{LT7}/work", "/work",
    "/shelf", "/shelf/shop", "/shelf/sensor-types/new", "/shelf/instruments/new", "/shelf/modules", "/shelf/modules/new",
    "/curve", "/curve/convert", "/curve/choose", "/curve/numbers", "/curve/check", "/curve/compare", "/curve/thermocouple",
    "/pulse", "/pulse/speed", "/pulse/principle", "/pulse/gap", "/pulse/fuel", "/pulse/bus", "/pulse/waveform", "/trace",
    "/trace/rules", "/trace/live", "/plan", "/people", "/record", "/me", "/guide",
)  # fmt: skip


def said_wrongly(page):
    """What stands there that should not; whole words, in the case in which it is refused."""
    return [words for words in REFUSED if re.search(rf"(?<!\w){re.escape(words)}(?!\w)", page.text)]


class Attributes(HTMLParser):
    """Every attribute of a page that goes over the end of a line, where it is not meant to."""

    def __init__(self, html):
        super().__init__()
        self.broken = set()
        self.feed(html)

    def handle_starttag(self, tag, attrs):
        self.broken |= {(tag, name, value) for name, value in attrs if "\n" in (value or "") and name not in MAY}


MAY = {
    "d",
    "points",
    "transform",
    "data-copy",
    "placeholder",
}  # figures of a drawing, and what is several lines by itself


def test_the_list_is_read():
    assert len(REFUSED) > 40
    assert "Throw out" in REFUSED


@pytest.mark.parametrize("path", PAGES)
def test_a_page_of_the_demo_says_it_plainly(standing, path):
    page = standing.get(path)
    assert page.status == 200
    assert said_wrongly(page) == []
    assert Attributes(page.response.text).broken == set(), "a script that compares it, and a reader aloud, stumble"


def test_the_benches_of_the_demo_say_it_plainly(standing):
    for job in standing.client.get("/api/v1/jobs").json():
        for circuit in job["circuits"]:
            for part in ("bench", "card", "reader"):
                page = standing.get(f"/circuits/{circuit['uid']}/{part}")
                assert said_wrongly(page) == [], (circuit["name"], part)
                assert Attributes(page.response.text).broken == set(), (circuit["name"], part)


@pytest.mark.parametrize("path", ["/", "/shelf", "/work", "/people", "/trace", "/curve", "/plan", "/vehicles/new"])
def test_an_empty_shop_says_it_plainly(newcomer, path):
    assert said_wrongly(newcomer.get(path)) == []
