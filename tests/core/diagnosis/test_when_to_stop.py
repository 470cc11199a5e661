"""When a diagnosis stops asking: on what a verdict may stand, and on what it may not."""

import pytest

from irongauge.core.diagnosis.faults import Standing
from irongauge.core.diagnosis.role_points import RolePoint
from irongauge.core.diagnosis.session import Session
from irongauge.core.diagnosis.strategy import required, role_points_of, stand
from tests.subjects import PRESSURE

OPEN = {name: RolePoint("open_v", name) for name in ("reference", "return", "signal")}
MATED = [RolePoint("mated_v", "signal", state) for state in ("x1", "x2")]


def _session(*answers, confirmed=()):
    session = Session(PRESSURE)
    for role_point, answer in answers:
        session.update(role_point, answer, confirmed=role_point in confirmed)
    return session


GROUNDED = [(OPEN["reference"], {"v": 0.004}), (RolePoint("off_ohm", "reference"), {"ohm": 0.6})]


def test_fewer_than_five_readings_give_no_verdict_however_sure_they_look():
    session = _session(*GROUNDED, (RolePoint("lamp_negative", "reference"), {"v": 0.0, "glow": "dark"}))
    now = stand(session, role_points_of(PRESSURE))
    assert now.standing is Standing.OPEN
    assert now.choices


def test_readings_that_fit_nothing_are_not_forced_into_a_verdict():
    """A reference of 2.7 V that a lamp lifts to 9 V, and a signal above both: no circuit does that."""
    odd = [
        (OPEN["reference"], {"v": 2.7}),
        (RolePoint("lamp_negative", "reference"), {"v": 9.0, "glow": "bright"}),
        (OPEN["return"], {"v": 6.0}),
        (OPEN["signal"], {"v": 11.0}),
        (RolePoint("return_drop"), {"mv": 3.0}),
        (MATED[0], {"v": 0.2}),
        (MATED[1], {"v": 4.9}),
    ]
    session = _session(*odd, confirmed=[point for point, _ in odd])
    now = stand(session, role_points_of(PRESSURE))
    assert now.standing is not Standing.SETTLED


@pytest.mark.parametrize(
    ("driven", "wanted", "unwanted"),
    [((), "lamp_positive", "jumped_return"), (("signal",), "jumped_return", "lamp_positive")],
    ids=["at rest", "driven"],
)
def test_a_wire_is_proved_by_what_its_input_was_found_to_be(driven, wanted, unwanted):
    """With a bias an open wire reads full scale already, so only pulling it down proves anything (and the other way round)."""
    drives = {point.state for point in required(PRESSURE, driven) if point.kind == "live"}
    assert wanted in drives
    assert unwanted not in drives
