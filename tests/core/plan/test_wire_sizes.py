"""A wire's size as it is written; the areas of ASTM B258, table 1."""

import pytest

from irongauge.core.measure.quantities import Limits
from irongauge.core.plan.wire_sizes import parse_wire_mm2
from irongauge.errors import EntryError


def read(typed):
    return parse_wire_mm2(typed, field="mm2", limits=Limits(0.05, 240), what="the wire")


@pytest.mark.parametrize(
    ("typed", "mm2"),
    [
        ("18 AWG", 0.823), ("18awg", 0.823), ("AWG 18", 0.823), ("AWG18", 0.823), ("#18", 0.823),
        ("18 ga", 0.823), ("18 gauge", 0.823),
        ("10 AWG", 5.261), ("2/0", 67.43), ("2/0 AWG", 67.43), ("AWG 4/0", 107.2), ("0 AWG", 53.49), ("1/0", 53.49),
        ("00 AWG", 67.43), ("00", 67.43), ("000", 85.01), ("AWG 0000", 107.2), ("6", 6.0), ("18 mm²", 18.0),
        ("1.5", 1.5), ("1,5", 1.5), ("1.5 mm²", 1.5), ("0.5mm2", 0.5), ("2.5 sq mm", 2.5),
    ],
)  # fmt: skip
def test_a_size_is_read_as_it_stands_on_the_reel(typed, mm2):
    assert read(typed) == pytest.approx(mm2, rel=1e-3)


@pytest.mark.parametrize(
    ("typed", "says"),
    [("40 AWG", "no American size"), ("5/0", "no American size"), ("18", "18 mm² or AWG 18 \\(0.823 mm²\\)"),
     ("14", "mm² or AWG 14"), ("10", "mm² or AWG 10"), ("0/0 AWG", "no American size"),
     ("AWG", "not a plain number"),
     ("36 AWG", "outside what is possible"), ("18 A", "not a plain number"), ("", "Nothing was typed")],
)  # fmt: skip
def test_what_is_no_size_is_refused(typed, says):
    with pytest.raises(EntryError, match=says):
        read(typed)


@pytest.mark.parametrize(("typed", "is_asked"), [("18", True), ("14", True), ("16", False), ("10", False)])
def test_under_a_heading_in_mm2_only_what_no_metric_wire_has_is_asked(typed, is_asked):
    limits = Limits(0.05, 240)
    if is_asked:
        with pytest.raises(EntryError, match="could be"):
            parse_wire_mm2(typed, field="mm2", limits=limits, what="the wire", mm2_told=True)
    else:
        assert parse_wire_mm2(typed, field="mm2", limits=limits, what="the wire", mm2_told=True) == float(typed)
