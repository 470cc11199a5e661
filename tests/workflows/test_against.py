"""What other rooms found counts: a job is not handed over, nor its circuit called good to the customer, while it stands."""

from __future__ import annotations

from uuid import uuid4

import pytest

from irongauge.core.controllers.cross_checks import CheckKind, instruments_agree, sensors_agree
from irongauge.core.plan.feeds import Feed, Load, WireRun
from irongauge.core.plan.record import KeptFeed
from irongauge.demo.shelf import uid_of
from irongauge.errors import RefusedRequestError
from irongauge.workflows.curve.controllers import keep_check
from irongauge.workflows.plan.wirings import remove_feed, save_feed
from irongauge.workflows.shop.jobs import hand_over, look_at_floor, look_at_job, look_at_sheet

JOB, VEHICLE = uid_of("job D-3"), uid_of("D-3")


def ready(demo):
    """Whether the job is ready, as Floor, Job and hand-over each see it."""
    on_floor = next(view for view in look_at_floor(demo).jobs if view.job.uid == JOB)
    on_job = look_at_job(demo, JOB).view
    assert on_floor.may_be_handed_over == on_job.may_be_handed_over
    return on_job.may_be_handed_over


def refused(demo):
    reviewer = look_at_job(demo, JOB).people.technicians[0].uid
    with pytest.raises(RefusedRequestError) as error:
        hand_over(demo, JOB, reviewer)
    return str(error.value)


def test_a_comparison_that_failed_counts_until_one_passes(demo):
    assert ready(demo)
    view = look_at_job(demo, JOB).view.standing[0]
    person = look_at_job(demo, JOB).people.technicians[0].uid
    keep_check(demo, view.circuit.uid, instruments_agree(300.0, 1.0, 309.0, 1.0, "kPa"), {}, person)
    assert not ready(demo)
    assert f"{view.circuit.name}, compared, two instruments on one hose: disagree" in refused(demo)
    assert [one.circuit_uid for one in look_at_sheet(demo, JOB).page.view.against] == [view.circuit.uid]
    keep_check(demo, view.circuit.uid, sensors_agree(99.0, 99.1, 0.2, 99.0), {}, person)
    assert not ready(demo), "a comparison of another kind does not take it back"
    keep_check(demo, view.circuit.uid, instruments_agree(300.0, 1.0, 301.0, 1.0, "kPa"), {}, person)
    assert ready(demo)
    assert CheckKind.INSTRUMENTS in {k.verdict.kind for k in look_at_sheet(demo, JOB).kept[view.circuit.uid].checks}


def test_a_feed_that_fails_counts_until_it_is_put_right(demo):
    thin = WireRun(supply_m=3.0, return_m=3.0, area_mm2=0.5)
    kept = KeptFeed(uuid4(), Feed(name="Gauges", fuse_a=20.0, run=thin, loads=(Load(name="Oil", steady_a=0.1),)))
    save_feed(demo, VEHICLE, kept)
    assert not ready(demo)
    assert "Gauges, power: The fuse of 20 A is too big: the wire" in refused(demo)
    remove_feed(demo, VEHICLE, kept.uid)
    assert ready(demo)
