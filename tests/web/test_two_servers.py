"""Two servers of one shop behind a proxy that sends every request to the other one: nobody notices."""

import itertools
import threading
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import httpx
import pytest

from irongauge.store.cluster import free_port
from irongauge.workflows.people.accounts import invite, look_at_people
from tests.web.coming_in import PASSWORD, by_password
from tests.web.visitor import Visitor
from tools.serving import serving


@contextmanager
def proxy_to(*servers):
    """A proxy as shops have them: it hands on what comes, with where it came from, and tells the host that was asked for."""
    turns = itertools.cycle(servers)
    used = []

    class Handler(BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"

        def _pass_on(self):
            body = self.rfile.read(int(self.headers.get("Content-Length", 0)))
            server = next(turns)
            used.append(server)
            headers = {k: v for k, v in self.headers.items() if k.lower() not in {"connection", "content-length"}}
            headers["X-Forwarded-For"] = self.headers.get("X-Test-From", "10.0.0.7")
            with httpx.Client(timeout=60) as client:
                answer = client.request(self.command, server + self.path, headers=headers, content=body)
            self.send_response(answer.status_code)
            for name, value in answer.headers.multi_items():
                if name.lower() not in {"content-encoding", "transfer-encoding", "content-length", "connection"}:
                    self.send_header(name, value)
            self.send_header("Content-Length", str(len(answer.content)))
            self.end_headers()
            self.wfile.write(answer.content)

        do_GET = do_POST = _pass_on  # noqa: N815  as it is there

        def log_message(self, *_):
            pass

    port = free_port()
    server = ThreadingHTTPServer(("127.0.0.1", port), Handler)
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    yield f"http://127.0.0.1:{port}", used
    server.shutdown()
    server.server_close()
    thread.join()


@pytest.fixture
def proxied(demo):
    url = demo.engine.url.render_as_string(hide_password=False)
    behind = {"demo_people": False, "proxy": "127.0.0.1"}
    with serving(url, **behind) as one, serving(url, **behind) as two:
        first = Visitor(one)
        first.send(
            first.get("/sign-in").form("/first-foreman"), name="Ottoline Marsh", password=PASSWORD, repeated=PASSWORD
        )
        first.client.close()
        with proxy_to(one, two) as (address, used):
            visitor = Visitor(address)
            visitor.database, visitor.used = demo, used
            yield visitor
            visitor.client.close()


def come_in(visitor, name="Ottoline Marsh", password=PASSWORD):
    return visitor.send(by_password(visitor.get("/sign-in")), name=name, password=password)


def test_who_came_in_at_one_is_in_at_the_other(proxied):
    assert come_in(proxied).status == 200
    for _ in range(6):
        assert proxied.get("/shelf").response.url.path == "/shelf"
    assert len(set(proxied.used)) == 2


def test_a_form_of_one_is_taken_by_the_other_and_seen_by_both(proxied):
    come_in(proxied)
    job = next(j for j in proxied.client.get("/api/v1/jobs").json() if j["vehicle"] == "LT-7")
    brake = next(c["uid"] for c in job["circuits"] if c["name"] == "Brake line pressure")
    form = proxied.get(f"/circuits/{brake}/bench").form("/readings")
    saved = proxied.send(form, value="12.61")
    assert "12.61 V is within" in saved.text
    twice = proxied.send(form, value="12.61")
    assert twice.status == 200
    for _ in range(2):
        readings = proxied.client.get(f"/api/v1/circuits/{brake}/readings").json()
        assert sum(r["reading"]["typed"] == "12.61" for r in readings) == 1


def test_who_goes_out_at_one_is_out_at_the_other(proxied):
    come_in(proxied)
    proxied.send(proxied.get("/me").form("/sign-out"))
    for _ in range(2):
        assert proxied.get("/shelf").response.url.path == "/sign-in"


def test_guesses_count_together_for_where_they_really_come_from(proxied):
    proxied.client.headers["X-Test-From"] = "10.0.0.66"
    answers = [come_in(proxied, password="wrong").status for _ in range(8)]
    assert answers.count(422) == 5
    assert answers[-1] == 429
    proxied.client.headers["X-Test-From"] = "10.0.0.7"
    assert come_in(proxied).status == 200


def test_what_is_for_the_machine_itself_is_not_for_who_comes_by_the_proxy(proxied):
    assert proxied.client.get("/metrics").status_code == 403
    code = invite(
        proxied.database,
        next(a.person.uid for a in look_at_people(proxied.database).shown if a.person.name == "Bram Keldby"),
    )
    assert "Choose a password now" in come_in(proxied, "Bram Keldby", code).text
