"""A whole shop in a file and back: every row, while others go on working."""

import json
import threading
import zipfile
from uuid import uuid4

import psycopg
import pytest
from sqlalchemy import text

from irongauge.core.people.record import Checked, Seal
from irongauge.core.shop import Vehicle
from irongauge.errors import BadFileError, SetupError
from irongauge.settings import Settings
from irongauge.store.backup import make_key, read_backup, write_backup
from irongauge.store.database import Database
from irongauge.store.migrate import NEWEST, migrate, tables_of
from irongauge.workflows.people.record import check_record
from irongauge.workflows.shop.backups import (
    back_up_if_due,
    back_up_now,
    copy_before_migration,
    last_backup,
    restore_now,
)
from irongauge.workflows.shop.jobs import add_vehicle, look_at_floor
from tools.trusting import digests


def url_of(database):
    return database.engine.url.render_as_string(hide_password=False)


@pytest.fixture
def empty(cluster_url):
    """A database with nothing in it at all."""
    name = f"t_{uuid4().hex[:12]}"
    plain = cluster_url.replace("+psycopg", "")
    with psycopg.connect(plain, autocommit=True) as connection:
        connection.execute(f"CREATE DATABASE {name}")
        made = Database(cluster_url.rsplit("/", 1)[0] + "/" + name)
        yield made
        made.close()
        connection.execute(f"DROP DATABASE {name} WITH (FORCE)")


def test_every_row_comes_back(demo, empty, tmp_path):
    before = digests(demo)
    made = write_backup(url_of(demo), tmp_path / "shop.zip", secret="the secret")
    held, secret = read_backup(url_of(empty), tmp_path / "shop.zip")
    assert secret == "", "in plain it would sign for the shop whoever finds the file"
    assert b"the secret" not in (tmp_path / "shop.zip").read_bytes()
    assert (tmp_path / "shop.zip").stat().st_mode & 0o777 == 0o600
    assert digests(empty) == before
    assert held.rows == made.rows == {table: count for table, (count, _) in before.items()}
    checked = check_record(empty, [Seal(made.record_number, bytes.fromhex(made.record_seal))])
    assert (checked.problems, checked.end.number) == ([], made.record_number)
    assert len(look_at_floor(empty).jobs) == len(look_at_floor(demo).jobs)
    add_vehicle(empty, Vehicle(uid=uuid4(), tag="N-1", description="New"))  # and it is worked on as ever


def test_a_backup_is_of_one_moment_while_others_go_on(demo, empty, tmp_path):
    over, added = threading.Event(), []

    def work():
        while not over.is_set():
            vehicle = Vehicle(uid=uuid4(), tag=f"W-{len(added)}", description="Busy")
            add_vehicle(demo, vehicle)
            added.append(vehicle.tag)

    worker = threading.Thread(target=work)
    worker.start()
    made = write_backup(url_of(demo), tmp_path / "shop.zip", secret="s")
    over.set()
    worker.join()
    read_backup(url_of(empty), tmp_path / "shop.zip")
    tags = {v.tag for v in look_at_floor(empty).vehicles if v.tag.startswith("W-")}
    assert tags == set(added[: len(tags)])
    assert len(added) > len(tags)
    assert check_record(empty, []).end.number == made.record_number


def test_an_encrypted_one_opens_with_its_key_alone(demo, empty, tmp_path):
    key, other = tmp_path / "shop.key", tmp_path / "other.key"
    write_backup(url_of(demo), tmp_path / "shop.age", secret="the secret", key=key)
    assert key.stat().st_mode & 0o777 == 0o600
    assert b"the secret" not in (tmp_path / "shop.age").read_bytes()
    make_key(other)
    with pytest.raises(BadFileError, match="It is encrypted"):
        read_backup(url_of(empty), tmp_path / "shop.age")
    with pytest.raises(BadFileError, match="does not open it"):
        read_backup(url_of(empty), tmp_path / "shop.age", key=other)
    with pytest.raises(SetupError, match="no key file"):
        read_backup(url_of(empty), tmp_path / "shop.age", key=tmp_path / "shop.age")
    assert read_backup(url_of(empty), tmp_path / "shop.age", key=key)[1] == "the secret"


def damaged(path, tmp_path):
    raw = bytearray(path.read_bytes())
    raw[len(raw) // 2] ^= 1
    bad = tmp_path / "damaged.zip"
    bad.write_bytes(raw)
    return bad


def cut(path, tmp_path):
    bad = tmp_path / "cut.zip"
    bad.write_bytes(path.read_bytes()[:-4000])
    return bad


def of_a_newer_program(path, tmp_path):
    bad = tmp_path / "newer.zip"
    with zipfile.ZipFile(path) as old, zipfile.ZipFile(bad, "w") as new:
        for name in old.namelist():
            content = old.read(name)
            if name == "manifest.json":
                content = json.dumps(json.loads(content) | {"tables": "9999"}).encode()
            new.writestr(name, content)
    return bad


def something_else(_path, tmp_path):
    bad = tmp_path / "photo.zip"
    with zipfile.ZipFile(bad, "w") as archive:
        archive.writestr("photo.txt", "a photo")
    return bad


def not_there(_path, tmp_path):
    return tmp_path / "nothing"


@pytest.mark.parametrize(
    ("spoil", "said"),
    [
        (damaged, "damaged|no backup"),
        (cut, "cut short"),
        (of_a_newer_program, "made by a newer Iron Gauge: its tables are 9999"),
        (something_else, "no backup"),
        (not_there, "no such file"),
    ],
)
def test_what_is_no_good_backup_changes_nothing(demo, empty, tmp_path, spoil, said):
    write_backup(url_of(demo), tmp_path / "shop.zip", secret="s")
    with pytest.raises(BadFileError, match=said):
        read_backup(url_of(empty), spoil(tmp_path / "shop.zip", tmp_path))
    with empty.engine.connect() as connection:
        assert connection.scalar(text("SELECT count(*) FROM pg_tables WHERE schemaname = 'public'")) == 0


def test_a_shop_that_is_there_is_not_written_over_unless_it_is_said(demo, database, tmp_path):
    path = tmp_path / "shop.zip"
    write_backup(url_of(demo), path, secret="s")
    demo.close()
    with pytest.raises(SetupError, match="There is a shop in this database: Saltmarsh Depot"):
        read_backup(url_of(demo), path)
    vehicles = {v.tag for v in look_at_floor(demo).vehicles}
    add_vehicle(demo, Vehicle(uid=uuid4(), tag="N-1", description="New"))
    with demo.unit() as store:
        store.session.execute(text("SELECT 1"))
        with pytest.raises(SetupError, match="Somebody works on this database"):
            read_backup(url_of(demo), path, replace=True)
    demo.close()
    read_backup(url_of(demo), path, replace=True)
    assert {v.tag for v in look_at_floor(demo).vehicles} == vehicles
    database.close()
    read_backup(url_of(database), path)  # tables without a shop are nothing that could be lost


@pytest.mark.parametrize("at", ["filling", "making ready", "the record", "changing names"])
def test_a_restore_that_fails_leaves_the_shop_that_is_there(demo, tmp_path, monkeypatch, at):
    """However far it came: what stood there stands there, and nothing is left beside it."""
    path, url = tmp_path / "shop.zip", url_of(demo)
    write_backup(url, path, secret="s")
    add_vehicle(demo, Vehicle(uid=uuid4(), tag="N-1", description="New since the backup"))
    before = digests(demo)
    demo.close()

    def broken(*_args, **_more):
        raise SetupError("The disk is full.")

    def holding(_there):  # somebody comes in at the last moment
        held.append(psycopg.connect(url.replace("+psycopg", "")))

    held = []
    if at == "filling":
        monkeypatch.setattr("irongauge.store.backup._fill", broken)
        broken_by = {}
    elif at == "making ready":
        broken_by = {"make_ready": broken}
    elif at == "the record":
        monkeypatch.setattr(
            "irongauge.workflows.shop.backups.check_record", lambda *_: Checked(1, Seal(0, b""), ["cut."])
        )
        with pytest.raises(SetupError, match="The record in this backup does not hold"):
            restore_now(demo, Settings(local_dir=tmp_path, secret="s"), path, None, replace=True)
        broken_by = None
    else:
        broken_by = {"make_ready": holding}
    if broken_by is not None:
        with pytest.raises(SetupError, match=r"disk is full|Somebody works"):
            read_backup(url, path, replace=True, **broken_by)
    for one in held:
        one.close()
    assert digests(demo) == before
    names = demo.engine.connect().execute(text("SELECT datname FROM pg_database")).scalars().all()
    assert not [name for name in names if name.endswith("_restoring")]


def test_a_restore_keeps_what_was_there_under_another_name(demo, tmp_path):
    path, url = tmp_path / "shop.zip", url_of(demo)
    write_backup(url, path, secret="s")
    add_vehicle(demo, Vehicle(uid=uuid4(), tag="N-1", description="New since the backup"))
    demo.close()
    restore_now(demo, Settings(local_dir=tmp_path, secret="s"), path, None, replace=True)
    assert "N-1" not in {v.tag for v in look_at_floor(demo).vehicles}
    base, _, name = url.rpartition("/")
    old = Database(f"{base}/before_restore_{name}")
    assert "N-1" in {v.tag for v in look_at_floor(old).vehicles}
    old.close()
    with psycopg.connect(f"{base}/postgres".replace("+psycopg", ""), autocommit=True) as server:
        server.execute(f"DROP DATABASE before_restore_{name} WITH (FORCE)")


def test_a_name_that_is_taken_and_a_folder_that_is_none_are_said(demo, tmp_path):
    (tmp_path / "there.zip").write_text("mine")
    with pytest.raises(SetupError, match="is there already"):
        write_backup(url_of(demo), tmp_path / "there.zip", secret="s")
    assert (tmp_path / "there.zip").read_text() == "mine"
    with pytest.raises(SetupError, match="could not be written"):
        write_backup(url_of(demo), tmp_path / "there.zip" / "below.zip", secret="s")
    with pytest.raises(SetupError, match="does not answer"):
        write_backup(url_of(demo).replace("/t_", "/nowhere_"), tmp_path / "x.zip", secret="s")
    assert [p.name for p in tmp_path.iterdir()] == ["there.zip"]


def test_a_database_of_an_older_program_is_kept_as_it_is(empty, database, tmp_path):
    migrate(empty.engine, "0015")
    back_up_now(empty, Settings(local_dir=tmp_path, secret="s"), tmp_path / "old.zip", None)
    copy = copy_before_migration(url_of(empty), Settings(local_dir=tmp_path, secret="s"), "0015")
    assert copy.parent == tmp_path / "backups"
    migrate(empty.engine)
    for old in (tmp_path / "old.zip", copy):
        held = restore_now(database, Settings(local_dir=tmp_path), old, None, replace=False)
        assert held.tables == "0015"
        assert tables_of(database.engine) == NEWEST


def test_where_there_is_no_shop_there_is_nothing_to_keep(empty, tmp_path):
    with pytest.raises(SetupError, match="no shop in this database yet"):
        write_backup(url_of(empty), tmp_path / "x.zip", secret="s")


def test_backups_are_made_when_they_are_due_and_the_oldest_go(demo, tmp_path):
    settings = Settings(local_dir=tmp_path, backup_hours=24, backup_keep=2, secret="s")
    assert last_backup(demo, 24).is_late
    folder = tmp_path / "backups"
    folder.mkdir()
    for day in range(4):
        (folder / f"iron-gauge-2026-11-0{day + 1}T030000.zip").write_text("old")
    (folder / "mine.zip").write_text("not theirs")
    made = back_up_if_due(demo, settings)
    assert made is not None
    assert sorted(p.name for p in folder.iterdir()) == ["iron-gauge-2026-11-04T030000.zip", made.path.name, "mine.zip"]
    assert back_up_if_due(demo, settings) is None
    assert not last_backup(demo, 24).is_late
    with demo.unit() as store:
        store.session.execute(text("UPDATE backup SET made_at = made_at - interval '49 hours'"))
    assert last_backup(demo, 24).is_late
    assert back_up_if_due(demo, Settings(local_dir=tmp_path, backup_hours=0, secret="s")) is None


def test_a_backup_that_fails_is_told(demo, tmp_path):
    settings = Settings(local_dir=tmp_path, secret="s")
    (tmp_path / "taken.zip").write_text("")
    with pytest.raises(SetupError):
        back_up_now(demo, settings, tmp_path / "taken.zip", None)
    assert "is there already" in last_backup(demo, 24).problem


def test_the_secret_moves_with_the_shop(demo, empty, tmp_path):
    here, there = tmp_path / "here", tmp_path / "there"
    key = tmp_path / "key"
    back_up_now(demo, Settings(local_dir=here, secret="the secret"), tmp_path / "shop.age", key)
    restore_now(empty, Settings(local_dir=there), tmp_path / "shop.age", key, replace=False)
    assert (there / "secret").read_text() == "the secret"
    assert (there / "secret").stat().st_mode & 0o777 == 0o600
