"""Promises about the tree itself: what ships, what is fetched, what is exported."""

import dataclasses
import importlib
import json
import pkgutil
import re
from pathlib import Path

import pytest

import irongauge
from irongauge.settings import Settings
from irongauge.store.migrate import NEWEST
from irongauge.web.pages import STYLES
from tools.check import LONG

ROOT = Path(__file__).parent.parent
STATIC = ROOT / "irongauge" / "web" / "static"
MODULES = [m.name for m in pkgutil.walk_packages(irongauge.__path__, "irongauge.") if ".migrations" not in m.name]


@pytest.mark.parametrize("name", [m for m in MODULES if not m.endswith("__main__")])
def test_every_exported_name_exists(name):
    module = importlib.import_module(name)
    for exported in getattr(module, "__all__", []):
        assert hasattr(module, exported), f"{name}.{exported}"


def test_templates_hold_no_style_and_no_script_of_their_own():
    for template in (ROOT / "irongauge" / "web").rglob("*.html"):
        text = template.read_text(encoding="utf-8")
        assert " style=" not in text, template.name
        assert not re.search(r"<script(?![^>]*\bsrc=)", text), template.name
        assert not re.search(r"\son\w+=", text), template.name


def test_no_line_of_a_template_is_longer_than_a_screen():
    for template in (ROOT / "irongauge" / "web").rglob("*.html"):
        long = [n for n, line in enumerate(template.read_text(encoding="utf-8").split("\n"), 1) if len(line) > 140]
        assert long == [], template.name


def test_what_ships_with_us_has_its_version_and_its_licence():
    folders = [p for p in (STATIC / "vendor").iterdir() if p.is_dir()]
    assert len(folders) == 6
    for folder in folders:
        assert re.search(r"-\d+\.\d+\.\d+$", folder.name)
        assert (folder / "LICENSE").stat().st_size > 500


def test_no_style_or_script_fetches_from_elsewhere():
    for path in [
        *STATIC.glob("*.css"),
        *STATIC.glob("styles/*.css"),
        *STATIC.glob("js/*.js"),
        *STATIC.glob("vendor/*/*.css"),
    ]:
        text = path.read_text(encoding="utf-8")
        urls = re.findall(r"url\([\"']?([^)\"']+)", text)
        assert [u for u in urls if u.startswith(("http", "//"))] == [], path.name
        assert "@import" not in text


def test_the_newest_tables_are_those_of_the_newest_migration():
    files = (ROOT / "irongauge" / "store" / "migrations" / "versions").glob("[0-9]*.py")
    assert max(path.name for path in files).startswith(f"{NEWEST}_")


def test_styles_stand_by_room_in_lines_that_can_be_read():
    assert sorted(STYLES) == sorted(["app.css", *(f"styles/{p.name}" for p in STATIC.glob("styles/*.css"))])
    for name in (*STYLES, "sheet.css"):
        lines = (STATIC / name).read_text(encoding="utf-8").split("\n")
        assert [
            line[:60] for line in lines if len(line) > 120 and not line.lstrip().startswith("/* biome-ignore")
        ] == [], name


@pytest.mark.parametrize("name", ["app", "test"])
def test_lock_files_are_pinned_hashed_and_name_no_index(name):
    text = (ROOT / "requirements" / f"{name}.lock").read_text(encoding="utf-8")
    assert "://" not in text
    assert "--index-url" not in text
    pinned = re.findall(r"^[a-z0-9][\w.-]*==", text, re.MULTILINE)
    blocks = re.split(r"^(?=[a-z0-9][\w.-]*==)", text, flags=re.MULTILINE)[1:]
    assert len(pinned) == len(blocks) > 20
    assert all("--hash=sha256:" in block for block in blocks)


def test_the_application_runs_on_what_the_tests_run_on():
    pins = [
        dict(re.findall(r"^([a-z0-9][\w.-]*)==(\S+)", (ROOT / "requirements" / f"{n}.lock").read_text(), re.MULTILINE))
        for n in ("app", "test")
    ]
    assert pins[0].items() <= pins[1].items()


def test_a_dataclass_of_many_fields_is_made_by_their_names():
    for name in [m for m in MODULES if not m.endswith("__main__")]:
        for thing in vars(importlib.import_module(name)).values():
            if dataclasses.is_dataclass(thing) and isinstance(thing, type) and thing.__module__.startswith("irongauge"):
                by_place = [f for f in dataclasses.fields(thing) if f.init and not f.kw_only]
                assert len(by_place) <= 5, thing


def test_every_setting_says_what_it_means():
    for name, setting in Settings.model_fields.items():
        assert setting.description, name


def test_pictures_are_few_and_linked():
    pictures = {p.name for p in (ROOT / "docs" / "screenshots").glob("*.png")}
    readme = (ROOT / "README.md").read_text(encoding="utf-8")
    assert 5 <= len(pictures) < 20
    assert pictures == set(re.findall(r"docs/screenshots/([\w-]+\.png)", readme))


def test_links_between_documents_lead_somewhere():
    for document in [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").glob("*.md")]:
        for target in re.findall(r"\]\(([^)#:]+)\)", document.read_text(encoding="utf-8")):
            assert (document.parent / target).exists(), f"{document.name}: {target}"


def test_files_that_the_documents_name_are_there():
    for document in [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").glob("*.md")]:
        for named in re.findall(
            r"`((?:core|formats|store|web|workflows|instruments)/[\w/]+\.\w+)`", document.read_text()
        ):
            assert (ROOT / "irongauge" / named).exists(), f"{document.name}: {named}"


def test_the_published_schema_is_a_schema():
    schema = json.loads((ROOT / "docs" / "formats" / "job-2.schema.json").read_text(encoding="utf-8"))
    assert schema["$schema"].endswith("2020-12/schema")
    assert schema["properties"]["format"]["const"] == "iron-gauge/job"


def test_what_the_quick_run_leaves_out_is_there():
    assert all((ROOT / "tests" / "core" / name).is_file() for name in LONG)
