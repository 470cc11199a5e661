"""The database itself refuses what must never be; migrations go both ways; the cluster touches only its own."""

import tempfile
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
from alembic.autogenerate import compare_metadata
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import text
from sqlalchemy.exc import DBAPIError

from irongauge.errors import SetupError
from irongauge.store.cluster import MARKER, Cluster
from irongauge.store.database import psycopg_url
from irongauge.store.migrate import NEWEST, migrate, migration_config
from irongauge.store.models import Base


def run(database, statement, **values):
    with database.engine.begin() as connection:
        return connection.execute(text(statement), values)


@pytest.mark.parametrize(
    "statement",
    [
        "UPDATE reading SET value = 5",
        "DELETE FROM reading",
        "UPDATE vehicle SET system_v = 48",
        "UPDATE vehicle SET tag = ''",
        "UPDATE vehicle SET tag = 'LT-7'",
        "UPDATE job SET promised_on = received_on - 1",
        "UPDATE job SET handed_over_at = now(), reviewed_by_uid = NULL",
        "UPDATE circuit SET reference_v = 0",
        "UPDATE circuit SET pull_up_ohm = 1000, pull_up_to_v = NULL",
        "UPDATE circuit SET family = 'steam'",
        "UPDATE pin SET role = 'signal'",
        "DELETE FROM pin",
        "UPDATE stimulus SET value = 'NaN'",
        "UPDATE sensor_type SET signal_high = signal_low",
        "UPDATE sensor_type SET pressure_base = 'gauge', quantity = 'angle'",
        "UPDATE sensor_type SET value_high = 'Infinity'",
        "UPDATE instrument SET reading_pct = NULL WHERE kind = 'meter'",
        "UPDATE instrument SET kind = 'oracle'",
    ],
)
def test_the_database_refuses_a_state_that_must_not_be(demo, statement):
    with pytest.raises(DBAPIError):
        run(demo, statement)


COPY = """
INSERT INTO reading (uid, circuit_uid, action, cavity, point, value, word, unit, state, typed, stimulus_value,
  instrument_uid, technician_uid, taken_at, supersedes_uid, reason)
SELECT gen_random_uuid(), circuit_uid, {action}, {cavity}, point, {value}, {word}, {unit}, state, typed, stimulus_value,
  instrument_uid, technician_uid, now(), {supersedes}, {reason}
FROM reading WHERE action = 'open_v' AND value > 4 AND supersedes_uid IS NULL ORDER BY uid LIMIT 1
"""
AS_IT_IS = {"action": "'off_ohm'", "cavity": "cavity", "value": "value", "word": "NULL", "unit": "unit",
            "supersedes": "NULL", "reason": "NULL"}  # fmt: skip


@pytest.mark.parametrize(
    "changed",
    [
        {"action": "action"},
        {"value": "'NaN'"},
        {"value": "'Infinity'"},
        {"word": "'dim'"},
        {"value": "NULL", "unit": "NULL"},
        {"value": "NULL", "unit": "NULL", "word": "'dim'"},
        {"action": "'paint'"},
        {"cavity": "'Z'"},
        {"supersedes": "uid", "reason": "'mistyped'"},
        {"supersedes": "NULL", "reason": "'mistyped'"},
    ],
    ids=[
        "second first of a slot",
        "nan",
        "infinite",
        "both",
        "neither",
        "glow for ohms",
        "action",
        "pin",
        "other slot",
        "why",
    ],
)
def test_a_reading_that_cannot_be_is_refused(demo, changed):
    run(demo, COPY.format(**AS_IT_IS))
    with pytest.raises(DBAPIError):
        run(demo, COPY.format(**AS_IT_IS | {"action": "'sharers_off_v'"} | changed))


def test_migrations_make_the_models_and_can_be_undone(database):
    with database.engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []
    assert not migrate(database.engine), "nothing to do the second time"
    migrate(database.engine, "base")
    assert run(database, "SELECT to_regclass('reading')").scalar() is None
    assert migrate(database.engine)


def test_a_database_of_a_newer_program_is_left_alone_with_one_sentence(database):
    with database.engine.begin() as connection:
        connection.execute(text("UPDATE alembic_version SET version_num = '9999'"))
    with pytest.raises(SetupError, match=f"its tables are 9999, and this program knows {NEWEST}"):
        migrate(database.engine)
    with database.engine.begin() as connection:
        assert connection.execute(text("SELECT version_num FROM alembic_version")).scalar_one() == "9999"


def test_the_newest_migration_is_the_one_that_a_start_looks_for():
    assert ScriptDirectory.from_config(migration_config()).get_current_head() == NEWEST


def test_every_usual_way_to_write_the_address_is_taken():
    for written in ("postgresql://h/d", "postgres://h/d", "postgresql+psycopg://h/d"):
        assert psycopg_url(written) == "postgresql+psycopg://h/d"


@pytest.fixture
def home() -> Iterator[Path]:
    """A folder that the server's user may enter: pytest's own temporary folders are closed to others."""
    with tempfile.TemporaryDirectory(prefix="irongauge-home-") as folder:
        Path(folder).chmod(0o755)
        yield Path(folder)


def test_a_cluster_that_we_did_not_make_is_left_alone(home: Path):
    cluster = Cluster(home, durable=False)
    cluster.data.mkdir(parents=True)
    (cluster.data / "PG_VERSION").write_text("15")
    with pytest.raises(SetupError, match="did not make"), cluster.running():
        pass
    assert (cluster.data / "PG_VERSION").read_text() == "15"


def test_a_cluster_starts_over_after_a_set_up_cut_short_and_keeps_its_data(home: Path):
    cluster = Cluster(home, durable=False)
    (cluster.data.parent / "postgres.partial" / "base").mkdir(parents=True)
    with cluster.running() as url, psycopg.connect(url.replace("+psycopg", "")) as connection:
        connection.execute("CREATE TABLE kept (n int)")
    assert (cluster.data / MARKER).exists()
    with cluster.running() as url, psycopg.connect(url.replace("+psycopg", "")) as connection:
        assert connection.execute("SELECT to_regclass('kept')").fetchone() == ("kept",)
        with Cluster(home).running() as shared:
            assert shared == url, "a second process shares the running server"
        assert connection.execute("SELECT 1").fetchone() == (1,), "and does not stop it"
    with pytest.raises(psycopg.OperationalError):
        psycopg.connect(url.replace("+psycopg", ""), connect_timeout=2)


def test_a_lost_password_is_said_and_nothing_is_made_anew(home: Path):
    cluster = Cluster(home, durable=False)
    cluster.data.mkdir(parents=True)
    (cluster.data / MARKER).touch()
    with pytest.raises(SetupError, match=r"postgres\.password is missing"), cluster.running():
        pass


def test_a_closed_folder_keeps_its_database_elsewhere(home: Path):
    """Only root's server runs as another user; an ordinary user's stays in the folder whatever its mode."""
    home.chmod(0o700)
    cluster = Cluster(home, durable=False)
    assert cluster.kept_elsewhere is (cluster.user is not None)
    home.chmod(0o755)
    assert not Cluster(home, durable=False).kept_elsewhere
