"""What the reader shows, on the pages and for programs: said once, remembered for the controller, never taken for a fault."""

import pytest

from tests.web.test_pages import bench, record


def card(visitor, uid):
    return visitor.client.get(f"/api/v1/circuits/{uid}").json()


def test_one_button_says_that_the_reader_does_not_show_volts(visitor, brake):
    page = visitor.get(bench(brake, "live_v::0"))
    assert "My reader does not show this" in page.text
    assert "Should show data, doesn’t" in page.text
    form = page.form("/readings")
    form.action = f"/circuits/{brake}/not-shown"
    page = visitor.send(form)
    assert page.status == 200
    assert "Your reader does not show volts" in page.text
    assert card(visitor, brake)["reader"]["shows_signal"] is False
    assert visitor.get(bench(brake, "live_v::0")).status == 404
    assert visitor.get(bench(brake, "live_value::0")).status == 200
    assert visitor.client.get(f"/api/v1/circuits/{brake}/readings").json() == []


def test_typed_words_do_the_same_and_an_unclear_one_is_asked_back(visitor, brake):
    page = record(visitor, brake, "live_value::0", value="none")
    assert page.status == 422
    assert "can mean two things" in page.text
    assert page.form("/readings").fields["value"] == "none"
    page = record(visitor, brake, "live_value::0", value="not shown")
    assert "Your reader does not show the value" in page.text
    assert card(visitor, brake)["reader"]["shows_value"] is False


def test_no_data_is_a_reading(visitor, brake):
    page = record(visitor, brake, "live_v::0", no_data="yes")
    assert page.status == 200
    (reading,) = visitor.client.get(f"/api/v1/circuits/{brake}/readings").json()
    assert reading["reading"]["word"] == "no data"


def test_where_it_stops_is_told_in_the_shops_units_and_remembered(visitor, jobs, brake):
    page = visitor.get(f"/circuits/{brake}/reader")
    form = page.form("/reader")
    bad = visitor.send(form, least="10", most="0")
    assert bad.status == 422
    assert "stops lower at its low end" in bad.text
    wrong = visitor.send(form, least="zero")
    assert wrong.status == 422
    assert "“zero” is not a number" in wrong.text
    assert wrong.form("/reader").fields["least"] == "zero"
    page = visitor.send(form, controller="Marlin C4", shows="value", least="0", most="10 bar", fault_value="-0.5")
    assert page.status == 200
    told = {"shows_signal": False, "shows_value": True, "least": 0.0, "most": 1000.0, "fault_value": -50.0}
    assert card(visitor, brake)["reader"] == pytest.approx(told)
    shown = visitor.get(f"/circuits/{brake}/reader").form("/reader").fields
    assert shown["most"] == "10 bar"
    assert shown["shows"] == "value"

    shelf = visitor.client.get("/api/v1/shelf").json()
    sensor = next(s["uid"] for s in shelf["sensor_types"] if "P10" in s["name"])
    pins = [{"cavity": c, "role": r} for c, r in zip("ABC", ("reference", "return", "signal"), strict=True)]
    body = {"sensor_type_uid": sensor, "pins": pins,
            "stimuli": [{"label": "vented", "value": 0}, {"label": "pumped", "value": 460}]}  # fmt: skip
    job = jobs["LT-7"]["uid"]
    same = visitor.client.post(
        f"/api/v1/jobs/{job}/circuits", json=body | {"name": "Next", "controller": "marlin c4"}
    ).json()["uid"]
    assert card(visitor, same)["reader"] == pytest.approx(told), "as on the last circuit of that controller"
    other = visitor.client.post(f"/api/v1/jobs/{job}/circuits", json=body | {"name": "Other"}).json()["uid"]
    assert card(visitor, other)["reader"]["shows_signal"] is True
    own = body | {"name": "Told", "controller": "Marlin C4", "reader": {"shows_signal": True}}
    uid = visitor.client.post(f"/api/v1/jobs/{job}/circuits", json=own).json()["uid"]
    assert card(visitor, uid)["reader"]["shows_signal"] is True


def test_a_changed_card_keeps_what_the_reader_shows(visitor, brake):
    visitor.client.put(f"/api/v1/circuits/{brake}/reader", json={"shows_signal": False, "least": 0})
    page = visitor.send(visitor.get(f"/circuits/{brake}/card").form("/card"), name="Brake line, front")
    assert page.status == 200
    assert card(visitor, brake)["reader"]["shows_signal"] is False
    assert card(visitor, brake)["reader"]["least"] == 0


@pytest.mark.parametrize(
    "body", [{"least": 5, "most": 1}, {"least": 1e9}, {"least": "NaN"}, {"shows_signal": 7}, {"shown": True}]
)
def test_a_program_is_told_what_is_wrong_with_a_reader(visitor, brake, body):
    answer = visitor.client.put(f"/api/v1/circuits/{brake}/reader", json=body)
    assert answer.status_code == 422
    assert card(visitor, brake)["reader"]["least"] is None


def test_a_reading_that_is_not_shown_is_refused_to_programs_with_what_would_do(visitor, brake):
    shelf = visitor.client.get("/api/v1/shelf").json()
    body = {"action": "live_v", "point": 0, "value": "not shown", "technician_uid": shelf["technicians"][0]["uid"]}
    answer = visitor.client.post(f"/api/v1/circuits/{brake}/readings", json=body)
    assert answer.status_code == 422
    assert "it is not asked for" in answer.text


def test_a_diagnosis_without_a_job_takes_not_shown_as_no_evidence(visitor):
    body = {
        "sensor": {"name": "P10", "family": "ratiometric-3w", "supply_v": 5, "tolerance_pct_span": 2,
                   "curve": {"kind": "ratio", "quantity": "pressure", "pressure_base": "gauge", "signal_low": 0.1,
                             "signal_high": 0.9, "value_low": 0, "value_high": 1000}},
        "circuit": {"name": "Oil line", "family": "ratiometric-3w", "reference_v": 5,
                    "pins": [{"cavity": "A", "role": "reference"}, {"cavity": "B", "role": "return"},
                             {"cavity": "C", "role": "signal"}],
                    "stimuli": [{"label": "vented", "value": 0}, {"label": "pumped", "value": 450}]},
        "readings": [{"action": "battery_v", "value": 12.5}],
    }  # fmt: skip

    def ranking(*more):
        answer = visitor.client.post("/api/v1/diagnose", json=body | {"readings": [*body["readings"], *more]})
        assert answer.status_code == 200, answer.text
        found = answer.json()["diagnosis"]
        return {s["fault"]: s["probability"] for s in found["ranking"]}, found["next_tests"]

    plain, _ = ranking()
    hidden, following = ranking({"action": "live_v", "point": 0, "value": "not shown"})
    assert hidden["healthy"] == pytest.approx(plain["healthy"], abs=0.02)
    assert not [
        t for n in following for t in n["test_points"] if t["action"].startswith("live") and t["action"].endswith("_v")
    ]
    silent, _ = ranking({"action": "live_v", "point": 0, "value": "no data"})
    assert silent.get("controller_off", 0) > 5 * plain.get("controller_off", 0.004)
