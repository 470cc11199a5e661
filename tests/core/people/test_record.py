import hashlib
from dataclasses import replace

import pytest

from irongauge.core.people.record import FIRST_SEAL, RecordLine, Seal, check_seals, seal_of


def sealed(count):
    lines, before = [], FIRST_SEAL
    for number in range(1, count + 1):
        line = RecordLine(
            number=number, at=f"2026-11-25T09:00:{number:02}.000000Z", who='{"name": "Bram Keldby"}', what="reading",
            deed="INSERT", key=f"k{number}", job="j", was="", became=f'{{"value": {number}}}', seal=b"",
        )  # fmt: skip
        line = replace(line, seal=seal_of(before, line))
        before = line.seal
        lines.append(line)
    return lines


def test_a_seal_is_what_the_page_of_formats_says():
    """Worked out by hand from the description, not by the code."""
    (line,) = sealed(1)
    said = '1\x1f2026-11-25T09:00:01.000000Z\x1f{"name": "Bram Keldby"}\x1freading\x1fINSERT\x1fk1\x1fj\x1f\x1f{"value": 1}'
    assert line.seal == hashlib.sha256(bytes(32) + said.encode()).digest()


def test_a_record_as_it_was_written_has_no_problem():
    lines = sealed(30)
    checked = check_seals(lines, [Seal(7, lines[6].seal), Seal(30, lines[29].seal)])
    assert (checked.lines, checked.problems) == (30, [])
    assert checked.end == Seal(30, lines[-1].seal)
    assert check_seals([]).end == Seal(0, FIRST_SEAL)


@pytest.mark.parametrize("field", ["at", "who", "what", "deed", "key", "job", "was", "became"])
def test_a_line_that_was_changed_is_found(field):
    lines = sealed(9)
    lines[4] = replace(lines[4], **{field: "something else"})
    assert len(check_seals(lines).problems) == 1
    assert "line 5" in check_seals(lines).problems[0]


def test_a_line_that_is_missing_or_was_put_in_is_found():
    lines = sealed(9)
    assert "line 5 missing" in check_seals(lines[:4] + lines[5:]).problems[0]
    assert "lines 3 to 6 missing" in check_seals(lines[:2] + lines[6:]).problems[0]
    assert check_seals([*lines[:5], lines[4], *lines[5:]]).problems
    assert "lines 1 to 3 missing" in check_seals(lines[3:]).problems[0]


def test_a_record_that_was_cut_or_written_anew_is_found_by_what_a_sheet_says():
    lines = sealed(9)
    seal = Seal(8, lines[7].seal)
    assert check_seals(lines[:7]).problems == []
    assert check_seals(lines[:7], [seal]).problems == ["the record ends at line 7, but line 8 was there"]
    anew, before = lines[:3], lines[2].seal
    for line in lines[3:]:
        changed = replace(line, became="{}")
        changed = replace(changed, seal=seal_of(before, changed))
        before = changed.seal
        anew.append(changed)
    assert check_seals(anew).problems == []
    assert "written anew up to line 8" in check_seals(anew, [seal]).problems[0]


def test_of_a_record_that_is_broken_everywhere_not_everything_is_told():
    assert len(check_seals([replace(line, job="x") for line in sealed(90)]).problems) == 20
