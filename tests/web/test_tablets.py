"""Numbers on tablets of the shop, and what guessing costs."""

from collections import Counter
from concurrent.futures import ThreadPoolExecutor

from tests.web.coming_in import PASSWORD, by_password, come_in, guess, set_back, uid_of


def test_who_guesses_waits_and_a_colleague_elsewhere_does_not(shop):
    bram = come_in(shop, "Bram Keldby", on_tablet=True)
    bram.send(bram.get("/me").form("/sign-out"))
    for _ in range(5):
        assert guess(shop(), "Bram Keldby", "wrong").status == 422
    page = guess(shop(), "Bram Keldby", PASSWORD)
    assert page.status == 429
    assert "it is only this one that waits" in page.text
    # His own tablet is the shop's: nobody's guesses elsewhere count there.
    page = bram.send(bram.get("/sign-in").form("/sign-in"), name="Bram Keldby", password=PASSWORD)
    assert page.status == 200
    assert "Bram Keldby" in page.text
    set_back(shop, "UPDATE guess SET at = at - interval '16 minutes'")
    assert guess(shop(), "Bram Keldby", PASSWORD).status == 200


def test_names_are_not_tried_out_either(shop):
    seen = {guess(shop(), f"Name {n}", "wrong").status for n in range(30)}
    assert seen == {422, 429}


def test_a_tablet_changes_hands_by_a_number(shop):
    bram = come_in(shop, "Bram Keldby", on_tablet=True)
    bram.send(bram.get("/me").form("/me/number"), pin="739105", password_now=PASSWORD)
    page = bram.send(bram.get("/me").form("/sign-out"))
    assert "Take over this tablet" in page.text
    form = page.form("/sign-in/number")
    uid = str(uid_of(shop, "Bram Keldby"))
    assert "That number is wrong. 4 more tries." in bram.send(form, person_uid=uid, pin="739106").text
    page = bram.send(form, person_uid=uid, pin=" 739105 ")
    assert page.response.url.path == "/"
    assert "Bram Keldby" in page.text
    # Elsewhere the names are not told, and a number is worth nothing.
    stranger = shop()
    page = stranger.get("/sign-in")
    assert "Bram Keldby" not in page.text
    form.fields["token"] = by_password(page).fields["token"]
    assert "only on a tablet of the shop" in stranger.send(form, person_uid=uid, pin="739105").text


def test_after_five_wrong_numbers_the_password_is_asked_for(shop):
    bram = come_in(shop, "Bram Keldby", on_tablet=True)
    bram.send(bram.get("/me").form("/me/number"), pin="739105", password_now=PASSWORD)
    page = bram.send(bram.get("/me").form("/sign-out"))
    uid = str(uid_of(shop, "Bram Keldby"))
    for _ in range(5):
        bram.send(page.form("/sign-in/number"), person_uid=uid, pin="000001")
    assert "too often" in bram.send(page.form("/sign-in/number"), person_uid=uid, pin="739105").text
    assert guess(bram, "Bram Keldby", PASSWORD).status == 200


def test_many_at_once_get_no_more_tries_than_one_after_the_other(shop):
    bram = come_in(shop, "Bram Keldby", on_tablet=True)
    bram.send(bram.get("/me").form("/me/number"), pin="739105", password_now=PASSWORD)
    page = bram.send(bram.get("/me").form("/sign-out"))
    form = page.form("/sign-in/number")
    told = form.fields | {"person_uid": str(uid_of(shop, "Bram Keldby")), "pin": "000001"}

    def one(_):
        return bram.client.post(form.action, data=told).status_code

    with ThreadPoolExecutor(12) as pool:
        found = Counter(pool.map(one, range(24)))
    assert found == {422: 5, 403: 19}
    address = Counter()
    stranger = shop()
    by_name = by_password(stranger.get("/sign-in"))
    guessed = by_name.fields | {"name": "Nell Tregenza", "password": "wrong"}
    with ThreadPoolExecutor(12) as pool:
        address.update(pool.map(lambda _: stranger.client.post(by_name.action, data=guessed).status_code, range(24)))
    assert address == {422: 5, 429: 19}


def test_who_says_to_come_from_elsewhere_each_time_is_not_believed(shop):
    """No proxy is named, so that what a request says of where it comes from counts for nothing; nor is it this machine's own."""
    stranger = shop()
    form = by_password(stranger.get("/sign-in"))
    told = form.fields | {"name": "Nell Tregenza", "password": "wrong"}
    found = [
        stranger.client.post(form.action, data=told, headers={"X-Forwarded-For": f"203.0.113.{n}"}).status_code
        for n in range(8)
    ]
    assert found == [422] * 5 + [429] * 3
    assert stranger.client.get("/first-foreman", headers={"X-Forwarded-For": "127.0.0.1"}).url.path == "/sign-in"


def test_tries_at_a_number_count_on_all_tablets_together(shop):
    bram = come_in(shop, "Bram Keldby", on_tablet=True)
    bram.send(bram.get("/me").form("/me/number"), pin="739105", password_now=PASSWORD)
    uid = str(uid_of(shop, "Bram Keldby"))
    tried = []
    for _ in range(3):
        tablet = come_in(shop, "Nell Tregenza", on_tablet=True)
        page = tablet.send(tablet.get("/me").form("/sign-out"))
        tried += [tablet.send(page.form("/sign-in/number"), person_uid=uid, pin="000001").status for _ in range(5)]
    assert tried == [422] * 10 + [403] * 5


def test_a_device_becomes_a_tablet_only_by_a_foremans_code_once(shop):
    page = shop.foreman.send(shop.foreman.get("/people").form("/people/tablet-code"))
    code = page.text.split("good for half an hour: ")[1].split()[0]
    bram = come_in(shop, "Bram Keldby", trust="yes")
    assert "Take over this tablet" not in bram.send(bram.get("/me").form("/sign-out")).text
    wrong = by_password(bram.get("/sign-in"))
    page = bram.send(wrong, name="Bram Keldby", password=PASSWORD, tablet_code="aaaa-bbbb-cccc")
    assert page.status == 422
    assert "“aaaa-bbbb-cccc” is no code for a new tablet, or it is used up." in page.text
    page = bram.send(by_password(page), name="Bram Keldby", password=PASSWORD, tablet_code=code.upper())
    assert page.status == 200
    other = shop()
    again = other.send(by_password(other.get("/sign-in")), name="Bram Keldby", password=PASSWORD, tablet_code=code)
    assert again.status == 422
    page = shop.foreman.send(shop.foreman.get("/people").form("/people/tablet-code"))
    code = page.text.split("good for half an hour: ")[1].split()[0]
    set_back(shop, "UPDATE tablet_code SET ends_at = now() - interval '1 second'")
    late = other.send(by_password(other.get("/sign-in")), name="Bram Keldby", password=PASSWORD, tablet_code=code)
    assert late.status == 422


def test_a_foremans_number_alone_opens_no_tablet_that_the_foreman_never_used(shop):
    uid = str(uid_of(shop, "Ottoline Marsh"))
    shop.foreman.send(shop.foreman.get("/me").form("/me/number"), pin="739105", password_now=PASSWORD)
    bram = come_in(shop, "Bram Keldby", on_tablet=True)
    page = bram.send(bram.get("/me").form("/sign-out"))
    page = bram.send(page.form("/sign-in/number"), person_uid=uid, pin="739105")
    assert page.status == 403
    assert "A foreman’s number is not enough the first time on a tablet." in page.text
    assert guess(bram, "Ottoline Marsh", PASSWORD).status == 200
    page = bram.send(bram.get("/me").form("/sign-out"))
    assert bram.send(page.form("/sign-in/number"), person_uid=uid, pin="739105").response.url.path == "/"


def test_a_number_takes_the_password_and_guesses_at_the_old_one_are_slowed(shop):
    bram = come_in(shop, "Bram Keldby")
    page = bram.send(bram.get("/me").form("/me/number"), pin="739105", password_now="wrong")
    assert "That is not your password." in page.text
    form = bram.get("/me").form("/me/password")
    found = [bram.send(form, old="wrong", password="x" * 14, repeated="x" * 14).status for _ in range(6)]
    assert found == [422, 422, 422, 422, 429, 429]
