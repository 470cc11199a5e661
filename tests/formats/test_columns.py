"""The one sniffer of columns: marks, headings and decimal commas as files of many origins have them."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.formats.columns import MARKS, AmbiguousCommasError, cells_of, is_number, number_of, sniff

LAID_OUT = [
    ("semicolons and decimal commas", ["t (s);U (V)", "0,0;1,5", "0,1;1,6"], ";", 1, 2),
    ("commas and points", ["0.0,1.5", "0.1,1.6"], ",", 0, 2),
    ("commas with blanks behind", ["0.0, 1.5", "0.1, 1.6"], ",", 0, 2),
    ("tabs, with commas inside", ["0,0\t1,5", "0,1\t1,6"], "\t", 0, 2),
    ("many blanks, with commas inside", ["0,0   1,5", "0,1   1,6"], " ", 0, 2),
    ("a preamble with other marks", ["Model,AB-12,3", "Rate;1000", "", "x;y", "0;1", "1;2", "2;3"], ";", 4, 2),
    ("a mark at the end of each row", ["0;1;", "1;2;"], ";", 0, 2),
    ("quoted numbers", ['"0,5";"1,5"', '"0,6";"1,6"'], ";", 0, 2),
    ("a third column of words", ["0;1;cold", "1;2;cold"], ";", 0, 3),
    ("a row that breaks off", ["0,1", "1,2", "2,3", "4"], ",", 0, 2),
]


@pytest.mark.parametrize(("lines", "mark", "first", "width"), [r[1:] for r in LAID_OUT], ids=[r[0] for r in LAID_OUT])
def test_a_layout_is_found(lines, mark, first, width):
    found = sniff(lines)
    assert (found.mark, found.first, found.width) == (mark, first, width)
    assert len(found.headings) == first


def test_what_has_no_two_columns_of_numbers_has_no_layout():
    assert sniff(["one", "two"]) is None
    assert sniff(["1", "2"]) is None
    assert sniff([]) is None


def test_commas_inside_and_between_are_not_guessed_at():
    with pytest.raises(AmbiguousCommasError) as error:
        sniff(["0,0,1,5", "0,1,1,6"])
    assert error.value.line == "0,0,1,5"


def test_other_values_than_numbers_may_count_and_need_not_lead():
    rows = ["fix;time;speed", "3D;09:00:01;12,5", "3D;09:00:02;12,6"]
    found = sniff(rows, lambda cell: is_number(cell) or ":" in cell, leading=False)
    assert (found.mark, found.first) == (";", 1)


def test_a_typographic_minus_is_one_and_a_superscript_is_no_number():
    assert cells_of("−1\t2", "\t") == ("-1", "2")
    assert not is_number("²")
    assert not is_number("1²")


@given(
    st.lists(st.tuples(st.floats(-1e6, 1e6), st.floats(-1e6, 1e6)), min_size=3, max_size=20),
    st.sampled_from(MARKS),
    st.booleans(),
)
def test_rows_that_were_written_are_told_apart_again(rows, mark, comma):
    if mark == "," and comma:
        comma = False
    texts = [tuple(f"{x:.3f}".replace(".", ",") if comma else f"{x:.3f}" for x in row) for row in rows]
    lines = [mark.join(row) for row in texts]
    found = sniff(lines)
    assert [tuple(number_of(c) for c in cells_of(line, found.mark)) for line in lines] == [
        tuple(round(x, 3) for x in row) for row in rows
    ]
