"""The Plan room and the vehicle's page, as a browser without scripts would use them."""

from __future__ import annotations

import io
import random
from html import unescape
from urllib.parse import quote

import pytest
from PIL import Image

from irongauge.demo.shelf import uid_of
from tests.web.visitor import circuit, plan

LT7, D3, G12 = (uid_of(tag) for tag in ("LT-7", "D-3", "G-12"))
BOOST = uid_of("function Boost pressure")
G1 = "6ba7b811-9dad-11d1-80b4-00c04fd430c8"
LANTERN = uid_of("module Lantern")


def people(visitor):
    return {t["name"]: t["uid"] for t in visitor.client.get("/api/v1/shelf").json()["technicians"]}


def form(visitor, path, part):
    """The last form of a page that changes something at an address that ends so."""
    return [f for f in visitor.get(path).reader.forms if f.action.endswith(part) and f.method == "post"][-1]


PAGES = [
    "/plan", "/plan?q=de-icer", f"/vehicles/{LT7}", f"/vehicles/{LT7}/inputs", f"/vehicles/{LT7}/inputs?function={BOOST}",
    f"/vehicles/{D3}/wiring", f"/vehicles/{G12}/wiring", f"/vehicles/{G12}/power", "/shelf/modules", "/shelf/modules/new",
    f"/shelf/modules/{uid_of('module Marram')}/edit", f"/jobs/{uid_of('job LT-7')}/kit", "/?q=groomer", "/?q=nothing",
]  # fmt: skip


@pytest.mark.parametrize("path", PAGES)
def test_every_page_opens_and_asks_nobody_else(standing, path):
    page = standing.get(path)
    assert page.status == 200
    assert " style=" not in page.response.text
    assert not [s for s in page.reader.sources if "://" in s and not s.startswith(str(standing.client.base_url))]


@pytest.mark.parametrize("path", ["/vehicles/x", f"/vehicles/{uid_of('nobody')}", f"/vehicles/{uid_of('nobody')}/inputs",
                                  f"/pictures/{uid_of('nobody')}", f"/jobs/{uid_of('nobody')}/kit", "/shelf/modules/x/edit",
                                  f"/api/v1/vehicles/{uid_of('nobody')}/plan"])  # fmt: skip
def test_what_is_not_there_is_said_so(standing, path):
    assert standing.client.get(path).status_code == 404


def test_a_colour_that_changes_on_the_way_is_told(standing):
    said = standing.get(f"/vehicles/{D3}/wiring").text
    assert "The colour changes on the way: orange, red. Label both." in said, "the tank's reference joins the red one"
    assert "on the way: red, red" not in said


def test_a_vehicle_names_its_connectors(standing):
    assert "Connectors: X4 , 6 cavities" in standing.get(f"/vehicles/{D3}").text.replace("X4,", "X4 ,")


def test_a_search_that_fits_one_vehicle_goes_there(standing):
    assert standing.client.get("/plan?q=lt-7").url.path == f"/vehicles/{LT7}"
    assert "“zeppelin” is in no tag or description." in standing.get("/plan?q=zeppelin").text


def test_room_is_found_shown_with_why_and_planned(visitor):
    page = visitor.get(f"/vehicles/{LT7}/inputs?count=1&want_kind=analogue&want_pull_up=either&want_name=Pump")
    assert "2 moves , and no fewer would do" in page.text.replace("moves,", "moves ,")
    assert "Winch button: move from AI 6 to DI 1" in page.text.replace(" :", ":")
    visitor.send(page.form("/room"))
    functions = {f["name"]: f["pin"] for f in plan(visitor, LT7)["functions"]}
    assert (functions["Pump"], functions["Winch button"]) == ("AI 6", "DI 1")
    none = visitor.get(f"/vehicles/{LT7}/inputs?count=3&want_kind=analogue&want_pull_up=either").text
    assert "No rearrangement does" in none
    assert "smallest module on the Shelf" in none


@pytest.mark.parametrize(
    ("typed", "says"),
    [("count=0&want_kind=analogue", "from 1 to 20"), ("count=1.5&want_kind=analogue", "Inputs come whole."),
     ("count=two&want_kind=analogue", "“two”"), ("count=1&want_kind=radio", "not one of the choices")],
)  # fmt: skip
def test_half_a_want_is_refused(standing, typed, says):
    page = standing.client.get(f"/vehicles/{LT7}/inputs?{typed}")
    assert page.status_code == 422
    assert says in unescape(page.text)


def test_an_untouched_form_asks_for_an_input_with_or_without_pull_up(standing):
    room = next(f for f in standing.get(f"/vehicles/{LT7}/inputs").reader.forms if "count" in f.fields)
    assert (room.fields["want_kind"], room.fields["want_pull_up"]) == ("analogue", "either")
    assert form(standing, f"/vehicles/{LT7}/inputs", "/functions").fields["pull_up"] == "either"


def test_a_function_is_put_elsewhere_by_form_and_a_conflict_is_told(visitor):
    look = f"/vehicles/{LT7}/inputs?function={BOOST}"
    assign = form(visitor, look, "/assign")
    shaft = next(f for f in plan(visitor, LT7)["functions"] if f["name"] == "Propeller shaft speed")
    asked = visitor.send(assign, at=f"{shaft['module_uid']}:DI 2")
    assert asked.status == 409
    assert "Boost pressure leaves AI 2" in asked.text
    assert "Table Fuel limit: point it to DI 2." in asked.text
    assert next(f for f in plan(visitor, LT7)["functions"] if f["name"] == "Boost pressure")["pin"] == "AI 2"
    page = visitor.send(next(f for f in asked.reader.forms if "warned" in f.fields))
    assert "Boost pressure, Propeller shaft speed stand on one input." in page.text
    assert "Boost pressure needs analogue; this pin is digital." in page.text
    assert "Table Fuel limit still reads AI 2, where nothing stands now. Point it to DI 2" in page.text
    again = visitor.send(assign, at="")
    assert again.status == 409
    assert "Somebody else changed the input of Boost pressure" in again.text
    bad = visitor.send(form(visitor, look, "/assign"), at="nonsense")
    assert (bad.status, "That is no pin of this vehicle." in bad.text) == (422, True)


def test_places_are_added_ticked_and_keep_a_function_from_being_removed(visitor):
    look = f"/vehicles/{LT7}/inputs?function={BOOST}"
    visitor.send(form(visitor, look, "/places"), kind="output’s condition", place_name="Wastegate")
    page = visitor.get(look)
    assert "Output’s condition Wastegate reads AI 2." in page.text
    refused = visitor.send(page.form(f"/functions/{BOOST}/remove"))
    assert (refused.status, "Wastegate" in refused.text) == (403, True)
    for tick in [f for f in visitor.get(look).reader.forms if f.action.endswith("/tick")]:
        visitor.send(tick, technician_uid=people(visitor)["Bram Keldby"])
    assert visitor.send(visitor.get(look).form(f"/functions/{BOOST}/remove")).status == 200
    assert str(BOOST) not in str(plan(visitor, LT7)["functions"])


def test_something_new_is_added_and_a_circuit_taken_in(visitor):
    inputs = f"/vehicles/{G12}/inputs"
    card = form(visitor, inputs, "/functions")
    page = visitor.send(card, name="Bell button", read_by="digital or analogue", own_pull_up_ohm="lots")
    assert page.status == 422
    assert next(f for f in page.reader.forms if f.action == card.action).fields["name"] == "Bell button", "it is kept"
    visitor.send(form(visitor, inputs, "/functions"), name="Bell button", read_by="digital or analogue")
    visitor.send(next(f for f in visitor.get(inputs).reader.forms if f.action.endswith("/of-circuit")))
    assert {"Bell button"} < {f["name"] for f in plan(visitor, G12)["functions"]}


def test_a_module_type_is_put_on_the_shelf_with_every_bad_line_told(visitor):
    new = visitor.get("/shelf/modules/new").form("/modules")
    bad = visitor.send(new, name="Brim X2", pins="X1,analogue,5\nX2,antenna\nX3,analogue,5,10,fixed")
    assert bad.status == 422
    assert "Line 2" in bad.text
    assert "Line 3" in bad.text
    assert bad.form("/modules").fields["pins"].startswith("X1,analogue")
    assert visitor.send(new, name="Brim X2", pins="X1,analogue,5\nREF,reference,,,,,,5,40").status == 200
    assert "Brim X2" in visitor.get("/shelf/modules").text
    assert visitor.send(new, name="Brim X2", pins="X1,analogue").status == 422


def test_a_harness_is_written_whole_or_not_at_all(visitor):
    lists = form(visitor, f"/vehicles/{D3}/wiring", "/wiring")
    page = visitor.send(lists, wires=lists.fields["wires"] + "99,Nowhere:1,X4:9,red,0.5,zero,\n")
    assert page.status == 422
    assert "Line 10" in page.text
    again = visitor.send(lists, wires=lists.fields["wires"] + "99,Nowhere:1,X4:9,red,0.5,1,\n")
    assert "goes to Nowhere, which is not there" in again.text
    assert "X4 has no cavity 9" in again.text
    assert len(plan(visitor, D3)["harness"]["wires"]) == 8
    assert visitor.send(lists, wires=lists.fields["wires"] + "99,S2,X4:4,red,0.5,1,\n").status == 200
    assert len(plan(visitor, D3)["harness"]["wires"]) == 9
    csv = visitor.client.get(f"/vehicles/{D3}/wiring/wires.csv").text
    assert csv.splitlines()[0] == "wire,from,to,colour,mm2,length_m,shield,part_of"


def test_two_connectors_are_matched_and_the_map_is_kept(visitor):
    page = visitor.get(f"/vehicles/{D3}/wiring")
    assert "The colour changes on the way: red to orange. Label both." in page.text
    assert "Same colour, other function: their red in C is Spray pressure." in page.text
    joins = form(visitor, f"/vehicles/{D3}/wiring", "/maps")
    assert visitor.send(joins, keep="yes", technician_uid="").status == 422
    kept = visitor.send(joins, keep="yes", map_name="Second look", technician_uid=people(visitor)["Bram Keldby"])
    assert "Second look" in kept.text
    assert len(plan(visitor, D3)["maps"]) == 2


def test_a_feed_is_worked_out_kept_changed_and_removed(visitor):
    path = f"/vehicles/{G12}/power"
    typed = ("name=Horn&fuse_a=5&supply_m=3&return_m=3&area_mm2=0.5&around_degc=20&keyed=yes&loads=Horn;4"
             "&try_fuse_a=7.5")  # fmt: skip
    looked = visitor.get(f"{path}?{typed}").text
    assert "4 A steady on a fuse of 5 A: 80 %, at most 80 %." in looked
    assert "0.41 V drop in the return wire, at most 0.1 V: what shares this return reads off by as much." in looked
    assert "Yes. 4 A steady on a fuse of 7.5 A: 53 %" in looked
    assert "protects a wire that carries 9.68 A" in looked
    assert "A fuse of 5 to 7.5 A would do." in looked
    alone = visitor.get(f"{path}?{typed}&shares_return=no").text
    assert "0.41 V drop in the return wire, at most 0.72 V." in alone
    assert len(plan(visitor, G12)["feeds"]) == 2
    feeds = form(visitor, path, "/power")
    visitor.send(feeds, name="Horn", fuse_a="5", loads="Horn; 4; 9; 10")
    bad = visitor.send(feeds, name="Horn 2", loads="Horn; lots\nLamp\nFan; 4; 2")
    assert all(f"Line {n}" in bad.text for n in (1, 2, 3))
    horn = next(f for f in plan(visitor, G12)["feeds"] if f["name"] == "Horn")
    assert horn["loads"] == [
        {"name": "Horn", "steady_a": 4.0, "peak_a": 9.0, "duty": 0.1, "keyed": True, "sleep_ma": 0.0, "branch_m": 0.0,
         "branch_mm2": None, "own_return": False}
    ]  # fmt: skip
    again = form(visitor, f"{path}?feed={horn['uid']}", f"{G12}/power")
    assert (again.fields["area_mm2"], again.fields["shares_return"]) == ("1 mm²", "yes")
    more = {"fuse_a": "10", "insulation_degc": "105", "circuits_together": "2", "shares_return": "no"}
    visitor.send(again, **more)
    kept = next(f for f in plan(visitor, G12)["feeds"] if f["name"] == "Horn")
    assert {name: kept[name] for name in more} == {
        "fuse_a": 10.0, "insulation_degc": 105.0, "circuits_together": 2, "shares_return": False
    }  # fmt: skip
    visitor.send(visitor.get(path).form(f"{horn['uid']}/remove"))
    assert len(plan(visitor, G12)["feeds"]) == 2


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ("Heater; 4; 5; ; ; 1.5; 0.5 mm²", "does not protect the branch to Heater: 0.5 mm²"),
        ("Heater; 4; 5; ; ; 1,5 m; AWG 20; own", "does not protect the branch to Heater: 0.518 mm²"),
        ("Heater; 4; 5; ; ; 1.5; ; own", "drop in the wires back from Heater"),
        ("Heater; 4; 5; ; ; 150 cm; 20", "could be 20 mm² or AWG 20"),
        ("Heater; 4; 5; ; ; 1.5; 1 mm²; shared", "“shared” is not understood at the end"),
        ("Heater; 4; 5; ; ; ; 1 mm²", "needs its length"),
        ("Heater; 4; 5; ; ; 1.5; 1 mm²; own; more", "“own” is not understood at the end"),
    ],
)
def test_a_load_may_hang_on_a_branch_of_its_own(visitor, line, says):
    page = visitor.get(
        f"/vehicles/{G12}/power?name=Cab&fuse_a=15&supply_m=3&return_m=2&area_mm2=2.5&around_degc=20&keyed=yes"
        f"&loads={quote(line)}"
    )
    assert says in page.text
    assert line in page.response.text.replace("&#39;", "'")


def test_a_branch_is_kept_and_shown_as_it_was_typed(visitor):
    path = f"/vehicles/{G12}/power"
    line = "Heater; 4; 5; 50; ; 1.5; 1 mm²; own"
    visitor.send(form(visitor, path, "/power"), name="Cab", fuse_a="7.5", loads=f"{line}\nOil gauge; 0.4")
    kept = next(f for f in plan(visitor, G12)["feeds"] if f["name"] == "Cab")
    assert [(load["branch_m"], load["branch_mm2"], load["own_return"]) for load in kept["loads"]] == [
        (1.5, 1.0, True),
        (0.0, None, False),
    ]
    assert form(visitor, f"{path}?feed={kept['uid']}", f"{G12}/power").fields["loads"] == f"{line}\nOil gauge; 0.4"


def test_a_kit_line_is_added_ticked_and_stands_on_the_sheet_while_open(visitor):
    job = uid_of("job LT-7")
    kit = f"/jobs/{job}/kit"
    bad = visitor.send(visitor.get(kit).form(kit), lines="Seal; cheap\n; 5")
    assert all(f"Line {n}" in bad.text for n in (1, 2))
    visitor.send(visitor.get(kit).form(kit), lines="Seal; 1,20\nLabels")
    assert "6 of 6" not in visitor.get(kit).text
    assert "5 of 6 still open" in visitor.get(kit).text
    assert "Kit not complete" in visitor.get(f"/jobs/{job}/handover").text
    tick = next(f for f in visitor.get(kit).reader.forms if f.action.endswith("/tick") and "open_again" not in f.fields)
    assert visitor.send(tick, technician_uid="").status == 422
    visitor.send(tick, technician_uid=people(visitor)["Bram Keldby"])
    assert "4 of 6 still open" in visitor.get(kit).text
    visitor.send(visitor.get(kit).form("/remove"))
    assert len(visitor.client.get(f"/api/v1/jobs/{job}/kit").json()) == 5


def test_a_vehicles_card_promise_note_and_picture(visitor):
    path = f"/vehicles/{LT7}"
    card = visitor.get(path).form(path)
    assert visitor.send(card, description="Marram 60, crane added", height_m="4").status == 200
    late = visitor.send(card, description="Another")
    assert (late.status, "after this page was opened" in late.text) == (409, True)
    assert "description from" in visitor.get(path).text
    assert visitor.send(visitor.get(path).form(path), tag="").status == 422
    promise = visitor.get(path).form("/promise")
    assert visitor.send(promise, promised_on="2020-01-01", why="x").status == 422
    assert visitor.send(promise, promised_on="2031-02-03", why="").status == 422
    moved = visitor.send(promise, promised_on="2031-02-03", why="no sensor")
    assert "promise of job 1001" in moved.text
    timed = moved.form("/promise")
    assert visitor.send(timed, promised_by="25:10", why="x").status == 422
    kept = visitor.send(timed, promised_by="teatime", why="sooner")
    assert "no time of day" in kept.text
    assert kept.form("/promise").fields["promised_by"] == "teatime"
    assert "3 Feb 2031 by 14:30" in visitor.send(timed, promised_by="2.30 pm", why="the ferry").text
    assert visitor.send(timed, promised_by="16:00", why="seen too early").status == 409
    note = visitor.get(path).form("/notes")
    assert visitor.send(note, note="Loose lid", technician_uid="").status == 422
    assert "Loose lid" in visitor.send(note, note="Loose lid", technician_uid=people(visitor)["Bram Keldby"]).text
    out = io.BytesIO()
    Image.new("RGB", (40, 30), (20, 90, 90)).save(out, "JPEG")
    fields = visitor.get(path).form("/pictures").fields | {"title": "Fuse box"}
    sent = visitor.client.post(
        f"{path}/pictures", data=fields, files={"file": ("box.jpg", out.getvalue(), "image/jpeg")}
    )
    assert "Fuse box" in sent.text
    picture = next(s for s in visitor.get(path).reader.sources if "/pictures/" in s and not s.endswith("/pictures"))
    assert visitor.client.get(picture.removesuffix("/remove")).headers["content-type"] == "image/jpeg"
    bad = visitor.client.post(f"{path}/pictures", data=fields, files={"file": ("box.jpg", b"text", "image/jpeg")})
    assert bad.status_code == 422
    visitor.send(visitor.get(path).form("/remove"))
    assert "Fuse box" not in visitor.get(path).text


def test_a_circuit_is_retired_with_why_and_comes_back(visitor):
    card = f"/circuits/{circuit(visitor, 'Boost pressure')}/card"
    assert visitor.send(visitor.get(card).form("/retire"), why="").status == 403
    job = visitor.send(visitor.get(card).form("/retire"), why="sensor removed")
    assert "is not there any more: sensor removed" in job.text
    assert visitor.send(visitor.get(card).form("/retire")).status == 200
    assert "sensor removed" not in visitor.get(f"/jobs/{uid_of('job LT-7')}").text


def test_a_verdict_on_a_wire_shows_its_way_and_the_connector_that_halves_it(visitor):
    winch = next(
        c["uid"]
        for job in visitor.client.get("/api/v1/jobs").json()
        for c in job["circuits"]
        if "Winch oil" in c["name"]
    )
    assert (
        "from pin 2: Winch oil pressure:2 → X12:2 → X20:2 → Controller:SG."
        in visitor.get(f"/circuits/{winch}/bench").text
    )
    lists = form(visitor, f"/vehicles/{LT7}/wiring", "/wiring")
    nodes = "Winch oil pressure,sensor\nX7,connector,1,4\nController,module\n"
    wires = "1,Winch oil pressure:2,X7:2,,,1.5\n2,X7:2,Controller:SG,,,2\n3,Winch oil pressure:1,X7:1,,,1.5\n"
    assert visitor.send(lists, nodes=nodes, wires=wires).status == 200
    page = visitor.get(f"/circuits/{winch}/bench")
    said = page.text
    assert "Its way from pin 2: Winch oil pressure:2 → X7:2 → Controller:SG." in said
    assert "from pin 1:" not in said, "the return is blamed, not the reference"
    asked = visitor.get(page.link("test=way_v"))
    assert "Probe the wire of the return, pin 2 (black) at X7:2 from the back" in asked.text
    told = visitor.send(asked.form("/readings"), value="3mV")
    assert told.status == 200
    assert "It lies between Winch oil pressure:2 and X7:2." in told.text
    assert "Volts on the way: return (2) at X7:2" in told.text


def test_a_place_on_the_way_that_the_harness_does_not_have_is_not_asked_for(standing):
    winch = circuit(standing, "Winch oil pressure")
    page = standing.get(f"/circuits/{winch}/bench?test=way_v:2%40X99:1")
    assert page.status == 404
    assert "X99:1" in page.text


def test_what_was_tried_of_a_conditioner_is_kept_and_the_next_is_named(visitor):
    page = visitor.get(f"/vehicles/{LT7}/joints")
    tried = visitor.send(page.form("/trials"), at="squarer to display", tried="square wave", technician_uid="")
    assert "Choose who tried it." in tried.text
    by = visitor.client.get("/api/v1/shelf").json()["technicians"][0]["uid"]
    told = visitor.send(
        page.form("/trials"), at="squarer to display", tried="square wave", technician_uid=by, note="no lamp"
    )
    assert "squarer to display: square wave does not work, no lamp" in told.text
    assert "Next at squarer to display: level in volts" in told.text
    works = visitor.send(told.form("/trials"), tried="level in volts", worked="yes", technician_uid=by)
    assert "squarer to display: level in volts works" in works.text
    assert "Nothing is left to try at squarer to display" in works.text


def test_the_shops_own_way_to_join_wires_is_kept_and_the_reasons_stay(visitor):
    assert "Crimp: " in visitor.get(f"/vehicles/{LT7}/joints?vibrates=yes").text
    assert (
        visitor.send(visitor.get("/shelf/shop").form("/shop"), joint_school="solder, under an adhesive sleeve").status
        == 200
    )
    said = visitor.get(f"/vehicles/{LT7}/joints?vibrates=yes").text
    assert "Solder, under an adhesive sleeve: vibration works at the edge" in said
    assert "against these reasons" in said
    assert "Crimp: " in visitor.get(f"/vehicles/{LT7}/joints?vibrates=yes&school=crimp").text


def test_a_shield_is_held_against_what_the_bench_read_of_it(visitor):
    axle = circuit(visitor, "Axle speed")
    by = visitor.client.get("/api/v1/shelf").json()["technicians"][0]["uid"]
    address = f"/vehicles/{LT7}/wiring"
    assert "Axle speed: Its ohms to ground tell" in visitor.get(address).text
    for action, ohm, says in (
        ("shield_ohm", 0.8, "Its ohms to ground tell"),
        ("shield_lifted_ohm", 1.4, "at both ends. Lift it"),
    ):
        body = {"action": action, "value": ohm, "technician_uid": by}
        assert visitor.client.post(f"/api/v1/circuits/{axle}/readings", json=body).status_code == 201
        assert says in visitor.get(address).text


def test_a_sensor_on_another_modules_reference_is_said_with_what_it_costs(visitor):
    visitor.client.put(
        f"/api/v1/vehicles/{LT7}/modules/{G1}", json={"uid": G1, "name": "Gauges", "type_uid": str(LANTERN)}
    )
    plan = visitor.client.get(f"/api/v1/vehicles/{LT7}/plan").json()
    brake = next(f for f in plan["functions"] if f["name"] == "Brake line pressure")
    address = f"/api/v1/vehicles/{LT7}/functions/{brake['uid']}"
    assert visitor.client.put(address, json=brake | {"fed_by_uid": G1}).status_code == 204
    said = visitor.get(f"/vehicles/{LT7}/inputs").text
    assert "Brake line pressure hangs on the reference of Gauges, and Controller divides by its own." in said
    # 2 % of the top share of 0.9, over 0.8 of a span of 10 bar.
    assert "by up to 0.225 bar more" in said
    gauges = form(visitor, f"/vehicles/{LT7}/inputs", f"/modules/{G1}/remove")
    assert "Brake line pressure still stand on it." in visitor.send(gauges).text


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("together=no", "Crimp: one side is fixed"),
        ("height_m=0.5&density=1000", "The liquid in the hose adds 0.049 bar"),
        ("stages=Coil; gives sine 40 V%0AController; takes square", "Fit a squaring conditioner between them."),
        ("stages=Coil; gives sine%0ABox; takes sine", "Every stage gives what the next one takes."),
        ("circuit={winch}&offset_mv=50", "On the body it would be off by"),
    ],
)
def test_joints_returns_hoses_and_chains_are_answered(standing, typed, says):
    winch = circuit(standing, "Winch oil pressure")
    page = standing.get(f"/vehicles/{LT7}/joints?{typed.format(winch=winch)}")
    assert page.status == 200
    assert says in page.text


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("stages=Coil; gives radio%0ABox; takes sine", "“radio” is no kind of signal."),
        ("stages=Coil; sine%0ABox; takes sine", "begins with neither takes nor gives"),
        ("stages=Coil; gives sine", "two stages or more"),
        ("stages=Coil; gives sine x V%0ABox; takes sine", "Type a figure above zero"),
        ("offset_mv=lots", "“lots”"),
    ],
)
def test_what_cannot_be_read_is_said_at_its_field(standing, typed, says):
    page = standing.get(f"/vehicles/{LT7}/joints?{typed}")
    assert page.status == 422
    assert says in page.text


def test_a_picture_of_several_megabytes_is_taken_and_one_over_ten_is_refused(visitor):
    path, noise = f"/vehicles/{LT7}", random.Random(4)
    out = io.BytesIO()
    Image.frombytes("RGB", (1700, 1200), noise.randbytes(1700 * 1200 * 3)).save(out, "PNG")
    assert len(out.getvalue()) > 5_000_000
    fields = visitor.get(path).form("/pictures").fields
    sent = visitor.client.post(
        f"{path}/pictures", data=fields, files={"file": ("box.png", out.getvalue(), "image/png")}
    )
    assert (sent.status_code, "/pictures/" in sent.text) == (200, True)
    heavy = visitor.client.post(
        f"{path}/pictures", data=fields, files={"file": ("box.png", bytes(10_500_000), "image/png")}
    )
    assert (heavy.status_code, "at most 10 MB" in heavy.text) == (422, True)


def test_ten_thousand_lines_with_ten_bad_ones_are_told_and_nothing_is_written(visitor):
    lists = form(visitor, f"/vehicles/{D3}/wiring", "/wiring")
    rows = [f"{n},Spray pressure:A,X4:{n % 6 + 1},red,0.5,{'long' if n % 1000 == 7 else 1}," for n in range(10_000)]
    page = visitor.send(lists, wires="\n".join(rows))
    assert page.status == 422
    assert page.text.count("“long”") >= 10
    assert len(plan(visitor, D3)["harness"]["wires"]) == 8


NOBODY = str(uid_of("nobody"))


@pytest.mark.parametrize(
    ("page", "part", "fields"),
    [
        (f"/vehicles/{LT7}/inputs", "/functions", {"name": "x", "circuit_uid": NOBODY}),
        (f"/vehicles/{LT7}/inputs", "/modules", {"name": "x", "type_uid": NOBODY}),
        (f"/vehicles/{LT7}", f"/vehicles/{LT7}", {"description": "x", "technician_uid": NOBODY}),
        (f"/vehicles/{LT7}", "/promise", {"promised_on": "2031-01-01", "why": "x", "technician_uid": NOBODY}),
        (f"/vehicles/{LT7}", "/notes", {"note": "x", "technician_uid": NOBODY}),
        (f"/vehicles/{D3}/wiring", "/maps", {"keep": "yes", "map_name": "x", "technician_uid": NOBODY}),
        (f"/jobs/{uid_of('job LT-7')}/kit", "/tick", {"technician_uid": NOBODY}),
        (f"/vehicles/{LT7}/inputs?function={BOOST}", "/tick", {"technician_uid": NOBODY}),
        (f"/vehicles/{LT7}/inputs?function={BOOST}", "/assign", {"function_uid": NOBODY}),
        (f"/vehicles/{LT7}/inputs?function={BOOST}", "/places", {"function_uid": NOBODY, "place_name": "x"}),
    ],
)
def test_who_or_what_is_not_there_is_said_and_breaks_nothing(standing, page, part, fields):
    assert standing.send(form(standing, page, part), **fields).status in {404, 422}
    assert standing.get(page).status == 200


@pytest.mark.parametrize("part", ["modules", "functions", "notes", "wiring", "power", "places", "room", "assign"])
def test_a_form_sent_to_a_vehicle_that_is_not_there_is_answered(standing, part):
    sent = form(standing, f"/vehicles/{LT7}", "/notes").fields | {
        "name": "x", "type_uid": str(uid_of("module Brim")), "note": "x", "technician_uid": people(standing)["Bram Keldby"],
        "place_name": "x", "function_uid": str(BOOST), "fuse_a": "5", "count": "1"}  # fmt: skip
    answer = standing.client.post(f"/vehicles/{NOBODY}/{part}", data=sent)
    assert answer.status_code in {200, 404, 422}


def test_left_over_ends_are_cut_from_first_and_become_spare_pigtails(visitor):
    path = f"/vehicles/{LT7}/wiring"
    page = visitor.get(f"{path}?ends={quote('yellow; 0,5 mm²; 2.0' + chr(10) + 'red/white; AWG 20; 0.65')}")
    assert "the left-over end of 2.00 m" in page.text
    assert "Spare pigtails of 0.3 m: " in page.text
    assert "2 of red/white, 0.518" in page.text
    kit = visitor.send(page.form("/kit"))
    assert "2 spare pigtails, red/white, 0.518" in kit.text
    bad = visitor.get(f"{path}?ends={quote('red; thick; 2' + chr(10) + 'blue')}")
    assert bad.status == 422
    assert "Line 1" in bad.text
    assert "Line 2" in bad.text
    assert "is no colour, wire and length" in bad.text
    assert "red; thick; 2" in bad.text
