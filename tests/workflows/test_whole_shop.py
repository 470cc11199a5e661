"""A whole shop as files that other programs read, and its jobs in another shop."""

import csv
import json
from uuid import uuid4

import numpy as np
import polars as pl
import pytest

from irongauge.core.people.record import RecordLine, check_seals
from irongauge.core.shop import Shop
from irongauge.errors import BadFileError, SetupError
from irongauge.formats.job_json import read_job
from irongauge.workflows.pulse.samples import whole
from irongauge.workflows.shop.jobs import look_at_jobs
from irongauge.workflows.shop.transfer import export_job
from irongauge.workflows.shop.whole_shop import export_shop, import_jobs
from tests.shops import open_shop


@pytest.fixture(scope="module")
def written(standing_demo, tmp_path_factory):
    folder = tmp_path_factory.mktemp("out") / "shop"
    return folder, export_shop(standing_demo, folder)


def rows_of(path):
    with path.open(encoding="utf-8", newline="") as file:
        return list(csv.DictReader(file))


def every_job(database):
    return {view.job.number: view.job for view in look_at_jobs(database, is_open=None, limit=500, offset=0)}


def test_every_job_is_there_as_it_is_kept(written, standing_demo):
    folder, done = written
    jobs = every_job(standing_demo)
    files = sorted((folder / "jobs").iterdir())
    assert len(files) == done.jobs == len(jobs)
    for path in files:
        record = read_job(path.name, path.read_bytes())
        assert record == export_job(standing_demo, jobs[record.job.number].uid)


def test_all_readings_stand_in_one_table(written, standing_demo):
    folder, _ = written
    rows = rows_of(folder / "readings.csv")
    records = [export_job(standing_demo, job.uid) for job in every_job(standing_demo).values()]
    wanted = sum(len(c.readings) for record in records for c in record.circuits)
    assert len(rows) == wanted > 100
    assert len({row["uid"] for row in rows}) == wanted
    assert {row["job"] for row in rows} <= {str(number) for number in every_job(standing_demo)}


def test_captures_and_logs_are_tables_that_anything_reads(written, standing_demo):
    folder, done = written
    told = json.loads((folder / "captures" / "captures.json").read_text())
    assert len(told) == done.captures > 0
    for one in told:
        frame = pl.read_parquet(folder / "captures" / f"{one['uid']}.parquet")
        with standing_demo.unit() as store:
            time_s, signal_v = whole(store, store.pulses.capture(one["uid"]))
        assert np.array_equal(frame["time_s"].to_numpy(), time_s)
        assert np.array_equal(frame["signal_v"].to_numpy(), signal_v)
    logs = json.loads((folder / "logs" / "logs.json").read_text())
    assert len(logs) == done.logs > 0
    for log in logs:
        for channel in log["channels"]:
            frame = pl.read_parquet(folder / "logs" / channel["file"])
            assert frame.columns == ["time_s", "value"]
            assert frame.height > 10
            assert frame["time_s"].is_sorted()


def test_the_record_can_be_checked_from_its_file_alone(written):
    folder, _ = written
    lines = []
    for row in rows_of(folder / "record.csv"):
        told = {
            name: value.removeprefix("'") if value[:2] in {"'=", "'+", "'-", "'@"} else value
            for name, value in row.items()
        }
        seal = bytes.fromhex(told.pop("seal"))
        lines.append(RecordLine(**told | {"number": int(told["number"])}, seal=seal))
    assert len(lines) > 400
    assert check_seals(lines).problems == []


def test_the_shop_itself_is_there(written):
    folder, _ = written
    shop = json.loads((folder / "shop.json").read_text())
    assert shop["name"] == "Saltmarsh Depot"
    assert {"name": "Ottoline Marsh", "role": "foreman"}.items() <= next(
        p for p in shop["people"] if p["name"] == "Ottoline Marsh"
    ).items()
    assert {v["tag"] for v in shop["vehicles"]} >= {"LT-7", "G-12", "D-3", "P-2"}
    assert "password" not in json.dumps(shop)


def test_the_jobs_come_into_another_shop_and_only_once(written, database):
    folder, done = written
    open_shop(database, Shop(uid=uuid4(), name="Other shop"), "Somebody Else")
    taken = import_jobs(database, folder)
    assert (taken.jobs, taken.refused) == (done.jobs, ())
    again = import_jobs(database, folder / "jobs")
    assert again.jobs == 0
    assert len(again.refused) == done.jobs
    assert all("is this very job" in why for _, why in again.refused), again.refused[0]


def test_one_file_that_is_none_keeps_nobody_else_out(written, database, tmp_path):
    folder, _ = written
    open_shop(database, Shop(uid=uuid4(), name="Other shop"), "Somebody Else")
    good = min((folder / "jobs").iterdir())
    (tmp_path / "good.json").write_bytes(good.read_bytes())
    (tmp_path / "bad.json").write_text("{")
    taken = import_jobs(database, tmp_path)
    assert taken.jobs == 1
    assert [name for name, _ in taken.refused] == ["bad.json"]


def test_a_folder_that_is_there_and_one_without_jobs_are_said(standing_demo, tmp_path):
    with pytest.raises(SetupError, match="is there already"):
        export_shop(standing_demo, tmp_path)
    with pytest.raises(BadFileError, match="no job files"):
        import_jobs(standing_demo, tmp_path)
