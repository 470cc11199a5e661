from __future__ import annotations

import pytest

from tests.web.coming_in import PASSWORD
from tests.web.visitor import Visitor
from tools.serving import serving


@pytest.fixture
def visitor(demo):
    """A visitor of the demo shop."""
    with serving(demo.engine.url.render_as_string(hide_password=False)) as address:
        made = Visitor(address)
        yield made
        made.client.close()


@pytest.fixture(scope="module")
def standing(standing_demo):
    """A visitor of a demo shop that a whole module shares: for requests that must change nothing."""
    with serving(standing_demo.engine.url.render_as_string(hide_password=False)) as address:
        made = Visitor(address)
        yield made
        made.client.close()


@pytest.fixture
def newcomer(database):
    """A visitor of a database in which nothing has been set up."""
    with serving(database.engine.url.render_as_string(hide_password=False)) as address:
        made = Visitor(address)
        yield made
        made.client.close()


@pytest.fixture
def shop(demo):
    """The demo's shop, where everybody has to come in; gives visitors, each with a browser of their own."""
    with serving(demo.engine.url.render_as_string(hide_password=False), demo_people=False) as address:
        made = []

        def visitor() -> Visitor:
            made.append(Visitor(address))
            return made[-1]

        visitor.database = demo
        first = visitor()
        page = first.get("/sign-in")
        page = first.send(page.form("/first-foreman"), name="Ottoline Marsh", password=PASSWORD, repeated=PASSWORD)
        assert "Ottoline Marsh" in page.text
        visitor.foreman = first
        yield visitor
        for one in made:
            one.client.close()


@pytest.fixture
def jobs(visitor):
    return {job["vehicle"]: job for job in visitor.client.get("/api/v1/jobs").json()}


@pytest.fixture
def brake(jobs):
    return next(c["uid"] for c in jobs["LT-7"]["circuits"] if c["name"] == "Brake line pressure")
