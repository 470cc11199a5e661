"""The Floor of a small shop and of a full one: what leaves next, what is stuck, and finding one among many."""

from __future__ import annotations

import re
from datetime import UTC, date, datetime, time
from types import SimpleNamespace
from uuid import uuid4

import pytest

from irongauge.core.shop import Job, Promise, Technician, Vehicle
from irongauge.web.floor.routes import FloorLine, Only, look_ahead
from irongauge.web.floor.strips import draw_days
from irongauge.workflows.shop.jobs import look_at_arrivals

TODAY = date(2026, 11, 29)


def _line(tag, promised, level="not measured", *, done=False, ready=False, practice=False):
    job = Job(
        uid=uuid4(),
        number=1,
        vehicle=Vehicle(uid=uuid4(), tag=tag, description="", system_v=12.0, height_m=12.0),
        title="x",
        received_on=date(2026, 11, 1),
        promise=Promise(promised),
        technician=Technician(uuid4(), "Nell"),
        is_practice=practice,
        handed_over_at=datetime(2026, 11, 28, tzinfo=UTC) if done else None,
        reviewed_by=Technician(uuid4(), "Bram") if done else None,
    )
    view = SimpleNamespace(job=job, may_be_handed_over=ready)
    return FloorLine(view, draw_days(datetime.combine(TODAY, time(9)), job), "waits", level)


EARLY, LATER = date(2026, 11, 29), date(2026, 12, 3)


@pytest.mark.parametrize(
    ("lines", "first", "stuck"),
    [
        ([], None, []),
        ([_line("A", LATER), _line("B", EARLY)], "B", []),
        ([_line("A", EARLY), _line("B", EARLY, ready=True)], "B", []),
        ([_line("A", EARLY, done=True), _line("B", LATER)], "B", []),
        ([_line("P", EARLY, practice=True), _line("B", LATER)], "B", []),
        (
            [_line("A", EARLY), _line("B", LATER, "fail"), _line("C", LATER, "undecided"), _line("D", LATER)],
            "A",
            ["B", "C"],
        ),
        ([_line("A", date(2026, 11, 20)), _line("B", date(2026, 11, 25))], "A", ["B"]),
        ([_line("A", date(2026, 11, 20), "fail", done=True)], None, []),
    ],
    ids=[
        "empty",
        "by promise",
        "ready before open",
        "what left",
        "practice",
        "faults",
        "late",
        "nothing of what left is stuck",
    ],
)
def test_what_leaves_next_and_what_is_stuck(lines, first, stuck):
    ahead = look_ahead(lines, TODAY)
    assert (None if ahead.first is None else ahead.first.view.job.vehicle.tag) == first
    assert [line.view.job.vehicle.tag for line in ahead.stuck] == stuck


def test_the_counts_are_those_of_the_lines_that_each_choice_leaves():
    lines = [
        _line("A", EARLY, ready=True),
        _line("B", LATER, "fail"),
        _line("C", date(2026, 11, 2)),
        _line("D", EARLY, done=True),
    ]
    assert look_ahead(lines, TODAY).counts == {Only.STUCK: 2, Only.DUE: 2, Only.READY: 1}


def test_the_floor_is_narrowed_by_words_and_by_what_is_stuck(standing):
    everything = standing.get("/").text
    assert "Next out" in everything
    assert "LT-7" in standing.get("/?q=tractor").text
    narrowed = standing.get("/?which=stuck").response.text.split('id="live-floor"')[1]
    assert "LT-7" in narrowed
    assert "D-3" not in narrowed
    assert standing.get("/?which=nonsense").status == 200
    assert "No job fits “zebra”" in standing.get("/?q=zebra").text


def test_sixty_vehicles_stand_in_compact_lines(visitor):
    for n in range(60):
        form = visitor.get("/vehicles/new").form("/vehicles")
        visitor.client.post(
            form.action, data={**form.fields, "tag": f"N-{n}", "title": f"Work {n}"}, follow_redirects=False
        )
    page = visitor.get("/")
    assert "floor many" in page.response.text
    assert len(page.response.content) <= 60_000, "a full shop is not sent to a tablet at once"
    seen, pages = [], 1
    while True:
        seen += re.findall(r'<div class="tag"><span>([^<]+)', page.response.text)
        assert page.response.text.count('class="panel floor-line') <= 20
        following = [link for link in page.reader.links if f"page={pages + 1}" in link]
        if not following:
            break
        pages, page = pages + 1, visitor.get(following[0])
    ours = [tag for tag in seen if tag.startswith("N-")]
    assert sorted(ours) == sorted(f"N-{n}" for n in range(60)), "each once, whatever page it is on"
    assert visitor.get("/?q=N-17").response.text.count('class="panel floor-line') == 1


@pytest.mark.parametrize("page", ["0", "-1", "99", "x", "²", "9" * 40])
def test_a_page_of_the_list_that_is_not_there_is_the_nearest_one(standing, page):
    assert standing.get(f"/?page={page}").response.text.count('class="panel floor-line') > 3


def test_what_one_would_do_now_stands_first_on_the_job(standing):
    jobs = {job["vehicle"]: job for job in standing.client.get("/api/v1/jobs").json()}
    page = standing.get(f"/jobs/{jobs['LT-7']['uid']}").text
    assert page.index("Put it right") < page.index("Brake line pressure Orrin")


def test_a_shop_with_many_vehicles_names_some_of_those_without_a_job(demo, visitor):
    with demo.unit() as store:
        shop = store.shops.first()
        for n in range(60):
            store.jobs.add_vehicle(
                shop.uid, Vehicle(uid=uuid4(), tag=f"Z-{n:02}", description="", system_v=12.0, height_m=0.0)
            )
    plan = visitor.get("/plan")
    assert plan.response.text.count('class="plan-tag"') == 48
    rest = visitor.get(plan.link("page=2"))
    assert rest.response.text.count('class="plan-tag"') == 60 + 5 - 48
    page = visitor.get("/")
    named = [href for href in page.reader.links if "/jobs/new?vehicle=" in href]
    assert len(named) == 24
    assert f"and {60 - 24} more" in page.text
    assert len([v for v in look_at_arrivals(demo).vehicles if v.tag.startswith("Z-")]) == 60
