"""The odd requests that `./iron measure fuzz` sends, a few of them."""

from tools.fuzzing import fuzz_figures


def test_a_few_odd_requests_are_answered_and_break_no_page():
    figures = {figure.name.strip(): figure.value for figure in fuzz_figures(90)}
    assert figures["server errors in 90 odd requests to every room"] == 0
    assert next(value for name, value in figures.items() if name.startswith("pages broken afterwards")) == 0
    assert figures["refused with a message"] + figures["answered"] == 90
    assert figures["answered"] > 5
