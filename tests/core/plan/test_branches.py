"""Feeds with branches, against the nodes of their network solved whole, and every fuse of the standard tried."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from irongauge.core.measure.quantities import Mark
from irongauge.core.plan.feeds import Feed, Load, WireRun
from irongauge.core.plan.power import judge_feed
from irongauge.core.plan.wires import BLADE_FUSES_A
from tools.feeding import nodal_v

RUN = WireRun(supply_m=3.0, return_m=2.0, area_mm2=2.5, around_degc=20.0)


loads_of = st.lists(
    st.builds(
        lambda amps, more, metres, mm2, own: Load(
            name="x",
            steady_a=amps,
            peak_a=amps * more,
            branch_m=metres,
            branch_mm2=mm2 if metres else None,
            own_return=own,
        ),
        st.floats(0.1, 6.0),
        st.floats(1.0, 3.0),
        st.sampled_from([0.0, 0.4, 1.5, 4.0]),
        st.sampled_from([None, 0.5, 0.75, 1.5, 4.0]),
        st.booleans(),
    ),
    min_size=1,
    max_size=5,
)


@settings(max_examples=200, deadline=None)
@given(loads_of, st.booleans())
def test_what_is_lost_is_what_the_network_loses(loads, starting):
    feed = Feed(name="Cab", fuse_a=15.0, run=RUN, loads=tuple(loads))
    amps = [load.start_a if starting else load.steady_a for load in loads]
    each, join_v = nodal_v(feed, amps)
    for load, (there_v, back_v) in zip(feed.loads, each, strict=True):
        assert feed.lost_v(load, starting=starting) == pytest.approx(there_v, rel=1e-6, abs=1e-6)
        assert feed.lost_v(load, back=True, starting=starting) == pytest.approx(back_v, rel=1e-6, abs=1e-6)
    assert feed.common_v(back=True, starting=starting) == pytest.approx(join_v, rel=1e-6, abs=1e-6)
    verdict = judge_feed(feed)
    if not starting:
        assert verdict.there.steady_v == pytest.approx(max(there for there, _ in each), rel=1e-6)
        assert verdict.back.steady_v == pytest.approx(join_v, rel=1e-6, abs=1e-9)


# IEC 60204-1, table 6, B1.
_CARRIES = {0.5: 7.5, 0.75: 8.6, 1.5: 13.5, 2.5: 18.3, 4.0: 25.0}


@settings(max_examples=200, deadline=None)
@given(loads_of)
def test_a_fuse_protects_the_thinnest_wire_behind_it(loads):
    feed = Feed(name="Cab", fuse_a=15.0, run=WireRun(supply_m=3, return_m=2, area_mm2=2.5), loads=tuple(loads))
    weakest = min(_CARRIES[area] for area in (2.5, *(load.branch_mm2 or 2.5 for load in loads)))
    steady, start = sum(load.steady_a for load in loads), sum(load.start_a for load in loads)
    right = [a for a in BLADE_FUSES_A if steady <= 0.8 * a and start <= a <= weakest]
    assert list(judge_feed(feed).fuses_a) == right
    bare = [load for load in loads if load.branch_mm2 and _CARRIES[load.branch_mm2] < 15]
    told = [s for mark, s in judge_feed(feed).checks if mark is Mark.FAIL and "does not protect the branch" in s]
    assert len(told) == len(bare)


HEATER = Load(name="Heater", steady_a=4.0, peak_a=5.0, branch_m=1.5, branch_mm2=0.5)
GAUGE = Load(name="Oil gauge", steady_a=0.4)


@pytest.mark.parametrize(
    ("loads", "mark", "says"),
    [
        ((HEATER, GAUGE), Mark.FAIL, "The fuse of 15 A does not protect the branch to Heater: 0.5 mm² carries only 9.68 A."),
        ((HEATER, GAUGE), Mark.PASS, "0.3 V drop in the supply wire to Heater, at most 0.36 V"),
        ((HEATER, GAUGE), Mark.PASS, "61 mV drop in the return wire, at most 0.1 V"),
        ((HEATER, GAUGE), Mark.PASS, "0.27 V drop in the wires back from Heater, at most 0.36 V"),
        ((Load(name="Heater", steady_a=4.0, own_return=True), GAUGE), Mark.PASS, "5.5 mV drop in the return wire"),
        ((Load(name="Heater", steady_a=4.0, branch_m=9.0, branch_mm2=0.5),), Mark.FAIL,
         "1.3 V drop in the supply wire to Heater"),
    ],
)  # fmt: skip
def test_a_branch_is_named_with_its_figure(loads, mark, says):
    verdict = judge_feed(Feed(name="Cab", fuse_a=15.0, run=RUN, loads=loads))
    assert [m for m, sentence in verdict.checks if says in sentence] == [mark], verdict.checks


def test_where_a_branch_is_weaker_than_its_load_needs_the_load_gets_a_fuse_of_its_own():
    thin = Load(name="Lamp", steady_a=1.0, branch_m=2.0, branch_mm2=0.5)
    verdict = judge_feed(Feed(name="Cab", fuse_a=15.0, run=RUN, loads=(thin, Load(name="Pump", steady_a=11.0))))
    assert verdict.fuses_a == ()
    assert "the branch to Lamp carries 9.68 A. Give it a fuse of its own." in verdict.fuse_sentence


@pytest.mark.parametrize(
    ("changed", "says"),
    [({"branch_m": -1.0}, "not shorter"), ({"branch_m": 1.0, "branch_mm2": 0.0}, "has an area"), ({"branch_mm2": 0.5}, "length")],
)  # fmt: skip
def test_a_branch_that_cannot_be_is_refused(changed, says):
    with pytest.raises(ValueError, match=says):
        Load(name="x", steady_a=1.0, **changed)
