"""What keeps the server safe, and what it does when something is missing."""

import re

import httpx
import pytest
from sqlalchemy import text

from irongauge.store.migrate import NEWEST
from tests.web.visitor import Visitor
from tools.serving import serving


def test_every_answer_carries_the_security_headers(visitor):
    for path in ("/", "/static/app.css", "/api/v1/jobs", "/nothing"):
        headers = visitor.client.get(path).headers
        policy = headers["content-security-policy"]
        assert "unsafe-inline" not in policy
        assert "unsafe-eval" not in policy
        assert "default-src 'none'" in policy
        assert headers["x-content-type-options"] == "nosniff"
        assert headers["x-frame-options"] == "DENY"


def test_a_form_without_its_token_changes_nothing_and_loses_nothing(visitor):
    page = visitor.send(visitor.get("/vehicles/new").form("/vehicles"), tag="N-9", token="made up")
    assert page.status == 403
    assert "Nothing was saved." in page.text
    assert "N-9" in page.text, "what was typed is listed"
    assert "N-9" not in visitor.get("/").text


def test_a_token_of_another_browser_is_refused(visitor):
    other = Visitor(str(visitor.client.base_url))
    token = other.get("/vehicles/new").form("/vehicles").fields["token"]
    assert visitor.send(visitor.get("/vehicles/new").form("/vehicles"), tag="N-9", token=token).status == 403
    other.client.close()


@pytest.mark.parametrize(
    "headers", [{"Origin": "http://elsewhere.example"}, {"Sec-Fetch-Site": "cross-site"}, {"Origin": "null"}]
)
def test_a_request_from_another_site_is_refused(visitor, headers):
    form = visitor.get("/vehicles/new").form("/vehicles")
    assert visitor.client.post(form.action, data=form.fields | {"tag": "N-9"}, headers=headers).status_code == 403
    assert visitor.client.post("/api/v1/vehicles", json={"tag": "N-9"}, headers=headers).status_code == 403


def test_a_request_for_another_host_is_refused(visitor):
    assert visitor.client.get("/", headers={"Host": "elsewhere.example"}).status_code == 400


def test_a_body_that_is_too_large_is_refused_before_it_is_read(visitor):
    form = visitor.get("/vehicles/new").form("/vehicles")
    answer = visitor.client.post(form.action, data=form.fields | {"description": "x" * 100_000})
    assert answer.status_code == 413
    assert "larger than the 64 kB taken here" in answer.text

    def endless():
        for _ in range(200):
            yield b'{"x": "' + b"y" * 65_536

    answer = visitor.client.post("/api/v1/vehicles", content=endless(), headers={"Content-Type": "application/json"})
    assert answer.status_code == 413
    assert answer.headers["content-type"] == "application/problem+json"


def test_our_own_files_carry_their_hash_and_are_kept(visitor):
    page = visitor.get("/")
    own = next(s for s in page.reader.sources if "/static/app.css" in s)
    assert "?v=" in own
    assert "immutable" in visitor.client.get(own).headers["cache-control"]
    assert visitor.client.get("/").headers["cache-control"] == "no-store"


def test_health_follows_the_database(visitor):
    assert visitor.client.get("/healthz").status_code == 200
    with serving("postgresql://nobody:x@127.0.0.1:1/none") as address:
        lost = Visitor(address)
        assert lost.client.get("/healthz").status_code == 503
        page = lost.get("/")
        assert page.status == 503
        assert "What a page has shown as saved is safe." in page.text
        assert lost.client.get("/api/v1/jobs").json()["title"] == "The database does not answer"
        lost.client.close()


def test_a_fault_of_ours_shows_a_reference_and_no_trace(visitor, monkeypatch, capsys):
    def broken(*_args):
        msg = "secret detail"
        raise RuntimeError(msg)

    monkeypatch.setattr("irongauge.web.shelf.routes.look_at_shelf", broken)
    page = visitor.get("/shelf")
    assert page.status == 500
    assert "Its reference is" in page.text
    assert "secret detail" not in page.text
    reference = page.text.split("Its reference is ")[1][:8]
    assert reference in capsys.readouterr().out


def test_machines_are_told_whether_it_is_ready_and_how_it_does(standing):
    assert standing.client.get("/readyz").json() == {"status": "ready", "tables": NEWEST}
    standing.client.get("/shelf")
    standing.client.get("/no/such/page")
    said = standing.client.get("/metrics")
    assert said.headers["content-type"].startswith("text/plain")
    assert re.search(r'irongauge_requests_total{method="GET",route="/shelf",status="200"} [1-9]', said.text)
    assert 'irongauge_request_seconds_bucket{le="0.05",route="/shelf"}' in said.text
    job = standing.client.get("/api/v1/jobs").json()[0]["uid"]
    standing.client.get(f"/jobs/{job}")
    said = standing.client.get("/metrics").text
    assert job not in said, "a route stands as it is written"
    assert 'route="/jobs/{uid}"' in said


def test_counts_are_for_the_machine_itself(standing_demo):
    with serving(standing_demo.engine.url.render_as_string(hide_password=False)) as address:
        answer = httpx.get(f"{address}/metrics", headers={"x-forwarded-for": "10.0.0.9"})
        assert answer.status_code == 403
        assert httpx.get(f"{address}/readyz", headers={"x-forwarded-for": "10.0.0.9"}).status_code == 200


def test_a_database_of_other_tables_is_not_ready(demo):
    with serving(demo.engine.url.render_as_string(hide_password=False)) as address:
        with demo.unit() as store:
            store.session.execute(text("UPDATE alembic_version SET version_num = '0003'"))
        answer = httpx.get(f"{address}/readyz")
        assert (answer.status_code, answer.json()["tables"]) == (503, "0003")
