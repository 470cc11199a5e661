"""The database writes down every change by itself, whoever makes it and however."""

import importlib
import json
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from uuid import uuid4

import pytest
from sqlalchemy import text
from sqlalchemy.exc import DBAPIError

from irongauge.core.people.record import Seal, check_seals, seal_of
from irongauge.core.shop import Technician
from irongauge.store.acting import Acting, acts_as, in_others_names
from irongauge.store.models import Base
from irongauge.store.recorded import tables_recorded
from irongauge.workflows.people.anchors import note_end, note_restore, note_seal, seals_seen
from irongauge.workflows.people.record import check_record
from irongauge.workflows.shop.shelf import add_technician
from irongauge.workflows.shop.view import require_shop

MIGRATION = importlib.import_module("irongauge.store.migrations.versions.0016_people")

# What is not written down: what the server works out or notes by itself, large contents whose head is written down, and itself.
NOT_RECORDED = {
    "bus_request", "capture_piece", "capture_waiting", "guess", "live_sample", "log_channel", "log_piece", "log_times",
    "normal_reading", "record_line", "shop_logo", "tablet_code", "verdict", "work_plan",
}  # fmt: skip


def lines(database, **which):
    with database.unit() as store:
        return store.people.lines(**which)


def test_every_table_is_recorded_or_said_to_be_left_out():
    recorded = {
        *MIGRATION.RECORDED,
        *MIGRATION.RECORDED_PARTS,
        "job_remark",
        "backup",
        "issued_sheet",
        "logger_habit",
        "engine_fitting",
    }  # 0017, 0035 and 0036 add these
    assert recorded.isdisjoint(NOT_RECORDED)
    assert {table.name for table in Base.metadata.sorted_tables} == recorded | NOT_RECORDED
    assert set(tables_recorded()) == recorded


def test_the_demo_shops_record_holds(demo):
    with demo.unit() as store:
        checked = check_seals(store.people.all_lines())
        count = store.session.execute(text("SELECT count(*) FROM record_line")).scalar_one()
        assert store.people.end_of_record() == checked.end
    assert checked.problems == []
    assert checked.lines == count > 400


def test_a_change_says_who_from_where_and_from_what_to_what(demo):
    ottoline = uuid4()
    who = Acting(uid=ottoline, name="Ottoline Marsh", address="10.0.0.7", device="Tablet 2", request="r-1")
    with acts_as(who), demo.unit() as store:
        shop = require_shop(store)
        store.session.execute(text("UPDATE vehicle SET description = 'Tractor „blue“' WHERE tag = 'LT-7'"))
        store.session.execute(text("UPDATE vehicle SET height_m = height_m"))  # which changes nothing
    (line,) = lines(demo, who=ottoline)
    assert (line.what, line.deed) == ("vehicle", "UPDATE")
    assert json.loads(line.who) == {
        "uid": str(ottoline), "name": "Ottoline Marsh", "address": "10.0.0.7", "device": "Tablet 2", "request": "r-1"
    }  # fmt: skip
    assert json.loads(line.was)["description"] != json.loads(line.became)["description"] == "Tractor „blue“"
    with demo.unit() as store:
        store.shops.add_technician(shop.uid, Technician(uuid4(), "Fen Archer"))
    assert lines(demo, limit=1)[0].who == "{}"  # the server itself


def test_what_is_taken_back_leaves_no_line(demo):
    before = lines(demo, limit=1)

    def add_and_fail():
        with demo.unit() as store:
            store.shops.add_technician(require_shop(store).uid, Technician(uuid4(), "Fen Archer"))
            raise RuntimeError

    with pytest.raises(RuntimeError):
        add_and_fail()
    assert lines(demo, limit=1) == before


def test_a_reading_belongs_to_its_job_and_its_card_to_it_too(demo):
    with demo.unit() as store:
        job = store.session.execute(
            text("SELECT job_uid FROM circuit JOIN reading ON circuit_uid = circuit.uid LIMIT 1")
        ).scalar_one()
    found = {line.what for line in lines(demo, job=str(job), limit=1000)}
    assert {"job", "circuit", "pin", "stimulus", "reading"} <= found


@pytest.mark.parametrize(
    "statement", ["UPDATE record_line SET who = '{}'", "DELETE FROM record_line", "TRUNCATE record_line"]
)
def test_the_record_cannot_be_changed(demo, statement):
    with pytest.raises(DBAPIError, match="append-only"), demo.unit() as store:
        store.session.execute(text(statement))


@pytest.mark.parametrize(
    ("tampering", "said"),
    [
        ("UPDATE record_line SET became = replace(became, '4.', '5.') WHERE number = 300", "line 300 "),
        ("DELETE FROM record_line WHERE number = 300", "line 300 missing"),
        ("DELETE FROM record_line WHERE number > 300", "the record ends at line 300"),
    ],
)
def test_who_changes_it_past_the_lock_is_found(demo, tampering, said):
    with demo.unit() as store:
        end = store.people.end_of_record()
        store.session.execute(text("ALTER TABLE record_line DISABLE TRIGGER record_line_stays"))
        store.session.execute(text("UPDATE record_line SET became = '{\"value\": 4.1}', was = '' WHERE number = 300"))
        store.session.execute(text(tampering))
    with demo.unit() as store:
        problems = check_seals(store.people.all_lines(), [Seal(end.number, end.seal)]).problems
    assert any(said in problem for problem in problems), problems


READING = "(SELECT uid FROM reading ORDER BY taken_at, uid LIMIT 1)"
ANOTHER = "t WHERE t.uid <> technician_uid LIMIT 1"
# What somebody with the database's own rights might do, with every trigger off, and what is said of it.
PAST_THE_RECORD = {
    "a reading's value": (
        f"UPDATE reading SET value = value + 1 WHERE uid = {READING}",
        "was changed past the record: value",
    ),
    "who measured": (
        f"UPDATE reading SET technician_uid = (SELECT uid FROM technician {ANOTHER}) WHERE uid = {READING}",
        "past the record: technician_uid",
    ),
    "when": (f"UPDATE reading SET taken_at = taken_at - interval '1 day' WHERE uid = {READING}", "record: taken_at"),
    "all readings": ("TRUNCATE reading CASCADE", "is gone, and no line says so"),
    "calibrations": ("TRUNCATE calibration CASCADE", "is gone, and no line says so"),
    "entries": ("TRUNCATE controller_entry CASCADE", "is gone, and no line says so"),
    "vehicles' notes": ("TRUNCATE work_event, vehicle_note, kit_line CASCADE", "is gone, and no line says so"),
    "stimuli": ("TRUNCATE stimulus CASCADE", "is gone, and no line says so"),
    "a sensor's curve": ("UPDATE sensor_type SET supply_v = supply_v + 1", "sensor_type"),
    "a point of a calibration": ("UPDATE calibration_point SET reading = reading + 0.1", "past the record: reading"),
    "a signature": (
        "UPDATE calibration SET signed_at = NULL, signed_by_uid = NULL WHERE signed_at IS NOT NULL",
        "signed",
    ),
    "a role": ("UPDATE technician SET role = 'foreman'", "past the record: role"),
    "a promise": ("UPDATE job SET promised_on = promised_on + 1", "past the record: promised_on"),
    "a review": ("UPDATE job SET title = 'Other'", "past the record: title"),
    "a pin": ("UPDATE pin SET wire_colour = 'pink'", "past the record: wire_colour"),
    "a kit": ("DELETE FROM kit_line", "kit_line"),
    "a wire": ("DELETE FROM wire WHERE name = '43'", "wire"),
    "a vehicle more": (
        "INSERT INTO vehicle SELECT gen_random_uuid(), shop_uid, 'X-1', description, system_v, height_m FROM vehicle LIMIT 1",
        "stands in no line of the record",
    ),
    "a person more": (
        "INSERT INTO technician SELECT gen_random_uuid(), uid, 'Mallory', NULL, 'foreman', false FROM shop",
        "stands in no line of the record",
    ),
    "a reading gone": (f"DELETE FROM reading WHERE uid = {READING}", "is gone, and no line says so"),
}


@pytest.mark.parametrize("what", PAST_THE_RECORD)
def test_what_is_changed_past_the_record_is_found(demo, what):
    statement, said = PAST_THE_RECORD[what]
    assert check_record(demo, []).problems == []
    with demo.unit() as store:
        store.session.execute(text("SET LOCAL session_replication_role = replica"))  # every trigger off
        store.session.execute(text(statement))
    problems = check_record(demo, []).problems
    assert any(said in problem for problem in problems), problems


@pytest.mark.parametrize("how", ["DISABLE TRIGGER record_reading", "DISABLE TRIGGER ALL"])
def test_a_trigger_that_is_off_is_found(demo, how):
    with demo.unit() as store:
        store.session.execute(text(f"ALTER TABLE reading {how}"))
    assert "changes of reading are not written down" in check_record(demo, []).problems


def cut(store, number):
    store.session.execute(text("SET LOCAL session_replication_role = replica"))
    store.session.execute(text("DELETE FROM record_line WHERE number > :number"), {"number": number})


def sealed_anew(store, number):
    """Every line from there on, with who did it changed, sealed as the database seals."""
    store.session.execute(text("SET LOCAL session_replication_role = replica"))
    before, found = None, list(store.people.all_lines())
    for line in found:
        if line.number >= number:
            line = replace(line, who='{"name": "Nobody"}')  # noqa: PLW2901  as it is written then
            line = replace(line, seal=seal_of(before.seal, line))  # noqa: PLW2901
            values = {"who": line.who, "seal": line.seal, "number": line.number}
            store.session.execute(
                text("UPDATE record_line SET who = :who, seal = :seal WHERE number = :number"), values
            )
        before = line


@pytest.mark.parametrize("tampering", [cut, sealed_anew])
@pytest.mark.parametrize("back", [1, 5, 40])
def test_an_end_that_was_cut_or_sealed_anew_does_not_agree_with_what_the_server_saw(demo, tmp_path, tampering, back):
    note_end(demo, tmp_path)
    with demo.unit() as store:
        end = store.people.end_of_record().number
        tampering(store, end - back)
    problems = check_record(demo, seals_seen(tmp_path)).problems
    assert any("was there" in problem or "written anew" in problem for problem in problems), problems


def test_a_restored_backup_begins_a_new_stretch(demo, tmp_path):
    note_end(demo, tmp_path)
    with demo.unit() as store:
        end = store.people.end_of_record()
        (older,) = [line for line in store.people.all_lines() if line.number == end.number - 50]
    assert note_restore(tmp_path, Seal(older.number, older.seal)) == 50
    assert [seal.number for seal in seals_seen(tmp_path)] == [older.number]
    note_seal(tmp_path, end)
    assert [seal.number for seal in seals_seen(tmp_path)] == [older.number, end.number]
    with (tmp_path / "record-seen.jsonl").open("a") as file:
        file.write('{"number": 9')  # a machine that died in the middle
    assert check_record(demo, seals_seen(tmp_path)).problems == []


def test_nobody_enters_a_reading_in_somebody_elses_name_unless_they_may(demo):
    def copy_a_reading():
        with demo.unit() as store:
            store.session.execute(
                text(
                    "INSERT INTO reading (uid, circuit_uid, action, cavity, point, value, unit, state, typed, technician_uid, "
                    "taken_at, supersedes_uid, reason) "
                    "SELECT gen_random_uuid(), circuit_uid, action, cavity, point, value, unit, state, typed, technician_uid, "
                    "now(), uid, 'mistyped' FROM reading r WHERE value IS NOT NULL AND place = '' "
                    "AND NOT EXISTS (SELECT 1 FROM reading l WHERE l.supersedes_uid = r.uid) LIMIT 1"
                )
            )

    somebody = Acting(uid=uuid4(), name="Fen Archer", own_name_only=True)
    with acts_as(somebody), pytest.raises(DBAPIError) as refused:
        copy_a_reading()
    assert refused.value.orig.sqlstate == "IG001"
    with acts_as(somebody), in_others_names():
        copy_a_reading()
    assert json.loads(lines(demo, limit=1)[0].who)["name"] == "Fen Archer"


def test_writers_who_finish_at_once_write_one_chain(demo):
    names = [f"Apprentice {n}" for n in range(24)]
    with ThreadPoolExecutor(8) as pool:
        list(pool.map(lambda name: add_technician(demo, name), names))
    with demo.unit() as store:
        assert check_seals(store.people.all_lines()).problems == []
    written = [json.loads(line.became)["name"] for line in lines(demo, limit=24)]
    assert sorted(written) == sorted(names)
