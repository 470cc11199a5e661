"""Shared fixtures: a throw-away PostgreSQL cluster for the run, and a database of its own for every test."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Iterator
from contextlib import contextmanager
from uuid import uuid4

import psycopg
import pytest
from hypothesis import HealthCheck, settings

import irongauge
import tools
from irongauge.demo import load_demo
from irongauge.store.database import Database
from irongauge.store.migrate import migrate
from tools.serving import throwaway_cluster

settings.register_profile("steady", deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("steady")

# Property tests also draw from the constants of whatever modules are loaded by then. With all of them loaded before the first
# test, the same examples are drawn in every run, whichever worker runs a test and after what.
for _package in (irongauge, tools):
    for _module in pkgutil.walk_packages(_package.__path__, f"{_package.__name__}."):
        if not {"__main__", "migrations"} & set(_module.name.split(".")):
            importlib.import_module(_module.name)


def _plain(url: str) -> str:
    return url.replace("+psycopg", "")


def _named(url: str, name: str) -> str:
    return url.rsplit("/", 1)[0] + "/" + name


@pytest.fixture(scope="session")
def cluster_url() -> Iterator[str]:
    with throwaway_cluster() as url:
        yield url


@pytest.fixture(scope="session")
def templates(cluster_url: str) -> str:
    """Two databases to copy from: `tpl_empty`, with the tables, and `tpl_demo`, with the demo shop."""
    with psycopg.connect(_plain(cluster_url), autocommit=True) as connection:
        connection.execute("CREATE DATABASE tpl_empty")
        database = Database(_named(cluster_url, "tpl_empty"))
        migrate(database.engine)
        database.close()
        connection.execute("CREATE DATABASE tpl_demo TEMPLATE tpl_empty")
        database = Database(_named(cluster_url, "tpl_demo"))
        load_demo(database)
        database.close()
    return cluster_url


@contextmanager
def copied(url: str, template: str) -> Iterator[Database]:
    name = f"t_{uuid4().hex[:12]}"
    with psycopg.connect(_plain(url), autocommit=True) as connection:
        connection.execute(f"CREATE DATABASE {name} TEMPLATE {template}")
        database = Database(_named(url, name))
        yield database
        database.close()
        connection.execute(f"DROP DATABASE {name} WITH (FORCE)")


@pytest.fixture
def database(templates: str) -> Iterator[Database]:
    """An empty, migrated database."""
    with copied(templates, "tpl_empty") as made:
        yield made


@pytest.fixture
def demo(templates: str) -> Iterator[Database]:
    """A database with the demo shop in it."""
    with copied(templates, "tpl_demo") as made:
        yield made


@pytest.fixture(scope="module")
def standing_demo(templates: str) -> Iterator[Database]:
    """A demo shop shared by the tests of one module, for those that only look."""
    with copied(templates, "tpl_demo") as made:
        yield made
