"""`./iron measure`: the speeds and sizes that the product promises, measured on the demo shop.

Times of a page stand beside a bare page of the same framework, served in the same run on the same machine, so that the
ratio can be compared where a time would drift. `--json` prints the same figures for machines.
"""

from __future__ import annotations

import argparse
import http.client
import json
import os
import signal
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import asdict
from pathlib import Path
from urllib.parse import urlsplit

import uvicorn
from fastapi import FastAPI
from fastapi.responses import HTMLResponse

from irongauge.demo import load_demo
from irongauge.store.cluster import free_port
from irongauge.store.database import Database
from irongauge.store.migrate import migrate
from tools.benching import bench_figures
from tools.curving import curve_figures
from tools.diagnosing import diagnosis_figures
from tools.figures import Figure, p95
from tools.fuzzing import fuzz_figures
from tools.house import house_figures
from tools.listening import live_figures
from tools.log_practice import log_practice_figures
from tools.mutants import mutant_figures
from tools.planning import plan_figures
from tools.practice import practice_figures
from tools.pulsing import pulse_figures
from tools.serving import serving, throwaway_cluster
from tools.tracing import trace_figures
from tools.trusting import trust_figures
from tools.working import figures as session_figures

ROOT = Path(__file__).resolve().parent.parent
REPEATS = 60
STARTS = 5
MS = 1000.0
_SMALL = 0.005


@contextmanager
def bare_page() -> Iterator[str]:
    """A page of the same framework that does nothing."""
    app = FastAPI()

    @app.get("/", response_class=HTMLResponse)
    def nothing() -> str:
        return "<!doctype html><title>bare</title>"

    port = free_port()
    server = uvicorn.Server(uvicorn.Config(app, host="127.0.0.1", port=port, log_level="warning"))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.01)
    yield f"http://127.0.0.1:{port}"
    server.should_exit = True
    thread.join(5)


def get(connection: http.client.HTTPConnection, path: str) -> tuple[float, int]:
    """Milliseconds for one request, and the bytes of its compressed body."""
    started = time.perf_counter()
    connection.request("GET", path, headers={"Accept-Encoding": "gzip"})
    body = connection.getresponse().read()
    return (time.perf_counter() - started) * MS, len(body)


def page_figures(address: str, bare: str, pages: dict[str, str]) -> list[Figure]:
    """Each page's times in turn with the bare page's, so that both see the same machine."""
    ours, theirs = (http.client.HTTPConnection(urlsplit(a).netloc) for a in (address, bare))
    figures = []
    for name, path in pages.items():
        for _ in range(5):
            get(ours, path), get(theirs, "/")
        pairs = [(get(ours, path), get(theirs, "/")) for _ in range(REPEATS)]
        times, bare_times = [a[0] for a, _ in pairs], [b[0] for _, b in pairs]
        figures += [
            Figure(f"{name}: page time p95", p95(times), "ms", "under 50"),
            Figure(f"{name}: page time median", statistics.median(times), "ms"),
            Figure(
                f"{name}: median as a multiple of a bare page",
                statistics.median(times) / statistics.median(bare_times),
                "×",
            ),
            Figure(f"{name}: page weight, compressed", pairs[0][0][1] / 1000, "kB", "under 40"),
        ]
    return figures


def first_visit_kb(address: str, path: str) -> float:
    """Everything that a first visit to a page loads, compressed, in kB."""
    connection = http.client.HTTPConnection(urlsplit(address).netloc)
    connection.request("GET", path, headers={"Accept-Encoding": "gzip"})
    total = len(connection.getresponse().read())
    with urllib.request.urlopen(address + path) as answer:
        text = answer.read().decode()
    css = text.split('href="/static/app.css')[1].split('"')[0]
    with urllib.request.urlopen(f"{address}/static/app.css{css}") as answer:
        fonts = ["/static/" + part.split('"')[0] for part in answer.read().decode().split('url("')[1:]]
    assets = {p.split('"')[0].split("#")[0] for mark in ('href="', 'src="') for p in text.split(mark)[1:]}
    wanted = {a for a in assets if a.startswith("/static/")} | {f for f in fonts if "latin-ext" not in f}
    for asset in wanted:
        total += get(connection, asset)[1]
    return total / 1000


def reading_figures(address: str) -> list[Figure]:
    """From a reading sent to the verdict that follows from it, through the API, over and over on one test point."""
    connection = http.client.HTTPConnection(urlsplit(address).netloc)

    def call(method: str, path: str, body: object = None) -> dict[str, object] | list[dict[str, object]]:
        connection.request(method, f"/api/v1{path}", json.dumps(body), {"Content-Type": "application/json"})
        return json.loads(connection.getresponse().read())  # type: ignore[no-any-return]

    jobs, shelf = call("GET", "/jobs"), call("GET", "/shelf")
    assert isinstance(jobs, list)
    assert isinstance(shelf, dict)
    uid = next(c["uid"] for j in jobs for c in j["circuits"] if c["name"] == "Brake line pressure")  # type: ignore[attr-defined]
    technician = shelf["technicians"][0]["uid"]  # type: ignore[index]
    times, before = [], None
    for n in range(REPEATS):
        body = {"action": "open_v", "cavity": "A", "value": 4.9 + n / 1000, "technician_uid": technician}
        if before is not None:
            body |= {"supersedes_uid": before, "reason": "measured again"}
        started = time.perf_counter()
        answer = call("POST", f"/circuits/{uid}/readings", body)
        times.append((time.perf_counter() - started) * MS)
        assert isinstance(answer, dict)
        before = answer["reading"]["uid"]  # type: ignore[index]
    return [
        Figure("new reading to updated verdict and next step, p95", p95(times), "ms", "under 50"),
        Figure("new reading to updated verdict and next step, median", statistics.median(times), "ms"),
    ]


_SERVER = """
import sys
from tools.serving import serving
with serving(sys.argv[1]) as address:
    print(address, flush=True)
    sys.stdin.read()
"""


def server_mb(database_url: str, paths: Iterable[str]) -> float:
    """Memory of a server process of its own, after it has shown these pages: the one that measures holds much else."""
    command = [sys.executable, "-c", _SERVER, database_url]
    with subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True) as server:
        assert server.stdout is not None  # it was asked for
        netloc = urlsplit(server.stdout.readline().strip()).netloc
        for path in paths:
            get(http.client.HTTPConnection(netloc), path)
        status = Path(f"/proc/{server.pid}/status").read_text(encoding="ascii")
        server.communicate()  # its input ends, and so does it
    return int(status.split("VmRSS:")[1].split()[0]) / 1000


def start_figures() -> list[Figure]:
    """`./iron demo` from the shell to the first page: once with a new cluster, then again and again."""
    with tempfile.TemporaryDirectory(prefix="irongauge-start-") as folder:
        Path(folder).chmod(0o755)
        times = [_start(folder) for _ in range(STARTS + 1)]
    return [
        Figure("start with a new database to first page (packages in place)", times[0], "s"),
        Figure("later start to first page, median", statistics.median(times[1:]), "s", "under 3"),
        Figure("later start to first page, slowest", max(times[1:]), "s"),
    ]


def _start(folder: str) -> float:
    port = free_port()
    settings = {k: v for k, v in os.environ.items() if k != "DATABASE_URL"} | {
        "IRON_PORT": str(port),
        "IRON_LOCAL_DIR": folder,
    }
    started = time.perf_counter()
    process = subprocess.Popen(
        [str(ROOT / "iron"), "demo"],
        env=settings,
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        start_new_session=True,
    )
    while True:
        try:
            connection = http.client.HTTPConnection("127.0.0.1", port, timeout=10)
            connection.request("GET", "/")
            if connection.getresponse().status == http.HTTPStatus.OK:
                break
        except OSError:
            pass
        if process.poll() is not None:
            output = process.stdout.read().decode() if process.stdout else ""
            raise RuntimeError(output)
        time.sleep(0.02)
    taken = time.perf_counter() - started
    os.killpg(process.pid, signal.SIGINT)
    process.wait(30)
    return taken


def _first_of(address: str, page: str, path: str) -> str:
    """The first link of a page that leads to such a thing, by its identity."""
    with urllib.request.urlopen(address + page) as answer:
        text: str = answer.read().decode()
    links = [part.split('"')[0] for part in text.split(f'href="{path}')[1:]]
    return path + next(link for link in links if "-" in link)


def measure() -> list[Figure]:
    figures = start_figures()
    with throwaway_cluster() as url:
        database = Database(url)
        migrate(database.engine)
        load_demo(database)
        database.close()
        with serving(url) as address, bare_page() as bare:
            with urllib.request.urlopen(f"{address}/api/v1/jobs") as answer:
                jobs = {job["vehicle"]: job for job in json.load(answer)}
            tractor = jobs["LT-7"]
            winch = next(c["uid"] for c in tractor["circuits"] if c["name"] == "Winch oil pressure")
            pages = {
                "Floor": "/",
                "Job": f"/jobs/{tractor['uid']}",
                "Bench": f"/circuits/{winch}/bench",
                "Handover": f"/jobs/{jobs['D-3']['uid']}/handover",
                "Shelf": "/shelf",
                "Curve": "/curve",
                "Calibration": _first_of(address, "/curve", "/calibrations/"),
                "Controller numbers": f"/curve/numbers?source=circuit:{winch}",
                "Convert": f"/curve/convert?source=circuit:{winch}&reading=2.3",
                "New circuit": f"/jobs/{tractor['uid']}/circuits/new",
                "Guide": "/guide/bench",
                "Road speed": "/pulse/speed?pairs=50+55%0A80+88%0A100+110&old=1.2&old_is=multiplier",
                "Air gap": "/pulse/gap?readings=1.0+1.05+1.1+1.05+1.4+1.0",
                "Pulse": "/pulse?teeth=20&axle_ratio=4.3&tyre=0.72+m&speed=30",
                "Waveform": _first_of(address, "/pulse/waveform", "/pulse/captures/"),
                "Order of the work": "/work",
                "Entry read back": f"/curve/check?source=circuit:{winch}&unit=bar&end_points.reading_low=0.5"
                "&end_points.shown_low=0&end_points.reading_high=4.5&end_points.shown_high=250",
            }
            figures += page_figures(address, bare, pages)
            figures += reading_figures(address)
            benches = [f"/circuits/{circuit['uid']}/bench" for job in jobs.values() for circuit in job["circuits"]]
            memory_mb = server_mb(url, benches)
            figures.append(Figure("memory with every Bench of the shop opened", memory_mb, "MB", "under 400"))
            figures.append(
                Figure(
                    "first visit to the Bench, all it loads, compressed",
                    first_visit_kb(address, pages["Bench"]),
                    "kB",
                    "under 350",
                )
            )
    return figures


_FIGURES: dict[str, Callable[[int], list[Figure]]] = {
    "pages": lambda _: measure(),
    "diagnosis": diagnosis_figures,
    "curves": curve_figures,
    "pulse": lambda number: pulse_figures(cases=number // 10, clean=number // 2),
    "bench": bench_figures,
    "plan": plan_figures,
    "session": lambda number: session_figures(number * 3 // 20),
    "trace": lambda number: trace_figures(number // 10),
    "live": lambda number: live_figures(number * 3 // 10),
    "fuzz": lambda number: fuzz_figures(5 * number),
    "trust": lambda number: trust_figures(number // 100),
    "mutants": lambda number: mutant_figures(number // 10),
    "house": house_figures,
}


def main(arguments: list[str]) -> int:
    parser = argparse.ArgumentParser(
        prog="./iron measure", description="Speeds and sizes on the demo shop, or of the diagnosis"
    )
    parser.add_argument("what", nargs="?", choices=[*_FIGURES, "practice", "logs"], default="pages")
    parser.add_argument("--json", action="store_true", help="for machines")
    parser.add_argument(
        "--number",
        type=int,
        default=2000,
        help="how many cases; 2000 of diagnosis take ten minutes; of mutants a tenth for each subject",
    )
    parser.add_argument(
        "--cases", type=Path, help="practice: the file of cases; logs: the folder of recorded drives with truth"
    )
    for name, what in (
        ("inputs", "nothing is known of the controller's inputs"),
        ("roles", "nobody knows which pin is which"),
        ("meter", "nobody knows how good the meter is"),
    ):
        parser.add_argument(
            f"--unknown-{name}", action="append_const", dest="unknown", const=name, help=f"practice: {what}"
        )
    parser.add_argument("--step", type=int, default=1, help="practice: only every so manyth circuit")
    wanted = parser.parse_args(arguments)
    if wanted.what in {"practice", "logs"}:
        if wanted.cases is None:
            parser.error(f"{wanted.what} needs --cases {'FILE' if wanted.what == 'practice' else 'FOLDER'}")
        if wanted.what == "logs":
            _show(log_practice_figures(wanted.cases), as_json=wanted.json)
            return 0
        told = frozenset({"inputs", "roles", "meter"} - set(wanted.unknown or ()))
        _show(practice_figures(wanted.cases, told, wanted.step), as_json=wanted.json)
        return 0
    _show(_FIGURES[wanted.what](wanted.number), as_json=wanted.json)
    return 0


def _show(figures: list[Figure], *, as_json: bool) -> None:
    if as_json:
        print(json.dumps([asdict(f) for f in figures], indent=2, ensure_ascii=False))
        return
    for f in figures:
        value = f"{f.value:>9.2f}" if f.value == 0 or abs(f.value) >= _SMALL else f"{f.value:>9.1e}"
        print(f"{f.name:<62} {value} {f.unit:<3}{'  target: ' + f.target if f.target else ''}")


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
