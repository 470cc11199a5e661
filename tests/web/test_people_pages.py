"""Coming in and going out, as a browser sees it."""

import re
from datetime import UTC, datetime, timedelta
from time import perf_counter

import pytest
from sqlalchemy import text

from irongauge.errors import RefusedRequestError
from irongauge.web.security import _for_this_host, _own_cookies
from irongauge.workflows.people import accounts as workflow
from irongauge.workflows.people.accounts import invite, look_at_people
from tests.web.coming_in import PASSWORD, come_in, guess, set_back, uid_of


def test_where_somebody_wanted_to_go_is_where_they_get(shop):
    visitor = shop()
    page = visitor.get("/shelf?x=1")
    assert page.response.url.path == "/sign-in"
    page = visitor.send(page.form("/sign-in"), name="ottoline marsh", password=PASSWORD)
    assert str(page.response.url).endswith("/shelf?x=1")


@pytest.mark.parametrize(
    "elsewhere",
    ["https://example.org/", "//example.org", "/\\example.org", "javascript:alert(1)", "http://[::1", "/\nx"],
)
def test_nobody_is_sent_to_another_site(shop, elsewhere):
    visitor = shop()
    form = visitor.get("/sign-in").form("/sign-in")
    page = visitor.send(form, name="Ottoline Marsh", password=PASSWORD, next=elsewhere)
    assert page.response.url.path == "/"


def test_a_wrong_name_and_a_wrong_password_get_one_answer(shop):
    said = {
        re.sub(r'value="[^"]*"', "", guess(shop(), name, password).response.text)
        for name, password in (("Ottoline Marsh", "wrong"), ("Nobody At All", PASSWORD), ("The simulator", PASSWORD))
    }
    assert len(said) == 1
    assert "The name or the password is wrong" in said.pop()


def test_a_password_is_never_shown_again(shop):
    page = guess(shop(), "Ottoline Marsh", "my secret horse")
    assert "my secret horse" not in page.response.text
    assert 'value="Ottoline Marsh"' in page.response.text
    form = shop.foreman.get("/me").form("/me/password")
    page = shop.foreman.send(form, old="a wrong old one", password="short", repeated="short")
    assert page.status == 422
    assert "a wrong old one" not in page.response.text
    form.fields["token"] = "broken"
    page = shop.foreman.send(form, old="a wrong old one", password="short", repeated="short")
    assert "a wrong old one" not in page.response.text


@pytest.mark.parametrize(
    ("password", "said"),
    [
        ("elevenchars", "has 11 characters; it needs 12"),
        ("passwordpassword", "easily guessed"),
        ("ottolinemarsh", "easily guessed"),
        ("aaaaaaaaaaaaaaaa", "easily guessed"),
        ("qwertyuiop[]asdf", "easily guessed"),
        ("x" * 129, "128 fit here"),
    ],
)
def test_passwords_that_will_not_do(shop, password, said):
    form = shop.foreman.get("/me").form("/me/password")
    page = shop.foreman.send(form, old=PASSWORD, password=password, repeated=password)
    assert said in page.text


def test_a_new_person_comes_in_with_a_code_once_and_sets_a_password(shop):
    page = shop.foreman.send(shop.foreman.get("/people").form("/people"), name="Fen Archer", role="apprentice")
    code = page.text.split("good for a week: ")[1].split()[0]
    assert re.fullmatch(r"[a-z2-9]{4}-[a-z2-9]{4}-[a-z2-9]{4}", code)
    assert code not in shop.foreman.get("/people").response.text
    fen = shop()
    page = fen.send(fen.get("/sign-in").form("/sign-in"), name="Fen Archer", password=f" {code.upper()} ")
    assert page.response.url.path == "/me"
    assert "Choose a password now" in page.text
    page = fen.send(page.form("/me/password"), password=PASSWORD, repeated=PASSWORD)
    assert "Your password is changed" in page.text
    assert guess(shop(), "Fen Archer", code).status == 422
    assert guess(shop(), "Fen Archer", PASSWORD).status == 200


def test_a_code_ends_after_a_week(shop):
    code = invite(shop.database, uid_of(shop, "Nell Tregenza"))
    set_back(shop, "UPDATE account SET invited_until = now() - interval '1 second' WHERE invited_until IS NOT NULL")
    assert guess(shop(), "Nell Tregenza", code).status == 422


def test_over_tls_every_cookie_is_of_this_host():
    sent = [(b"host", b"shop"), (b"cookie", b"iron_person=planted; __Host-iron_session=ours; other=1")]
    assert _own_cookies(sent) == [(b"host", b"shop"), (b"cookie", b"iron_session=ours")]
    given = _for_this_host([(b"set-cookie", b"iron_at=x; Path=/; HttpOnly"), (b"set-cookie", b"a=b; Secure")])
    assert given == [
        (b"set-cookie", b"__Host-iron_at=x; Path=/; HttpOnly; Secure"),
        (b"set-cookie", b"__Host-a=b; Secure"),
    ]


def test_what_programs_may_ask_is_not_told_to_nobody(shop):
    assert shop().client.get("/api/v1/openapi.json").status_code == 401
    answer = shop().client.get("/", headers={"Host": "elsewhere.example"})
    assert (answer.status_code, answer.headers["x-frame-options"]) == (400, "DENY")


def test_a_kit_line_is_ticked_in_ones_own_name_by_programs_too(shop):
    bram = come_in(shop, "Bram Keldby")
    day = (datetime.now(UTC) + timedelta(days=9)).date().isoformat()
    page = bram.send(bram.get("/me").form("/me/programs"), program="Rig", scope="measure", ends_on=day)
    bearer = {"Authorization": "Bearer " + re.search(r"ig_[\w-]{40,}", page.response.text)[0]}
    job = next(j["uid"] for j in bram.client.get("/api/v1/jobs").json() if j["vehicle"] == "LT-7")
    line = bram.client.get(f"/api/v1/jobs/{job}/kit").json()[0]["uid"]
    rig = shop().client
    theirs = {"technician_uid": str(uid_of(shop, "Nell Tregenza"))}
    answer = rig.post(f"/api/v1/kit/{line}/tick", json=theirs, headers=bearer)
    assert answer.status_code == 403
    own = {"technician_uid": str(uid_of(shop, "Bram Keldby"))}
    assert rig.post(f"/api/v1/kit/{line}/tick", json=own, headers=bearer).status_code in {200, 204}


def test_a_codes_stay_changes_the_password_once_and_a_new_code_ends_the_old_password(shop):
    bram = come_in(shop, "Bram Keldby")
    again = bram.send(bram.get("/me").form("/me/password"), password="y" * 14, repeated="y" * 14)
    assert "That is not your password." in again.text
    bram.send(
        bram.get("/me").form("/me/programs"),
        program="Logger",
        scope="look",
        ends_on=(datetime.now(UTC) + timedelta(days=9)).date().isoformat(),
    )
    with shop.database.unit() as store:
        assert len(store.people.programs(store.shops.first().uid)) == 1
    invite(shop.database, uid_of(shop, "Bram Keldby"))
    assert guess(shop(), "Bram Keldby", PASSWORD).status == 422
    assert bram.get("/shelf").response.url.path == "/sign-in"
    with shop.database.unit() as store:
        assert store.people.programs(store.shops.first().uid) == ()
    with pytest.raises(RefusedRequestError, match="Nobody would be left"):
        invite(shop.database, uid_of(shop, "Ottoline Marsh"))


@pytest.mark.parametrize(
    "wait", ["seen_at = seen_at - interval '31 minutes'", "begun_at = begun_at - interval '13 hours'"]
)
def test_who_is_away_too_long_is_out_and_what_was_typed_is_kept(shop, wait):
    bram = come_in(shop, "Bram Keldby")
    job = next(j for j in bram.client.get("/api/v1/jobs").json() if j["vehicle"] == "LT-7")
    brake = next(c["uid"] for c in job["circuits"] if c["name"] == "Brake line pressure")
    form = bram.get(f"/circuits/{brake}/bench").form("/readings")
    set_back(shop, f"UPDATE sign_in SET {wait}")
    page = bram.send(form, value="4.97")
    assert page.status == 401
    assert "4.97" in page.text
    page = bram.send(page.form("/sign-in"), name="Bram Keldby", password=PASSWORD)
    assert "What you had typed, Bram Keldby" in page.text
    again = page.form("/readings")
    assert again.fields["value"] == "4.97"
    page = bram.send(again)
    assert page.status in {200, 409, 422}  # it is what it would have been
    assert "4.97" in page.text


def test_a_page_that_asks_by_itself_keeps_nobody_in(shop):
    bram = come_in(shop, "Bram Keldby")
    circuit = bram.client.get("/api/v1/jobs").json()[0]["circuits"][0]["uid"]
    set_back(shop, "UPDATE sign_in SET seen_at = seen_at - interval '20 minutes'")
    bram.client.get(f"/circuits/{circuit}/bus")
    set_back(shop, "UPDATE sign_in SET seen_at = seen_at - interval '20 minutes'")
    assert bram.get("/shelf").response.url.path == "/sign-in"


def test_a_new_password_puts_every_other_browser_out(shop):
    one, other = come_in(shop, "Bram Keldby"), come_in(shop, "Bram Keldby")
    new = "otter gantry vellum thursday"
    page = one.send(one.get("/me").form("/me/password"), old=PASSWORD, password=new, repeated=new)
    assert "Your password is changed" in page.text
    assert one.get("/shelf").status == 200
    assert other.get("/shelf").response.url.path == "/sign-in"


def test_a_cookie_from_before_is_worth_nothing(shop):
    bram = come_in(shop, "Bram Keldby")
    cookie = bram.client.cookies["iron_person"]
    bram.send(bram.get("/me").form("/sign-out"))
    thief = shop()
    thief.client.cookies.set("iron_person", cookie)
    assert thief.get("/shelf").response.url.path == "/sign-in"


def test_cookies_are_for_this_server_only(shop):
    visitor = shop()
    form = visitor.get("/sign-in").form("/sign-in")
    told = form.fields | {"name": "Ottoline Marsh", "password": PASSWORD}
    answer = visitor.client.post(form.action, data=told, follow_redirects=False)
    cookies = answer.headers.get_list("set-cookie")
    assert {cookie.split("=")[0] for cookie in cookies} == {"iron_person", "iron_device"}
    for cookie in cookies:
        assert "httponly" in cookie.lower(), cookie
        assert "samesite=strict" in cookie.lower(), cookie
        assert "domain" not in cookie.lower(), cookie


def test_a_device_that_is_thrown_out_is_out(shop):
    bram = come_in(shop, "Bram Keldby", on_tablet=True)
    form = next(f for f in shop.foreman.get("/people").reader.forms if "/people/devices/" in f.action)
    devices = [f for f in shop.foreman.get("/people").reader.forms if "/people/devices/" in f.action]
    assert len(devices) >= 2
    mine = bram.get("/me").form("/me/devices/").action.split("/")[3]
    form = next(f for f in devices if mine in f.action)
    shop.foreman.send(form)
    assert bram.get("/shelf").response.url.path == "/sign-in"
    assert "Take over this tablet" not in bram.get("/sign-in").text


def test_nobody_throws_out_a_device_that_is_not_theirs(shop):
    bram = come_in(shop, "Bram Keldby")
    theirs = shop.foreman.get("/me").form("/me/devices/").action
    form = bram.get("/me").form("/me/devices/")
    form.action = theirs
    assert bram.send(form).status == 404
    assert shop.foreman.get("/shelf").response.url.path == "/shelf"


def test_who_has_left_is_out_and_stays_in_the_records(shop):
    bram = come_in(shop, "Bram Keldby")
    uid = uid_of(shop, "Bram Keldby")
    people = shop.foreman.get("/people")
    shop.foreman.send(people.form(f"/people/{uid}"), has_left="yes")
    assert bram.get("/shelf").response.url.path == "/sign-in"
    assert guess(shop(), "Bram Keldby", PASSWORD).status == 422
    assert "has left" in shop.foreman.get("/people").text


def test_the_last_foreman_stays_one(shop):
    uid = uid_of(shop, "Ottoline Marsh")
    page = shop.foreman.send(shop.foreman.get("/people").form(f"/people/{uid}"), role="technician")
    assert "Nobody would be left to run the shop" in page.text
    assert shop.foreman.get("/people").status == 200


def test_the_first_foreman_is_made_once(shop):
    visitor = shop()
    page = visitor.get("/first-foreman")
    assert page.response.url.path == "/sign-in"
    form = page.form("/sign-in")
    form.action = "/first-foreman"
    page = visitor.send(form, name="Mallory", password=PASSWORD, repeated=PASSWORD)
    assert "set up already" in page.text


def test_a_program_measures_in_the_name_of_its_person_alone(shop):
    bram = come_in(shop, "Bram Keldby")
    day = (datetime.now(UTC) + timedelta(days=9)).date().isoformat()
    page = bram.send(bram.get("/me").form("/me/programs"), program="Test rig", scope="measure", ends_on=day)
    token = re.search(r"ig_[\w-]{40,}", page.response.text)[0]
    assert token not in bram.get("/me").response.text
    rig = shop()
    rig.client.headers["authorization"] = f"Bearer {token}"
    shelf = rig.client.get("/api/v1/shelf").json()
    uids = {t["name"]: t["uid"] for t in shelf["technicians"]}
    job = next(j for j in rig.client.get("/api/v1/jobs").json() if j["vehicle"] == "LT-7")
    circuit = next(c["uid"] for c in job["circuits"] if c["name"] == "Brake line pressure")
    body = {"action": "battery_v", "value": "12.61 V"}
    answer = rig.client.post(
        f"/api/v1/circuits/{circuit}/readings", json=body | {"technician_uid": uids["Iver Haugland"]}
    )
    assert answer.status_code == 403, answer.text
    assert "in the name of somebody else" in answer.json()["detail"]
    answer = rig.client.post(
        f"/api/v1/circuits/{circuit}/readings", json=body | {"technician_uid": uids["Bram Keldby"]}
    )
    assert answer.status_code in {201, 409, 422}, answer.text
    assert rig.client.post("/api/v1/vehicles", json={"tag": "X-1"}).status_code == 403
    bram.send(bram.get("/me").form("/me/programs/"))
    assert rig.client.get("/api/v1/shelf").status_code == 401


def test_a_form_is_by_who_sends_it(shop):
    """Whatever its hidden field says."""
    bram = come_in(shop, "Bram Keldby")
    vehicle = next(link for link in bram.get("/plan").reader.links if link.startswith("/vehicles/"))
    vehicle = "/".join(vehicle.split("?")[0].split("/")[:3])
    form = bram.get(vehicle).form("/notes")
    bram.send(form, note="The plug is brittle.", technician_uid=str(uid_of(shop, "Iver Haugland")))
    with shop.database.unit() as store:
        asked = text("SELECT technician_uid FROM vehicle_note WHERE text = 'The plug is brittle.'")
        who = store.session.execute(asked).scalar_one()
    assert who == uid_of(shop, "Bram Keldby")


def test_the_record_says_who_did_it_from_where(shop):
    bram = come_in(shop, "Bram Keldby")
    vehicle = next(link for link in bram.get("/plan").reader.links if link.startswith("/vehicles/"))
    vehicle = "/".join(vehicle.split("?")[0].split("/")[:3])
    bram.send(bram.get(vehicle).form("/notes"), note="=HYPERLINK(1)")
    page = shop.foreman.get(f"/record?person={uid_of(shop, 'Bram Keldby')}")
    assert "Vehicle note added" in page.text
    assert "127.0.0.1" in page.text
    assert "Iver Haugland" not in page.text.split("From and to")[1]
    told = shop.foreman.client.get("/record.json").json()
    assert told[-1]["what"] == "vehicle_note"
    assert len(told[-1]["seal"]) == 64
    table = shop.foreman.client.get("/record.csv")
    assert table.headers["content-type"].startswith("text/csv")
    assert PASSWORD not in table.text
    assert "argon2" not in table.text
    assert bram.get("/record").status == 403


@pytest.mark.parametrize(
    "asked", ["job=abc", "job=999999", "job=²", "person=x", "before=x", "before=99999999999999999999"]
)
def test_a_record_that_is_asked_for_oddly_is_answered(shop, asked):
    assert shop.foreman.get(f"/record?{asked}").status == 200


def test_in_the_demo_one_may_be_anybody_and_elsewhere_not(visitor, shop):
    page = visitor.get("/me")
    assert "Ottoline Marsh foreman" in page.text
    nell = next(str(a.person.uid) for a in look_at_people(shop.database).shown if a.person.name == "Nell Tregenza")
    page = visitor.send(page.form("/me/switch"), person_uid=nell)
    assert "Nell Tregenza apprentice" in page.text
    assert visitor.get("/people").status == 403
    form = shop.foreman.get("/me").form("/sign-out")
    form.action = "/me/switch"
    page = shop.foreman.send(form, person_uid=nell)
    assert "That is for the demo only" in page.text


def test_a_hash_takes_its_time():
    before = perf_counter()
    workflow.spend_time()
    assert perf_counter() - before > 0.05


def test_a_customer_sees_one_sheet_by_a_link_and_nothing_else(shop):
    jobs = {job["vehicle"]: job for job in shop.foreman.client.get("/api/v1/jobs").json()}
    page = shop.foreman.get(f"/jobs/{jobs['D-3']['uid']}/handover")
    made = shop.foreman.send(page.form("/links"), for_whom="Airfield, ramp office")
    link = re.search(r"http://[^<]+/sheet/[\w-]+", made.response.text)[0]
    assert link not in shop.foreman.get(f"/jobs/{jobs['D-3']['uid']}/handover").response.text
    customer = shop()
    seen = customer.get(link)
    assert seen.status == 200
    assert "Spray pressure" in seen.text
    assert seen.reader.forms == []
    assert [a for a in seen.reader.links if a.startswith("/") and a != "/"] == []
    assert customer.get(f"/jobs/{jobs['D-3']['uid']}/handover").response.url.path == "/sign-in"
    set_back(shop, "UPDATE sheet_link SET ends_on = ends_on - 31")
    assert customer.get(link).status == 404
    set_back(shop, "UPDATE sheet_link SET ends_on = ends_on + 31")
    assert customer.get(link).status == 200
    page = shop.foreman.get(f"/jobs/{jobs['D-3']['uid']}/handover")
    shop.foreman.send(page.form("/revoke"))
    assert customer.get(link).status == 404
    assert customer.get("/sheet/nothing").status == 404


@pytest.mark.parametrize(
    "fields", [{"for_whom": ""}, {"ends_on": "2020-01-01"}, {"ends_on": "2099-01-01"}, {"ends_on": "soon"}]
)
def test_a_link_needs_somebody_and_an_end(shop, fields):
    job = shop.foreman.client.get("/api/v1/jobs").json()[0]["uid"]
    form = shop.foreman.get(f"/jobs/{job}/handover").form("/links")
    assert shop.foreman.send(form, **{"for_whom": "Office", **fields}).status == 422


def test_a_foremans_floor_says_when_the_last_backup_was_made(shop):
    assert "No backup has been made yet." in shop.foreman.get("/").text
    set_back(shop, "INSERT INTO backup (made_at, name) VALUES (now() - interval '1 hour', 'x.zip')")
    assert "Last backup: " in shop.foreman.get("/").text
    set_back(shop, "INSERT INTO backup (made_at, name, problem) VALUES (now(), 'y.zip', 'The disk is full.')")
    assert "The newest try failed: The disk is full." in shop.foreman.get("/").text
    assert "backup" not in come_in(shop, "Bram Keldby").get("/").text.lower()


def test_an_apprentice_sees_what_an_apprentice_may_do(shop):
    nell = come_in(shop, "Nell Tregenza")
    floor = nell.get("/")
    assert "Bring a vehicle in" not in floor.text
    assert not any(f.action.endswith("/import") for f in floor.reader.forms)
    jobs = {job["vehicle"]: job for job in nell.client.get("/api/v1/jobs").json()}
    assert "Add a circuit" not in nell.get(f"/jobs/{jobs['LT-7']['uid']}").text
    ready = nell.get(f"/jobs/{jobs['D-3']['uid']}/handover")
    assert "A foreman reviews it and hands it over." in ready.text
    assert "hand it over" not in ready.text
    bench = nell.get(f"/circuits/{jobs['LT-7']['circuits'][0]['uid']}/bench")
    assert "By Nell" not in bench.text
    form = bench.form("/readings")
    assert form.fields["technician_uid"] == str(uid_of(shop, "Nell Tregenza"))
