"""Opening the server to its network, as a tablet finds it."""

import os
import re
import signal
import socket
import ssl
import subprocess
import threading
import time
from datetime import UTC, datetime, timedelta
from uuid import uuid4

import httpx
import pytest
import trustme
from cryptography import x509
from cryptography.hazmat.primitives.hashes import SHA256

from irongauge.core.shop import Shop
from irongauge.errors import SetupError
from irongauge.lan import open_to_lan
from irongauge.settings import Settings
from irongauge.store.cluster import free_port
from irongauge.workflows.people.accounts import ComingIn, make_first_foreman
from tests.cli.test_launcher import ROOT
from tools.serving import serving

PASSWORD = "cormorant lathe bisque tuesday"


@pytest.fixture
def lan(database, tmp_path):
    """`./iron serve --lan` over a database in which a foreman is set up, or not."""
    started = []

    def start(*words, port=0):
        environment = os.environ | {
            "DATABASE_URL": database.engine.url.render_as_string(hide_password=False),
            "IRON_LOCAL_DIR": str(tmp_path), "IRON_PORT": str(port or free_port()), "IRON_SECRET": "s", "IRON_WORKERS": "2",
        }  # fmt: skip
        process = subprocess.Popen(
            [ROOT / ".venv" / "bin" / "python", "-m", "irongauge", "serve", *words],
            cwd=ROOT, env=environment, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, start_new_session=True,
        )  # fmt: skip
        started.append(process)
        return process

    yield start
    for process in started:
        if process.poll() is None:
            process.send_signal(signal.SIGINT)
        process.communicate(timeout=90)


def set_up(database):
    coming = ComingIn(browser="A test", address="127.0.0.1")
    make_first_foreman(
        database, "Ottoline", PASSWORD, repeated=PASSWORD, coming=coming, shop=Shop(uid=uuid4(), name="Shed")
    )


def test_nothing_is_opened_where_nobody_can_come_in(lan):
    process = lan("--lan")
    said, _ = process.communicate(timeout=90)
    assert process.returncode == 1
    assert "nothing is opened to the network" in said


def test_a_tablet_comes_in_over_tls(lan, database, tmp_path):
    set_up(database)
    port = free_port()
    process = lan("--lan", port=port)
    said = ""
    while "is ready" not in said:
        line = process.stdout.readline()
        assert line, said
        said += line
    address = re.search(r"https://(\d+\.\d+\.\d+\.\d+):", said)[1]
    assert not address.startswith("127.")
    trusted = ssl.create_default_context(cafile=tmp_path / "tls" / "authority.pem")
    # The first page of a server that has just started, on a machine that is busy: longer than the usual 5 s.
    with httpx.Client(base_url=f"https://{address}:{port}", verify=trusted, timeout=90) as tablet:
        page = tablet.get("/sign-in")
        assert page.headers["strict-transport-security"].startswith("max-age=")
        token = re.search(r'name="token" value="([^"]+)"', page.text)[1]
        told = {"token": token, "name": "Ottoline", "password": PASSWORD}
        answer = tablet.post("/sign-in", data=told)
        assert answer.status_code == 303
        for cookie in answer.headers.get_list("set-cookie"):
            assert cookie.startswith("__Host-iron_"), cookie
            assert "secure" in cookie.lower(), cookie
        assert tablet.get("/").status_code == 200
        assert tablet.get("/first-foreman").status_code == 303
        shown = tablet.get("/authority.pem").content
    certificate = x509.load_pem_x509_certificate(shown)
    assert certificate.fingerprint(SHA256()).hex(":").upper() in said
    assert httpx.get(f"https://localhost:{port}/healthz", verify=trusted).status_code == 200
    with pytest.raises(httpx.HTTPError):
        httpx.get(f"http://{address}:{port}/", timeout=5)


def test_a_certificate_is_made_anew_before_it_ends_and_the_authority_stays(tmp_path):
    settings = Settings(local_dir=tmp_path)
    first = open_to_lan(settings, has_foreman=True)
    made = first.certificate.read_bytes()
    again = open_to_lan(settings, has_foreman=True)
    assert again.certificate.read_bytes() == made
    assert again.fingerprint == first.fingerprint
    found = x509.load_pem_x509_certificate(made)
    assert found.not_valid_after_utc - datetime.now(UTC) < timedelta(days=398)
    ca = trustme.CA.from_pem(
        (tmp_path / "tls/authority.pem").read_bytes(), (tmp_path / "tls/authority-key.pem").read_bytes()
    )
    names = found.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    ends = ca.issue_cert(
        *map(str, names.get_values_for_type(x509.IPAddress)), *names.get_values_for_type(x509.DNSName),
        not_after=datetime.now(UTC) + timedelta(days=20),
    )  # fmt: skip
    first.certificate.write_bytes(ends.cert_chain_pems[0].bytes())
    assert open_to_lan(settings, has_foreman=True).certificate.read_bytes() != ends.cert_chain_pems[0].bytes()
    assert all(path.stat().st_mode & 0o077 == 0 for path in (tmp_path / "tls").iterdir())


def test_the_shops_own_certificate_is_taken_or_missed(tmp_path):
    (tmp_path / "own.pem").write_text("x")
    settings = Settings(local_dir=tmp_path, tls_certificate=tmp_path / "own.pem", tls_key=tmp_path / "own.key")
    with pytest.raises(SetupError, match=r"own\.key is not there"):
        open_to_lan(settings, has_foreman=True)
    (tmp_path / "own.key").write_text("x")
    opened = open_to_lan(settings, has_foreman=True)
    assert (opened.certificate, opened.fingerprint) == (tmp_path / "own.pem", "")
    assert "authority" not in opened.told(8470)


@pytest.mark.parametrize(
    ("sent", "answer"),
    [
        (b"GET / HT", b""),
        (b"GET / HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Slow: ", b""),
        (
            (
                b"POST /sign-in HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/x-www-form-urlencoded\r\n"
                b"Content-Length: 50\r\n\r\nname="
            ),
            b"HTTP/1.1 408",
        ),
    ],
)
def test_who_is_slow_on_purpose_is_not_waited_for(standing_demo, monkeypatch, sent, answer):
    monkeypatch.setattr("irongauge.web.request_limits.HEAD_S", 0.5)
    monkeypatch.setattr("irongauge.web.security.BODY_S", 0.5)
    with serving(standing_demo.engine.url.render_as_string(hide_password=False)) as address:
        port = int(address.rsplit(":", 1)[1])
        with socket.create_connection(("127.0.0.1", port), timeout=15) as slow:
            before = time.monotonic()
            slow.sendall(sent)
            got = slow.recv(4096)
            assert got.startswith(answer)
            assert bool(got) is bool(answer)
            assert time.monotonic() - before < 10
        assert httpx.get(f"{address}/healthz").status_code == 200


def test_slow_clients_keep_nobody_else_waiting(standing_demo):
    with serving(standing_demo.engine.url.render_as_string(hide_password=False)) as address:
        port = int(address.rsplit(":", 1)[1])
        slow = [socket.create_connection(("127.0.0.1", port)) for _ in range(200)]
        for one in slow:
            one.sendall(b"GET / HT")
        took = []

        def ask():
            before = time.monotonic()
            assert httpx.get(f"{address}/healthz", timeout=10).status_code == 200
            took.append(time.monotonic() - before)

        askers = [threading.Thread(target=ask) for _ in range(8)]
        for asker in askers:
            asker.start()
        for asker in askers:
            asker.join()
        for one in slow:
            one.close()
        assert len(took) == 8
