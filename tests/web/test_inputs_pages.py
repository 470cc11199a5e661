"""Inputs that several functions share, and functions that two inputs read, as a browser without scripts would."""

from __future__ import annotations

from irongauge.demo.shelf import uid_of
from tests.web.visitor import plan

LT7 = uid_of("LT-7")


def _card(visitor, name):
    """The form of a function's card, and that of where it stands."""
    uid = next(f["uid"] for f in plan(visitor, LT7)["functions"] if f["name"] == name)
    page = visitor.get(f"/vehicles/{LT7}/inputs?function={uid}")
    card = next(f for f in page.reader.forms if f.action.endswith("/functions"))
    stand = next(
        f for f in page.reader.forms if f.action.endswith("/assign") and "seen" in f.fields and f.fields["function_uid"]
    )
    return card, stand


def test_two_that_share_stand_on_one_input_and_make_room(visitor):
    assert "No rearrangement does" in visitor.get(f"/vehicles/{LT7}/inputs?count=2&want_kind=digital").text
    for name in ("Winch button", "Old fan sensor"):
        card, _ = _card(visitor, name)
        assert visitor.send(card, read_by="digital or analogue", shares="buttons", in_use="yes").status == 200
    found = visitor.get(f"/vehicles/{LT7}/inputs?count=1&want_kind=analogue&want_name=Crane+oil")
    assert "It may share this input with Old fan sensor" in found.text
    done = visitor.send(found.form("/room"))
    assert done.status == 200
    stands = {f["name"]: f["pin"] for f in plan(visitor, LT7)["functions"]}
    assert stands["Winch button"] == stands["Old fan sensor"] == "DI 1"
    assert stands["Crane oil"] == "AI 6"
    assert "Two functions on one input" not in done.text


def test_one_function_is_read_by_two_inputs(visitor):
    card, _ = _card(visitor, "Winch button")
    visitor.send(card, inputs="2")
    page = visitor.get(f"/vehicles/{LT7}/inputs")
    assert "Winch button is read by two inputs, and stands on one." in page.text
    _, stand = _card(visitor, "Winch button")
    module = stand.fields["at"].split(":")[0]
    same = visitor.send(stand, also_at=stand.fields["at"], warned="yes")
    assert (same.status, "It is read there already" in same.text) == (422, True)
    odd = visitor.send(stand, also_at=f"{module}:Z9", warned="yes")
    assert (odd.status, "There is no such pin" in odd.text) == (422, True)
    visitor.send(_card(visitor, "Old fan sensor")[1], at="", warned="yes")
    assert visitor.send(stand, also_at=f"{module}:DI 1", also_on="yes", warned="yes").status == 200
    kept = next(f for f in plan(visitor, LT7)["functions"] if f["name"] == "Winch button")
    assert (kept["pin"], kept["also_at"]["pin"], kept["also_on"], kept["inputs"]) == ("AI 6", "DI 1", True, 2)
    shown = visitor.get(f"/vehicles/{LT7}/inputs?function={kept['uid']}").text
    assert "Winch button on AI 6 and DI 1" in shown
    back, _ = _card(visitor, "Winch button")
    visitor.send(back, inputs="1")
    kept = next(f for f in plan(visitor, LT7)["functions"] if f["name"] == "Winch button")
    assert (kept["pin"], kept["also_at"]) == ("AI 6", None)


def test_room_for_one_read_by_two_reserves_both(visitor):
    for name in ("Winch button", "Old fan sensor"):
        card, _ = _card(visitor, name)
        visitor.send(card, in_use="", read_by="digital or analogue")
    path = f"/vehicles/{LT7}/inputs?count=1&want_kind=digital&want_name=Hatch&want_inputs=2"
    found = visitor.get(path)
    assert "No rearrangement does, whatever shares an input" in found.text, "only one digital input is left"
    assert visitor.get(path.replace("want_inputs=2", "want_inputs=7")).status == 422


def test_what_reads_a_second_input_is_left_behind_by_it_too(visitor):
    card, _ = _card(visitor, "Winch button")
    visitor.send(card, inputs="2", read_by="digital or analogue")
    visitor.send(_card(visitor, "Old fan sensor")[1], at="", warned="yes")
    _, stand = _card(visitor, "Winch button")
    module = stand.fields["at"].split(":")[0]
    visitor.send(stand, also_at=f"{module}:DI 1")
    assert "Winch enable still reads" not in visitor.get(f"/jobs/{uid_of('job LT-7')}").text
    _, stand = _card(visitor, "Winch button")
    asked = visitor.send(stand, also_at="")
    assert asked.status == 409
    assert "Winch enable" in asked.text
    assert "Until then it follows whatever stands on DI 1" in asked.text
    assert visitor.send(stand, also_at="", warned="yes").status == 200
    job = visitor.get(f"/jobs/{uid_of('job LT-7')}").text
    assert "Winch enable still reads DI 1, where nothing stands now. Point it to AI 6" in job
    _, stand = _card(visitor, "Winch button")
    visitor.send(stand, also_at=f"{module}:DI 1", warned="yes")
    assert "Winch enable still reads" not in visitor.get(f"/jobs/{uid_of('job LT-7')}").text, "it came back"
