"""Answers of controllers as SAE J1979 prints them, and every service there and back."""

from __future__ import annotations

import contextlib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.live.j1979 import (
    PIDS,
    BadAnswerError,
    RefusedByControllerError,
    Service,
    ask_values,
    code_bytes,
    code_text,
    codes_answer,
    freeze_answer,
    read_codes,
    read_freeze,
    read_supported,
    read_values,
    refusal,
    supported_answer,
    values_answer,
)


@pytest.mark.parametrize(
    ("answer", "pid", "value"),
    [  # hexadecimal answers with the values that the standard's formulas give by hand
        ("41 0C 1A F8", 0x0C, 1726.0),
        ("41 05 7B", 0x05, 83.0),
        ("41 0D 21", 0x0D, 33.0),
        ("41 0B 65", 0x0B, 101.0),
        ("41 42 37 78", 0x42, 14.2),
        ("41 04 80", 0x04, 50.196),
        ("41 0A 7F", 0x0A, 381.0),
        ("41 5C 28", 0x5C, 0.0),
        ("41 10 03 E8", 0x10, 10.0),
        ("41 24 80 00 40 00", 0x24, 1.0),
        ("41 34 6B 85 80 00", 0x34, 0.84),
        ("41 44 80 00", 0x44, 1.0),
        ("41 23 01 F4", 0x23, 5000.0),
        ("41 22 10 00", 0x22, 323.584),
        ("41 59 00 64", 0x59, 1000.0),
        ("41 49 33", 0x49, 20.0),
        ("41 4A 19", 0x4A, 9.804),
        ("41 0E 94", 0x0E, 10.0),
        ("41 06 70", 0x06, -12.5),
        ("41 3C 10 68", 0x3C, 380.0),
        ("41 5E 00 64", 0x5E, 5.0),
    ],
)
def test_a_value_is_as_the_standard_says(answer: str, pid: int, value: float) -> None:
    assert read_values(bytes.fromhex(answer)) == {pid: pytest.approx(value, abs=1e-3)}


def test_what_a_controller_has_is_read_from_its_bits() -> None:
    # BE 1F A8 13: 01, 03 to 07, 0C to 11, 13, 15, 1C, 1F, 20.
    there, more = read_supported(0, bytes.fromhex("41 00 BE 1F A8 13"))
    assert there == [0x04, 0x05, 0x06, 0x07, 0x0C, 0x0D, 0x0E, 0x0F, 0x10, 0x11, 0x1F]
    assert more


def test_six_values_are_asked_for_at_once() -> None:
    assert [len(request) for request in ask_values(list(range(1, 15)))] == [7, 7, 3]


@pytest.mark.parametrize(
    ("raw", "code"),
    [("01 33", "P0133"), ("05 22", "P0522"), ("41 23", "C0123"), ("9A BC", "B1ABC"), ("C1 00", "U0100")],
)
def test_a_code_is_written_as_people_write_it(raw: str, code: str) -> None:
    assert code_text(bytes.fromhex(raw)) == code
    assert code_bytes(code) == bytes.fromhex(raw)


def test_codes_are_counted_and_said_once() -> None:
    assert read_codes(Service.STORED, bytes.fromhex("43 03 01 33 05 22 01 33")) == ("P0133", "P0522")
    assert read_codes(Service.PENDING, bytes.fromhex("47 00")) == ()


@pytest.mark.parametrize("answer", ["", "43", "43 02 01 33", "41 0C 1A F8", "43 01 01"])
def test_what_is_no_list_of_codes_is_refused(answer: str) -> None:
    with pytest.raises(BadAnswerError):
        read_codes(Service.STORED, bytes.fromhex(answer))


@pytest.mark.parametrize("answer", ["", "41 0C 1A", "7E 00", "41 FF 00", "62 0C 1A F8"])
def test_what_is_no_value_is_refused(answer: str) -> None:
    with pytest.raises(BadAnswerError):
        read_values(bytes.fromhex(answer))


def test_a_refusal_says_why() -> None:
    with pytest.raises(RefusedByControllerError, match="the engine must stand still"):
        read_values(refusal(Service.VALUES, 0x22))
    with pytest.raises(RefusedByControllerError, match="code 99"):
        read_codes(Service.STORED, bytes.fromhex("7F 03 99"))


def test_a_freeze_frame_has_its_code_and_values() -> None:
    values = {0x0C: 1500.0, 0x05: 80.0}
    answers = [a for pid in (2, 0x0C, 0x05, 0x0D) if (a := freeze_answer(bytes([pid, 0]), "P0522", values)) is not None]
    assert read_freeze(answers) == ("P0522", values)
    assert read_freeze([bytes.fromhex("42 02 00 00 00")]) == ("", {})


@given(st.dictionaries(st.sampled_from(sorted(PIDS)), st.floats(0, 1), min_size=1, max_size=6))
def test_values_go_there_and_back(shares: dict[int, float]) -> None:
    values = {}
    for pid, share in shares.items():
        whole = round(share * (256 ** (PIDS[pid].used or PIDS[pid].size) - 1))
        values[pid] = whole * PIDS[pid].scale + PIDS[pid].offset
    answer = values_answer(list(values), values)
    assert answer is not None
    assert read_values(answer) == pytest.approx(values)


@given(st.sets(st.sampled_from(sorted(PIDS))))
def test_what_there_is_goes_there_and_back(pids: set[int]) -> None:
    found: list[int] = []
    group, more = 0, bool(pids)
    while more:
        answer = supported_answer(group, pids)
        assert answer is not None
        there, more = read_supported(group, answer)
        found += there
        group += 0x20
    assert found == sorted(pids)


@given(st.binary(max_size=40))
def test_no_bytes_break_the_readers(answer: bytes) -> None:
    for read in (
        read_values,
        lambda a: read_codes(Service.STORED, a),
        lambda a: read_supported(0, a),
        lambda a: read_freeze([a]),
    ):
        with contextlib.suppress(BadAnswerError, RefusedByControllerError):
            read(answer)


@given(st.lists(st.binary(min_size=2, max_size=2).filter(lambda raw: raw != b"\x00\x00"), max_size=9, unique=True))
def test_codes_go_there_and_back(raws: list[bytes]) -> None:
    codes = tuple(map(code_text, raws))
    assert read_codes(Service.STORED, codes_answer(Service.STORED, codes)) == codes
