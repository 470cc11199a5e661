"""Every route with every role, made from the routes that there are: a new one that nobody has said anything of fails here."""

from uuid import uuid4

import httpx
import pytest
from fastapi import APIRouter
from sqlalchemy import text

from irongauge.core.people.accounts import Person
from irongauge.core.people.roles import DEEDS_OF_ROLE, DEEDS_OF_SCOPE, Deed, Role, Scope
from irongauge.settings import Settings
from irongauge.web.app import create_app
from irongauge.web.permissions import LOOK, RUN, check_routes, permissions_of
from irongauge.workflows.people.accounts import ComingIn, change_password, come_in_as, look_at_people
from irongauge.workflows.people.tokens import add_program
from tests.web.allowed import ALLOWED
from tools.serving import serving

NOT_YOURS = "You may not do this"
NAMES = {Role.APPRENTICE: "Nell Tregenza", Role.TECHNICIAN: "Bram Keldby", Role.FOREMAN: "Ottoline Marsh"}


@pytest.fixture(scope="module")
def routes(tmp_path_factory):
    """Every route that the application has, as `POST /jobs/{uid}/handover`."""
    folder = tmp_path_factory.mktemp("local")
    app = create_app(Settings(database_url="postgresql://nowhere/none", secret="s", local_dir=folder))
    found = {}
    for part in list(app.router.routes):
        if hasattr(part, "load"):
            part.load()
    for part in app.router.routes:
        found |= permissions_of(getattr(getattr(part, "original_router", None), "routes", ()))
    return found


@pytest.fixture(scope="module")
def served(standing_demo):
    """A shop in which nobody is anybody without coming in; the foreman has a password, so the shop is set up."""
    url = standing_demo.engine.url.render_as_string(hide_password=False)
    ottoline = _person(standing_demo, Role.FOREMAN)
    entered = come_in_as(standing_demo, ottoline.uid, ComingIn(browser="A test", address="127.0.0.1"))
    change_password(standing_demo, entered.sign_in, "", *["cormorant lathe bisque tuesday"] * 2)
    with serving(url, demo_people=False) as address:
        yield address, standing_demo


def _person(database, role) -> Person:
    return next(a.person for a in look_at_people(database).shown if a.person.name == NAMES[role])


def _come_in(address, database, role) -> httpx.Client:
    client = httpx.Client(base_url=address, timeout=60)
    if role is not None:
        entered = come_in_as(database, _person(database, role).uid, ComingIn(browser="A test", address="127.0.0.1"))
        client.cookies.set("iron_person", entered.token)
    return client


def _ask(client, door, **headers):
    method, path = door.split(" ")
    for part in ("{uid}", "{job_uid}", "{technician_uid}"):
        path = path.replace(part, str(uuid4()))
    while "{" in path:
        path = path[: path.index("{")] + "1" + path[path.index("}") + 1 :]
    body = {} if method == "GET" else {"json": {}} if path.startswith("/api/") else {"data": {"token": "x"}}
    return client.request(method, path, headers=headers, **body)


def _lines(database) -> int:
    with database.unit() as store:
        return store.session.execute(text("SELECT count(*) FROM record_line")).scalar_one()


def test_each_route_says_what_the_table_by_hand_says(routes):
    assert routes == ALLOWED


@pytest.mark.parametrize("markers", [[], [LOOK, RUN]], ids=["nothing", "two things"])
def test_a_router_with_a_route_that_does_not_say_once_who_may_use_it_is_refused_at_start(markers):
    router = APIRouter()
    router.add_api_route("/new", lambda: None, dependencies=markers)
    with pytest.raises(LookupError, match=r"/new says [02] times who may use it"):
        check_routes(router.routes)


@pytest.mark.parametrize("role", Role)
def test_each_role_gets_into_what_it_may_and_into_nothing_else(served, routes, role):
    address, database = served
    with _come_in(address, database, role) as client:
        before = _lines(database)
        for door in sorted(routes):
            if door in {"POST /sign-out", "GET /trace/live/{uid}/events"}:  # the one ends this, the other never ends
                continue
            answer = _ask(client, door)
            needed = ALLOWED[door]
            allowed = needed is None or needed in DEEDS_OF_ROLE[role]
            refused = NOT_YOURS in answer.text and answer.status_code == 403
            assert refused is not allowed, (door, answer.status_code)
            assert answer.status_code != 401, door
            assert answer.status_code < 500, (door, answer.text[:400])
        assert _lines(database) == before


def test_who_has_not_come_in_gets_in_nowhere(served, routes):
    address, database = served
    with _come_in(address, database, None) as client:
        before = _lines(database)
        for door in sorted(routes):
            answer = _ask(client, door)
            if ALLOWED[door] is None:
                assert answer.status_code != 401 or "/sign-in" in door, door
            elif door.split(" ")[1].startswith("/api/"):
                assert answer.status_code == 401, door
                assert answer.headers["www-authenticate"] == "Bearer"
                assert answer.json()["type"] == "/problems/sign-in"
            elif door.startswith("GET"):
                assert answer.status_code == 303, door
                assert answer.headers["location"].startswith("/sign-in?next="), door
            else:
                assert answer.status_code == 401, door
                assert "Who is there?" in answer.text
        assert _lines(database) == before


@pytest.mark.parametrize("scope", Scope)
@pytest.mark.parametrize("role", [Role.APPRENTICE, Role.FOREMAN])
def test_a_program_gets_into_what_its_scope_and_its_person_may(served, routes, role, scope):
    address, database = served
    person = _person(database, role)
    token = add_program(database, person, f"Rig {uuid4()}", scope, look_at_people(database).today)
    allowed = DEEDS_OF_ROLE[role] & DEEDS_OF_SCOPE[scope]
    with _come_in(address, database, None) as client:
        for door in sorted(routes):
            answer = _ask(client, door, authorization=f"Bearer {token}")
            if not door.split(" ")[1].startswith("/api/"):
                assert ALLOWED[door] is None or answer.status_code in {303, 401}, door  # a token opens no page
                continue
            refused = answer.status_code == 403 and answer.json()["type"] == "/problems/not-allowed"
            assert refused is (ALLOWED[door] not in allowed), (door, answer.text[:300])
            assert answer.status_code < 500, door


@pytest.mark.parametrize(
    "credentials", ["Bearer nothing", "Bearer", "Basic b3R0b2xpbmU6eA==", "Bearer ig_" + "x" * 5000]
)
def test_a_token_that_is_none_opens_nothing(served, credentials):
    address, _ = served
    assert httpx.get(f"{address}/api/v1/jobs", headers={"authorization": credentials}).status_code == 401


def test_a_cookie_that_is_none_opens_nothing(served):
    address, _ = served
    for cookie in ("", "x", "0" * 43, "'; DROP TABLE sign_in; --"):
        answer = httpx.get(f"{address}/shelf", headers={"cookie": f"iron_person={cookie}"})
        assert answer.status_code == 303


def test_every_deed_has_a_door():
    assert {deed for deed in ALLOWED.values() if deed is not None} == set(Deed) - {Deed.FOR_OTHERS}
