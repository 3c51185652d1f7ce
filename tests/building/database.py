"""A plant in a database of the tests."""

from __future__ import annotations

import contextlib
import itertools
import os
from collections.abc import Callable, Iterator

import psycopg
from sqlalchemy import Engine, make_url

from canaleta.catalogue.demo import demo_plant
from canaleta.host.cluster import Cluster
from canaleta.plant.changes import seed
from canaleta.plant.database.connection import RUNTIME_ROLE, engine_for


class Database:
    """One test's database: the owner's engine, and the runtime's, which serves the application."""

    def __init__(self, cluster: Cluster, name: str) -> None:
        self.owner = engine_for(_named(cluster.owner_url, name), pool_size=2)
        self.runtime_url = _named(cluster.runtime_url, name)
        self.engine: Engine = engine_for(self.runtime_url, pool_size=4)

    def close(self) -> None:
        """Close every connection."""
        self.owner.dispose()
        self.engine.dispose()


_numbers = itertools.count(1)


_planted: set[int] = set()
"""Clusters that have the demo plant as a database to be copied: copying one is four times as fast as filling it."""


@contextlib.contextmanager
def fresh_database(cluster: Cluster, *, demo: bool) -> Iterator[Database]:
    """A migrated database of its own, with the demo plant or none, dropped afterwards."""
    name = f"t{os.getpid()}_{next(_numbers)}"
    admin = _named(cluster.owner_url, "postgres")
    if demo and cluster.port not in _planted:
        _plant_once(cluster, admin)
    with psycopg.connect(admin, autocommit=True) as connection:
        connection.execute(f"create database {name} template {'planted' if demo else 'canaleta'}")
        # As the private database is: what the runtime role was not given, it may not.
        connection.execute(f"revoke all on database {name} from public")
        connection.execute(f"grant connect on database {name} to {RUNTIME_ROLE}")
    made = Database(cluster, name)
    yield made
    made.close()
    with psycopg.connect(admin, autocommit=True) as connection:
        connection.execute(f"drop database {name} with (force)")


def _plant_once(cluster: Cluster, admin: str) -> None:
    with psycopg.connect(admin, autocommit=True) as connection:
        connection.execute("create database planted template canaleta")
    owner = engine_for(_named(cluster.owner_url, "planted"), pool_size=1)
    with owner.begin() as connection:
        seed.load_document(connection, demo_plant())
    owner.dispose()
    _planted.add(cluster.port)


def _named(url: str, name: str) -> str:
    return make_url(url).set(database=name).render_as_string(hide_password=False)


Run = Callable[..., tuple[int, list[str], str]]
