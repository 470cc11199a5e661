"""Entries typed wrongly in every usual way, reckoned by hand from a sheet: each has its name, and no good one is condemned."""

import pytest

from irongauge.core.controllers.reading_back import Slip, check_entry
from tools.wrong_entries import WRONG, draw_entry, draw_good


@pytest.mark.parametrize("kind", WRONG)
def test_every_kind_of_wrong_entry_has_its_name(kind):
    entries = [draw_entry(kind, seed) for seed in range(10)]
    named = [check_entry(e.seen, e.form, e.scale) for e in entries]
    assert sum(verdict.slip in e.right for verdict, e in zip(named, entries, strict=True)) >= 9
    assert all(verdict.slip is not Slip.RIGHT for verdict in named)
    assert all(verdict.sentence.endswith(".") for verdict in named)


def test_no_good_entry_is_condemned():
    for seed in range(30):
        entered = draw_good(seed)
        assert check_entry(entered.seen, entered.form, entered.scale).slip is Slip.RIGHT


def test_what_was_done_is_said_with_what_to_do():
    said = {kind: check_entry(e.seen, e.form, e.scale).sentence for kind in WRONG for e in [draw_entry(kind, 0)]}
    assert "offset and slope are exchanged" in said["two slips"] or "1 000 times" in said["two slips"]
    assert said["two slips"].startswith("Two slips: ")
    assert "is measured. Enter the volts at this one" in said["nominal for the measured reference"]
    assert "type those with the two values" in said["0 and 5 V for the sensor's ends"]
    assert "alone is wrong: at " in said["one wrong cell"]
