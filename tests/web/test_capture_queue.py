"""A large capture goes through the queue: its page says how far it is, and a worker of any machine reads it."""

from __future__ import annotations

import json
import threading
import time
from datetime import timedelta
from urllib.parse import urlsplit

from irongauge.workflows.shop.queue import work_off
from tests.web.visitor import Page


def large(rows=160_000):
    """More than what is read while a page waits: a square wave of 100 Hz, at 20 kHz."""
    lines = ["Time (s),Volts (V)"]
    lines += [f"{at / 20_000:.6f},{5.0 if at // 100 % 2 else 0.1:.4f}" for at in range(rows)]
    return "\n".join(lines).encode()


def send(visitor, content, name="large.csv", **headers):
    form = visitor.get("/pulse/waveform").form("/pulse/captures")
    files = {"file": (name, content, "text/csv")}
    return visitor.client.post(
        form.action, data=form.fields, files=files, follow_redirects=not headers, headers=headers
    )


def test_a_large_capture_waits_for_a_worker_and_says_so(visitor, demo):
    page = Page(send(visitor, large()))
    assert "It is being read" in page.text
    work_off(demo)
    read = visitor.get(page.response.url.path)
    assert "100" in read.text
    assert "large.csv" in visitor.get("/pulse/waveform").text


def test_a_capture_that_no_worker_takes_says_so_and_what_would_help(visitor, demo, monkeypatch):
    monkeypatch.setattr("irongauge.workflows.shop.waiting._UNSERVED_AFTER", timedelta(0))
    answer = send(visitor, large(), accept="text/event-stream")  # which does not wait for ever
    there = json.loads(answer.text.splitlines()[-1])["done"]
    assert "No worker has taken it" in visitor.get(urlsplit(there).path).text
    work_off(demo)
    assert "large.csv" in visitor.get("/pulse/waveform").text


def test_a_large_file_that_is_no_capture_is_refused_on_its_page(visitor, demo):
    page = Page(send(visitor, b"hello world\n" * 200_000, name="novel.txt"))
    assert "It is being read" in page.text
    work_off(demo)
    refused = visitor.get(page.response.url.path)
    assert "Read another file" in refused.text
    assert "novel.txt" in refused.text


def test_the_page_that_sent_it_is_told_how_far_the_worker_is(visitor, demo):
    """The worker begins when the capture waits, however long the upload takes, and gives up when it never does."""

    def work() -> None:
        for _ in range(300):
            with demo.unit() as store:
                if store.pulses.all_waiting():
                    break
            time.sleep(0.1)
        work_off(demo)

    worker = threading.Thread(target=work)
    worker.start()
    answer = send(visitor, large(), accept="text/event-stream")
    worker.join()
    told = [json.loads(line) for line in answer.text.splitlines()]
    assert told[0] == {"doing": "Waiting", "share": 0.0}
    assert "/pulse/captures/" in told[-1]["done"]
