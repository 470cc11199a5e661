"""`./iron measure fuzz`: odd and hostile input to every form, file and endpoint.

Requests are made from what the served application itself shows: the forms of its pages, and the examples of its API. None may be
a server error, and once all are through, every page must still open, those of what was accepted among them.
"""

from __future__ import annotations

import itertools
import json
import random
import sys
import time
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

import httpx

from irongauge.demo import load_demo
from irongauge.demo.shelf import uid_of
from irongauge.store.database import Database
from irongauge.store.migrate import migrate
from irongauge.workflows.shop.queue import work_off
from tests.web.visitor import Form, Page
from tools.figures import Figure, p95
from tools.serving import serving, throwaway_cluster

__all__ = ["fuzz", "fuzz_figures"]

_PAGES = (
    "/curve",
    "/curve/convert",
    "/curve/choose?quantity=pressure&base=gauge&least=0&greatest=10",
    "/curve/numbers",
    "/curve/check",
    "/curve/compare",
    "/curve/thermocouple",
    "/calibrations/new",
    "/pulse?teeth=20&axle_ratio=4.3&tyre=0.72+m&speed=30",
    "/pulse/speed",
    "/pulse/bus",
    "/pulse/principle",
    "/pulse/waveform",
    "/trace",
    "/trace/rules?when=oil+pressure+<+50+kPa",
    "/trace/live",
    "/vehicles/new",
    "/jobs/new",
    "/shelf",
    "/shelf/shop",
    "/shelf/sensor-types/new",
    "/shelf/instruments/new",
    "/record",
    "/check",
)
# What people type, what programs paste, and what is meant to break; the last is long, for a field that is meant for a dozen.
_TEXTS = (
    "0", "-0", "0.0", "1", "-1", "5", "100", "1e-308", "5e-324", "1e308", "-1e308", "1e400", "nan", "inf", "-inf", "1,5",
    "1 000", "1,000", "1.000,5", "0.5 V", "0,5V", "12 mV", "480 mV", "4,7k", "4k7", "OL", "o.l", "none", "n/a", "-", "+", ".",
    "1e", "--5", "5..3", "0x10", "1_000", "½", "٣", "𝟓", "−5", "225/55R17", "11R22.5", "26x9-12", "2.26 m", "3:1", "0:1",
    "25:0", "41:11", "1/0", "-300", "-300 bar", "1e9 kPa", "°C", "bar bar", "true", "[]", "{}", "<b>x</b>", "' OR 1=1 --",
    "{{ 7*7 }}", "%00", "../../x", "0e999", "²", "9²", "1e-999", "0001-01-01", "9999-12-31",
    "2026-02-30", "5a9c0b52-4a0e-4b3e-9a55-000000000000", "", " ", "5\u202f000", "\u202e5",
    "\xa05", "5\n6", "5\t6", "\x00", "\ud7ff", "9" * 400, "a" * 9000,
)  # fmt: skip
_VALUES: tuple[object, ...] = (
    0, -0.0, 1, -1, 1e-308, 5e-324, 1e308, -1e308, 1.7976931348623157e308, 1e154, 1e-154, 0.1, 5.0, 2.5, 1e9, 1e-9, 3, 10**400,
    None, True, "x", "5", "nan", [], {},
)  # fmt: skip
_HEADINGS = (
    "time,signal", "Time_ms;U/mV", "t/ms\tV", "Time(msec),CH1", "время (мс),В", "signal_mv", "", "time,time", "#", "s,V,V",
    "time (s),Oil pressure (bar),RPM", "time,Battery (V),ECT [°C]", "time_us,V", "t,°C", "time,speed_kmh",
    "time_s;speed (mph)", "time,lat,lon", '"time, s","V"', "\ufefftime,signal",
)  # fmt: skip


@dataclass
class _Told:
    """What came back."""

    by_status: Counter[int] = field(default_factory=Counter)
    broken: dict[str, str] = field(default_factory=dict)  # the first of each kind: where, and what was sent
    times_ms: list[float] = field(default_factory=list)
    kept: set[str] = field(default_factory=set)

    def count(self, least: int, most: int) -> int:
        """How many came back with such a status; 0 is none."""
        return sum(n for status, n in self.by_status.items() if least <= status <= most)

    @property
    def server_errors(self) -> int:
        return self.count(0, 0) + self.count(500, 599)

    def take(self, client: httpx.Client, method: str, path: str, sent: dict[str, object]) -> httpx.Response | None:
        """Send one request; one that never comes back counts as an error of the server."""
        started = time.perf_counter()
        try:
            answer = client.request(method, path, **sent)  # type: ignore[arg-type]
        except httpx.TransportError as problem:
            self.by_status[0] += 1
            self.broken.setdefault(path.split("?", maxsplit=1)[0], f"{problem!r} {str(sent)[:400]}")
            return None
        self.times_ms.append((time.perf_counter() - started) * 1000)
        self.by_status[answer.status_code] += 1
        if answer.is_server_error:
            self.broken.setdefault(path.split("?", maxsplit=1)[0], str(sent)[:400])
        if any(mark in answer.url.path for mark in ("/pulse/captures/", "/calibrations/", "/trace/logs/")):
            self.kept.add(answer.url.path)
        return answer


def fuzz_figures(number: int) -> list[Figure]:
    """`number` requests, a third each of forms, API bodies and files, and then every page once more."""
    with throwaway_cluster() as url:
        database = Database(url)
        migrate(database.engine)
        load_demo(database)
        with serving(url) as address, httpx.Client(base_url=address, timeout=60, follow_redirects=True) as client:
            return fuzz(client, database, number)


def fuzz(client: httpx.Client, database: Database, number: int) -> list[Figure]:
    """The same by a client who has come in as somebody, or as nobody."""
    rng = random.Random(20261128)  # noqa: S311  drawn again alike, no secret
    forms = [form for path in _pages(client) for form in Page(client.get(path)).reader.forms if form.action]
    bodies = list(_examples(client))
    told = _Told()
    for turn in range(number):
        if turn % 3 == 0:
            path, body = rng.choice(bodies)
            values = (rng.choice(_VALUES),) if _once_in(rng, 4) else (*_VALUES, *_TEXTS)
            told.take(client, "POST", path, _json(_bent(rng, body, rng.choice((2, 5, 20)), values)))
        elif turn % 3 == 1:
            _fill_in(told, client, rng, rng.choice(forms))
        else:
            _hand_in(told, client, rng, [form for form in forms if form.files])
    work_off(database)  # logs that were handed in are read
    after = _Told()
    pages = sorted(told.kept)[:: max(1, len(told.kept) // 300)]
    for path in (*_PAGES, *_planned(), "/", "/shelf", *pages):
        after.take(client, "GET", path, {})
    for where, what in (told.broken | after.broken).items():
        print(f"{where}: {what}", file=sys.stderr)
    return [
        Figure(f"server errors in {number} odd requests to every room", told.server_errors, "", "0"),
        Figure("  refused with a message", told.count(400, 499), ""),
        Figure("  answered", told.count(200, 399), ""),
        Figure(f"pages broken afterwards, of {sum(after.by_status.values())}", after.server_errors, "", "0"),
        Figure("answer, p95", p95(told.times_ms), "ms"),
        Figure("answer, slowest", max(told.times_ms), "ms"),
    ]


def _pages(client: httpx.Client) -> Iterator[str]:
    """The pages to find forms on: the named ones, and the first calibration and capture of the shop."""
    yield from _PAGES
    yield from _planned()
    for page, wanted in (("/curve", "/calibrations/"), ("/pulse/waveform", "/pulse/captures/")):
        links = (httpx.URL(link).path for link in Page(client.get(page)).reader.links)
        yield from itertools.islice((link for link in links if link.startswith(wanted) and "-" in link), 2)


def _planned() -> Iterator[str]:
    """The pages of the demo's vehicles and of one of their jobs."""
    launcher, de_icer, groomer = (uid_of(tag) for tag in ("LT-7", "D-3", "G-12"))
    yield from (f"/vehicles/{launcher}", f"/vehicles/{launcher}/inputs?function={uid_of('function Boost pressure')}")
    yield from (f"/vehicles/{de_icer}/wiring", f"/vehicles/{groomer}/power", "/plan", "/shelf/modules/new")
    yield from ("/work", f"/work?step={uid_of('P-2')}/added:{uid_of('step hose')}", f"/vehicles/{launcher}/work")
    job = f"/jobs/{uid_of('job LT-7')}"
    yield from (f"{job}/kit", f"{job}/codes", f"{job}/circuits/new", f"{job}/handover", job)
    for name in ("Brake line pressure", "Coolant temperature", "Axle speed"):
        circuit = f"/circuits/{uid_of(f'LT-7/{name}')}"
        yield from (f"{circuit}/bench", f"{circuit}/card", f"{circuit}/reader")
    yield f"/circuits/{uid_of('BOARD/Oil pressure')}/bench"
    log = uid_of("log slipway run.csv")
    yield f"/trace?vehicle_uid={launcher}"
    yield from (f"/trace/logs/{log}?channel=6", f"/trace/logs/{log}/peaks?place=6", f"/vehicles/{launcher}/normals")


def _examples(client: httpx.Client) -> Iterator[tuple[str, object]]:
    """The API's own examples."""
    for path, methods in client.get("/api/v1/openapi.json").json()["paths"].items():
        bodies = methods.get("post", {}).get("requestBody", {}).get("content", {}).get("application/json", {})
        for example in bodies.get("examples", {}).values():
            yield path, example["value"]


def _json(body: object) -> dict[str, object]:
    return {"content": json.dumps(body), "headers": {"Content-Type": "application/json"}}


def _once_in(rng: random.Random, times: int) -> bool:
    return rng.randrange(times) == 0


def _bent(rng: random.Random, body: object, every: int, values: Sequence[object]) -> object:
    """A body in which one thing of so many is one of the values instead, and here and there one is missing."""
    if _once_in(rng, every):
        return rng.choice(values)
    if isinstance(body, dict):
        return {key: _bent(rng, value, every, values) for key, value in body.items() if not _once_in(rng, 40)}
    if isinstance(body, list):
        return [_bent(rng, value, every, values) for value in body]
    return body


def _typed(rng: random.Random, form: Form) -> dict[str, object]:
    """A form's fields with some of them typed over; its token stays, so that more than the door is tried."""
    fields: dict[str, object] = dict(form.fields)
    names = [name for name in fields if name != "token"]
    for name in rng.sample(names, min(len(names), rng.choice((1, 2, 3, 5, len(names))))):
        fields[name] = rng.choice(_TEXTS)
    if names and _once_in(rng, 15):
        del fields[rng.choice(names)]
    return fields


def _fill_in(told: _Told, client: httpx.Client, rng: random.Random, form: Form) -> None:
    fields = _typed(rng, form)
    if form.method.lower() == "post":
        told.take(client, "POST", form.action, {"data": fields})
    else:
        told.take(client, "GET", form.action, {"params": fields})


def _hand_in(told: _Told, client: httpx.Client, rng: random.Random, forms: list[Form]) -> None:
    """An odd file, to a form or to the API, with the other fields as they are or typed over."""
    content = _odd_file(rng)
    if _once_in(rng, 3):
        told.take(
            client,
            "POST",
            "/api/v1/captures",
            {"files": {"file": ("odd.csv", content)}, "data": {"teeth": rng.choice(("36", "", *_TEXTS[:20]))}},
        )
        return
    form = rng.choice(forms)
    fields = _typed(rng, form) if _once_in(rng, 2) else dict(form.fields)
    told.take(client, "POST", form.action, {"data": fields, "files": dict.fromkeys(form.files, ("odd.csv", content))})


def _odd_file(rng: random.Random) -> bytes:
    """A small capture, log or table that someone else's instrument might have written, or that is none."""
    if _once_in(rng, 10):
        return rng.randbytes(rng.choice((0, 1, 7, 400, 20_000)))
    heading = rng.choice(_HEADINGS)
    split = next((mark for mark in ("\t", ";") if mark in heading), ",")
    columns = max(1, heading.count(split) + 1)
    step = rng.choice((1e-4, 1e-3, 0.05, 1.0, 0.0, -1e-3, 1e300))
    rows = []
    for n in range(rng.choice((0, 1, 2, 3, 40, 2000))):
        level = 4.8 if n // rng.choice((5, 5, 5, 6)) % 2 else 0.2
        rows.append(split.join(f"{value:.6g}" for value in (n * step, *[level] * (columns - 1))[:columns]))
    for _ in range(rng.choice((0, 0, 1, 3))):
        rows.insert(
            rng.randint(0, len(rows)),
            rng.choice((*_TEXTS[:-1], split * 9, "nan" + split + "nan", "1e308" + split + "-1e308")),
        )
    text = "\n".join(
        [*rng.choice(([], ["# made by", "Rate: 10 kHz"], ["odd"])), *([heading] if heading else []), *rows]
    )
    if _once_in(rng, 5):
        text = text.replace(".", ",")
    return text.encode(rng.choice(("utf-8", "utf-8", "utf-16", "latin-1", "cp1251")), errors="replace")
