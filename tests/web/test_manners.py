"""HTTP as programs and odd clients speak it: heads, methods, sizes, bodies, files that would break a page later."""

from __future__ import annotations

import copy
import gzip
import io
import json
import re
from uuid import NAMESPACE_URL, uuid5

import pytest

from irongauge.demo.shelf import uid_of
from irongauge.workflows.shop.queue import work_off
from tests.web.visitor import Page

LT7 = uid_of("job LT-7")
_UID = re.compile(r"[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}")


@pytest.mark.parametrize("path", ["/", "/shelf", f"/jobs/{LT7}", "/static/app.css", "/api/v1/shelf", "/trace"])
def test_a_head_is_that_of_the_page_without_it(standing, path):
    head, page = standing.client.head(path), standing.client.get(path)
    assert head.status_code == page.status_code == 200
    assert head.content == b""
    assert head.headers["content-type"] == page.headers["content-type"]


def test_what_may_be_done_is_said_where_something_else_was(standing):
    for path, kind in (("/shelf", "text/html"), ("/api/v1/shelf", "application/problem+json")):
        answer = standing.client.put(path)
        assert answer.status_code == 405
        assert "GET" in answer.headers["allow"]
        assert answer.headers["content-type"].startswith(kind)


def test_a_form_that_is_too_large_is_answered_with_a_page(standing):
    answer = standing.client.post("/shelf/technicians", content=b"x" * 70_000)
    assert answer.status_code == 413
    assert "larger than the 64 kB taken here" in Page(answer).text
    told = standing.client.post("/shelf/technicians", content=b"x" * 70_000, headers={"accept": "text/event-stream"})
    assert told.headers["content-type"].startswith("text/plain")


def test_a_body_that_is_no_json_is_said_in_words(standing):
    for content in (b"[" * 100_000, b"{", b"\xff\xfe"):
        answer = standing.client.post("/api/v1/jobs", content=content, headers={"content-type": "application/json"})
        assert answer.status_code in {400, 422}
        assert "JSON" in answer.json()["detail"]


@pytest.mark.parametrize("origin", ["http://[::1", "null", "http://elsewhere", "://", "http://[", ""])
def test_an_odd_origin_is_another_site(standing, origin):
    answer = standing.client.post("/vehicles", data={"tag": "x"}, headers={"origin": origin})
    assert answer.status_code == 403


def test_true_and_false_are_no_numbers(standing):
    body = {"tag": "Q-1", "system_v": 12, "height_m": True}
    answer = standing.client.post("/api/v1/vehicles", json=body)
    assert answer.status_code == 422
    assert "height_m is true" in answer.text


# Files


def squeezed(*pieces):
    out = io.BytesIO()
    with gzip.GzipFile(fileobj=out, mode="wb", compresslevel=9) as packed:
        for piece in pieces:
            packed.write(piece)
    return out.getvalue()


ONE_LINE = squeezed(*(b"," * 1_000_000 for _ in range(180)))


def test_a_small_file_that_unpacks_to_one_endless_line_is_a_clear_no(visitor, demo):
    assert len(ONE_LINE) < 200_000
    form = visitor.get("/pulse/waveform").form("/pulse/captures")
    answer = visitor.client.post(
        form.action, data=form.fields, files={"file": ("a.csv.gz", ONE_LINE)}, follow_redirects=True
    )
    assert answer.status_code == 422
    assert "no row of a table" in Page(answer).text
    log = visitor.get("/trace").form("/trace/logs")
    files = {"file": ("a.csv.gz", ONE_LINE)}
    data = {**log.fields, "vehicle_uid": str(uid_of("P-2"))}
    page = Page(visitor.client.post(log.action, data=data, files=files, follow_redirects=True))
    work_off(demo)
    assert "Its first line is longer than" in visitor.get(page.response.url.path).text


def changed(job, path, value, salt):
    """A job file with one thing changed, and identities of its own."""
    told = copy.deepcopy(job)
    place = told
    for step in path[:-1]:
        place = place[step]
    place[path[-1]] = value
    text = _UID.sub(lambda m: str(uuid5(NAMESPACE_URL, m[0] + salt)), json.dumps(told))
    return text.replace('"tag": "LT-7"', f'"tag": "{salt}"')


HOSTILE = [
    (("job", "received_on"), "0001-01-01"),
    (("job", "promised_on"), "9999-12-31"),
    (("job", "number"), 2_000_000_000),
    (("circuits", 1, "readings", 3, "value"), 1e308),
    (("circuits", 1, "readings", 3, "value"), -1e308),
    (("circuits", 1, "readings", 3, "taken_at"), "0001-01-01T00:00:00Z"),
    (("circuits", 1, "readings", 3, "taken_at"), "9999-12-31T23:59:59Z"),
    (("circuits", 1, "readings", 3, "value"), True),
    (("circuits", 1, "stimuli", 0, "value"), 1e300),
    (("circuits", 1, "reference_v"), 1e12),
    (("instruments", 0, "reading_pct"), 1e9),
    (("instruments", 0, "due"), "0001-01-01"),
    (("vehicle", "height_m"), 1e6),
]


@pytest.mark.parametrize(("path", "value"), HOSTILE, ids=[f"{p[-1]} {v}" for p, v in HOSTILE])
def test_a_file_beyond_what_a_form_takes_is_refused_whole(standing, path, value):
    job = standing.client.get(f"/api/v1/jobs/{LT7}").json()
    text = changed(job, path, value, "REFUSED")
    answer = standing.client.post("/api/v1/jobs/import", content=text, headers={"content-type": "application/json"})
    assert answer.status_code == 422
    assert standing.get("/").status == 200


EXTREME = [
    (("circuits", 1, "readings", 3, "value"), 1e9),
    (("circuits", 1, "readings", 3, "value"), -1e9),
    (("circuits", 1, "readings", 3, "value"), 0),
    (("circuits", 1, "readings", 3, "taken_at"), "2099-12-31T00:00:00Z"),
    (("job", "promised_on"), "2099-12-31"),
    (("job", "number"), 9_999_999),
    (("vehicle", "height_m"), -500),
]


@pytest.mark.parametrize(("path", "value"), EXTREME, ids=[f"{p[-1]} {v}" for p, v in EXTREME])
def test_what_is_taken_in_breaks_no_page_later(visitor, path, value):
    job = visitor.client.get(f"/api/v1/jobs/{LT7}").json()
    text = changed(job, path, value, "TAKEN")
    answer = visitor.client.post("/api/v1/jobs/import", content=text, headers={"content-type": "application/json"})
    assert answer.status_code in {201, 422}, answer.text
    if answer.status_code == 201:
        told = json.loads(text)
        job_uid, circuit_uid = told["job"]["uid"], told["circuits"][1]["uid"]
        for page in (
            "/",
            f"/jobs/{job_uid}",
            f"/jobs/{job_uid}/handover",
            f"/circuits/{circuit_uid}/bench",
            "/plan",
            "/api/v1/jobs",
            f"/api/v1/jobs/{job_uid}",
            f"/jobs/{job_uid}/readings.csv",
            f"/vehicles/{told['vehicle']['uid']}",
        ):
            assert visitor.client.get(page).status_code == 200, page
    body = {
        "vehicle_uid": str(uid_of("D-3")),
        "title": "Next",
        "received_on": "2026-01-02",
        "promised_on": "2026-01-09",
        "technician_uid": str(uid_of("Bram Keldby")),
    }
    new = visitor.client.post("/api/v1/jobs", json=body)
    assert new.status_code == 201, new.text


def test_a_file_with_thousands_of_one_name_is_taken_in_and_its_notes_stay_short(visitor):
    job = visitor.client.get(f"/api/v1/jobs/{LT7}").json()
    text = changed(job, ("job", "title"), "Many people", "MANY")
    told = json.loads(text)
    told["technicians"] += [
        {"uid": str(uuid5(NAMESPACE_URL, f"one of many {n}")), "name": "Bram Keldby"} for n in range(2000)
    ]
    form = visitor.get("/").form("/jobs/import")
    files = {"file": ("many.json", json.dumps(told).encode(), "application/json")}
    answer = visitor.client.post(form.action, data=form.fields, files=files, follow_redirects=True)
    assert answer.status_code == 200
    assert len(str(answer.url)) < 6000
    assert "more things were taken in under another name" in Page(answer).text
