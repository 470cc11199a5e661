"""Job files: written, read back, checked against the published schema; and files that are something else."""

import csv
import io
import json
from dataclasses import replace
from pathlib import Path

import jsonschema
import pytest

from irongauge.errors import BadFileError
from irongauge.formats.job_json import job_schema, read_job, write_job
from irongauge.formats.readings_csv import COLUMNS, write_readings
from irongauge.workflows.shop.jobs import look_at_floor
from irongauge.workflows.shop.transfer import export_job

PUBLISHED = Path(__file__).parents[2] / "docs" / "formats" / "job-2.schema.json"


@pytest.fixture
def records(demo):
    return [export_job(demo, view.job.uid) for view in look_at_floor(demo).jobs]


def test_a_job_is_written_and_read_back_without_loss(records):
    for record in records:
        text = write_job(record)
        back = read_job("job.json", text.encode())
        assert back == record
        unsaid = replace(record, circuits=tuple(replace(c, verdict=None) for c in record.circuits))
        assert write_job(back) == write_job(unsaid)


def test_every_file_keeps_to_the_published_schema(records):
    schema = json.loads(PUBLISHED.read_text(encoding="utf-8"))
    assert schema == job_schema(), "run: python -m tools.schema"
    validator = jsonschema.Draft202012Validator(schema)
    for record in records:
        validator.validate(json.loads(write_job(record)))


def changed(records, change):
    data = json.loads(write_job(records[0]))
    change(data)
    return json.dumps(data).encode()


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"", "This is not JSON."),
        (b"\xff\xfe\x00", "This is not JSON."),
        (b"[" * 100_000, "This is not JSON."),
        (b"job,vehicle\n1,LT-7\n", "This is not JSON."),
        (b"[1, 2]", "This is JSON, but not a job file."),
        (b'{"format": "something else"}', "This is JSON, but not a job file."),
        (b'{"format": "iron-gauge/job", "version": 9}', "It is version 9 of the format."),
        (b'{"format": "iron-gauge/job", "version": 1}', "At job: Field required. (6 places in all.)"),
    ],
    ids=["empty", "binary", "deep", "csv", "list", "other", "version", "hollow"],
)
def test_a_file_that_is_something_else_is_named_as_such(content, says):
    with pytest.raises(BadFileError) as refused:
        read_job("odd.json", content)
    assert says in str(refused.value)
    assert "odd.json" in str(refused.value)


def _unknown_technician(data):
    data["technicians"] = []


def _infinite(data):
    data["circuits"][0]["readings"][0]["value"] = float("inf")


def _extra(data):
    data["job"]["colour"] = "red"


def _two_values(data):
    data["circuits"][0]["readings"][0]["word"] = "dim"


def _orphan(data):
    data["circuits"][0]["readings"][0] |= {"supersedes_uid": data["job"]["uid"], "reason": "mistyped"}


def _flat(data):
    curve = next(s["curve"] for s in data["sensor_types"] if s["curve"])
    curve["signal_high"] = curve["signal_low"]


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (_unknown_technician, "who is not in it"),
        (_infinite, "finite number"),
        (_extra, "At job.colour"),
        (_two_values, "either a value or a word"),
        (_orphan, "does not come before it"),
        (_flat, "two different signals"),
    ],
)
def test_a_file_that_contradicts_itself_is_refused(records, change, says):
    with pytest.raises(BadFileError) as refused:
        read_job("job.json", changed(records, change))
    assert says in str(refused.value)


def test_readings_as_csv_hold_every_reading_with_its_unit(records):
    for record in records:
        text = csv.DictReader(io.StringIO(write_readings(record)))
        assert tuple(text.fieldnames) == COLUMNS
        rows = list(text)
        readings = [r for c in record.circuits for r in c.readings]
        assert [row["uid"] for row in rows] == [str(r.uid) for r in readings]
        assert [row["value"] for row in rows] == ["" if r.value is None else str(r.value) for r in readings]


def test_a_name_that_looks_like_a_formula_stays_text_in_a_sheet(records):
    data = json.loads(write_job(records[0]))
    data["circuits"][0]["name"] = "=1+1"
    rows = list(csv.DictReader(io.StringIO(write_readings(read_job("x", json.dumps(data).encode())))))
    assert rows[0]["circuit"] == "'=1+1"
    assert all(not row["typed"].startswith(("=", "@")) for row in rows)
