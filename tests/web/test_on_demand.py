"""Rooms that are loaded on demand answer the first request as any later one."""

import subprocess
import sys

import pytest
from fastapi import FastAPI
from starlette.routing import NoMatchFound

from irongauge.web.on_demand import RoutesOnDemand, rooms_on_demand


def _app() -> tuple[FastAPI, RoutesOnDemand]:
    app = FastAPI()
    return app, rooms_on_demand(app)


def test_the_links_of_every_page_are_known_without_the_rooms():
    app, _ = _app()
    assert app.url_path_for("curve") == "/curve"
    assert app.url_path_for("pulse") == "/pulse"
    assert len(app.routes) == len(FastAPI().routes) + 1


@pytest.mark.parametrize(("name", "path"), [("pulse_waveform", "/pulse/waveform"), ("check_entry", "/curve/check")])
def test_any_other_link_loads_them(name, path):
    app, _ = _app()
    assert app.url_path_for(name) == path
    with pytest.raises(NoMatchFound):
        app.url_path_for("no such page")


def test_the_links_that_load_nothing_lead_to_their_rooms():
    app, rooms = _app()
    doors = {name: app.url_path_for(name) for name in ("curve", "pulse")}
    app.router.routes.remove(rooms)
    rooms.load()
    assert {name: app.url_path_for(name) for name in doors} == doors


def test_the_application_starts_without_them():
    rooms = ("irongauge.web.curve.", "irongauge.web.pulse.")  # drawings of theirs stand on the Shelf too
    code = f"import sys, irongauge.web.app; print([m for m in sys.modules if m.startswith({rooms}) and 'routes' in m])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_a_wrong_command_waits_for_no_database_and_no_page():
    code = "import sys, irongauge.cli; print([m for m in ('sqlalchemy', 'fastapi', 'numpy') if m in sys.modules])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True, timeout=60)
    assert done.stdout.strip() == "[]"
