"""What the database itself refuses of curves, whatever the application lets through; and what comes back of what was kept."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from uuid import uuid4

import pytest
from sqlalchemy import text
from sqlalchemy.exc import DBAPIError

from irongauge.core.calibration.points import Run
from irongauge.core.calibration.record import Calibration, KeptPoint, Manner, PointReason, Setup, Stage, even_plan
from irongauge.core.controllers.cross_checks import instruments_agree
from irongauge.core.controllers.record import KeptCheck, KeptEntry
from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.transfer import CurveKind, TableCurve
from irongauge.errors import NotFoundError

NOW = datetime(2026, 3, 2, 9, tzinfo=UTC)
SETUP = Setup(
    channel="signal",
    stage=Stage.AS_LEFT,
    manner=Manner.QUICK,
    plan=even_plan(0, 800, 2, down=False),
    serial="N 1",
    reference_each=True,
    pull_up_ohm=2200.0,
    pull_up_v=4.9,
    stimulus_base=PressureBase.ABSOLUTE,
    atmosphere_kpa=81.2,
    atmosphere_measured=True,
)


@pytest.fixture
def kept(demo):
    """A calibration of a loose sensor with a corrected point, as it was handed in."""
    with demo.unit() as store:
        shop = store.shops.first()
        sensor = next(s for s in store.shelf.sensor_types(shop.uid) if s.name.startswith("Orrin P10"))
        who = store.shops.technicians(shop.uid)[0].uid
        first = KeptPoint(
            uid=uuid4(),
            place=0,
            run=Run.UP,
            stimulus=0.0,
            reading=0.5,
            reference_v=4.96,
            stimulus_step=1.0,
            typed_stimulus="0",
            typed_reading="0.5",
            taken_at=NOW,
        )
        second = replace(first, uid=uuid4(), reading=0.51, supersedes_uid=first.uid, reason=PointReason.LEFT_OUT,
                         left_out="hose", taken_at=NOW.replace(minute=1))  # fmt: skip
        record = Calibration(
            uid=uuid4(), sensor=sensor, setup=SETUP, technician_uid=who, started_at=NOW, points=(first, second)
        )
        store.calibrations.add(shop.uid, record)
    return record


def test_a_record_comes_back_as_it_was_handed_in(demo, kept):
    with demo.unit() as store:
        assert store.calibrations.calibration(kept.uid) == kept
        assert store.calibrations.successor(kept.uid) is None
        with pytest.raises(NotFoundError):
            store.calibrations.calibration(uuid4())


BAD = [
    ("UPDATE calibration SET reference_v = -1", "reference_v_possible"),
    ("UPDATE calibration SET atmosphere_kpa = 500", "atmosphere_possible"),
    ("UPDATE calibration SET stage = 'sometime'", "stage_known"),
    ("UPDATE calibration SET signed_at = now()", "signed_by_someone"),
    ("UPDATE calibration SET supersedes_uid = uid", "not_itself"),
    ("UPDATE calibration_point SET reading = 1", "never changed"),
    ("DELETE FROM calibration_point", "never changed"),
    ("DELETE FROM cross_check", "never changed"),
    ("UPDATE cross_check SET finding = 'x'", "never changed"),
    ("UPDATE controller_entry SET name = 'x'", "never changed"),
    ("UPDATE sensor_type SET fault_low_v = 4.0, fault_high_v = 1.0", "fault_volts_apart"),
    ("UPDATE sensor_type SET replaced_by_uid = uid", "not_by_itself"),
    ("UPDATE sensor_type SET curve_kind = 'ohms' WHERE curve_kind IS NOT NULL", "curve_kind_known"),
]


@pytest.mark.parametrize(("statement", "says"), BAD, ids=[s for s, _ in BAD])
def test_a_statement_that_breaks_a_record_is_refused(demo, kept, statement, says):
    if "calibration SET" in statement:
        statement += f" WHERE uid = '{kept.uid}'"
    with demo.engine.begin() as connection, pytest.raises(DBAPIError) as error:
        connection.execute(text(statement))
    assert says in str(error.value)


def _point(**changes):
    return replace(
        KeptPoint(
            uid=uuid4(),
            place=1,
            run=Run.UP,
            stimulus=0.0,
            reading=0.5,
            reference_v=None,
            stimulus_step=1.0,
            typed_stimulus="0",
            typed_reading="0.5",
            taken_at=NOW,
        ),
        **changes,
    )


def test_a_place_has_one_first_point_and_each_point_one_successor(demo, kept):
    first, second = kept.points
    with demo.unit() as store:
        assert store.calibrations.add_point(kept.uid, _point())
        assert not store.calibrations.add_point(kept.uid, _point())
        late = _point(place=0, supersedes_uid=first.uid, reason=PointReason.AGAIN)
        assert not store.calibrations.add_point(kept.uid, late)
    elsewhere = _point(place=5, supersedes_uid=second.uid, reason=PointReason.AGAIN)
    with pytest.raises(DBAPIError, match="supersedes_same_place"), demo.unit() as store:
        store.calibrations.add_point(kept.uid, elsewhere)


def test_two_cards_in_use_cannot_have_one_name_and_a_replaced_one_may_keep_it(demo, kept):
    with demo.unit() as store:
        shop = store.shops.first()
        changed = replace(kept.sensor, uid=uuid4(), tolerance_pct_span=1.0)
        assert store.shelf.replace_sensor_type(shop.uid, kept.sensor.uid, changed)
        assert not store.shelf.replace_sensor_type(shop.uid, kept.sensor.uid, replace(changed, uid=uuid4()))
        names = [s.name for s in store.shelf.sensor_types(shop.uid)]
        assert names.count(kept.sensor.name) == 1
        assert len(store.shelf.sensor_types(shop.uid, replaced=True)) == len(names) + 1
        assert store.calibrations.calibration(kept.uid).sensor.tolerance_pct_span == 2.0
    with pytest.raises(DBAPIError, match="shop_uid_name"), demo.unit() as store:
        store.shelf.add_sensor_type(shop.uid, replace(changed, uid=uuid4()))


def test_tables_and_thermistors_by_points_come_back(demo):
    curve = TableCurve(CurveKind.VOLTS, Quantity.ANGLE, (0.5, 1.0, 4.5), (0.0, 30.0, 90.0))
    ntc = Thermistor.from_points(((-10, 9150), (30, 1680), (90, 243)))
    with demo.unit() as store:
        shop = store.shops.first()
        combo = next(s for s in store.shelf.sensor_types(shop.uid) if s.family == "combo-4w")
        bent = replace(combo, uid=uuid4(), name="Bent", curve=curve, element=ntc, fault_low_v=0.2, fault_high_v=4.8)
        store.shelf.add_sensor_type(shop.uid, bent)
    with demo.unit() as store:
        back = store.shelf.sensor_type(bent.uid)
        assert back == bent
        assert back.channels[1].curve.value_at(600.0) == pytest.approx(59.592, abs=1e-3)


def test_the_latest_entry_of_a_name_counts_and_one_without_figures_is_gone(demo, kept):
    with demo.unit() as store:
        shop = store.shops.first()
        circuit = next(
            c for group in store.circuits.of_jobs(j.uid for j in store.jobs.jobs(shop.uid)).values() for c in group
        )
        entry = KeptEntry(
            uid=uuid4(),
            name="Dash",
            figures={"kind": "limit", "shown": "9"},
            unit="bar",
            base=None,
            technician_uid=kept.technician_uid,
            entered_at=NOW,
        )
        store.calibrations.add_entry(circuit.uid, entry)
        later = replace(entry, uid=uuid4(), figures={"kind": "limit", "shown": "10"}, entered_at=NOW.replace(minute=5))
        store.calibrations.add_entry(circuit.uid, later)
        assert later in store.calibrations.entries_of([circuit.uid])[circuit.uid]
        assert entry not in store.calibrations.entries_of([circuit.uid])[circuit.uid]
        gone = replace(entry, uid=uuid4(), figures=None, entered_at=NOW.replace(minute=9))
        store.calibrations.add_entry(circuit.uid, gone)
        assert not [e for e in store.calibrations.entries_of([circuit.uid])[circuit.uid] if e.name == "Dash"]
        check = KeptCheck(uuid4(), instruments_agree(1, 1, 2, 1, "kPa"), {"first": "1"}, kept.technician_uid, NOW)
        store.calibrations.add_check(circuit.uid, check)
        assert check in store.calibrations.checks_of([circuit.uid])[circuit.uid]
