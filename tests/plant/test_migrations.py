"""A database of an earlier version comes to the newest shape with everything in it."""

from __future__ import annotations

import json
from collections.abc import Iterator
from importlib import resources

import psycopg
import pytest
from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, make_url, text

from canaleta.catalogue.types import module_types
from canaleta.core.model.fields import Station
from canaleta.core.path.evaluate import evaluate
from canaleta.host.cluster import Cluster
from canaleta.plant.database.connection import ShapeError, engine_for, migrate
from canaleta.plant.records.image_cache import ImageCache


@pytest.fixture
def first_version(cluster: Cluster) -> Iterator[Engine]:
    """A database as the first version made it, with one plant, one module and one point."""
    admin = make_url(cluster.owner_url).set(database="postgres").render_as_string(hide_password=False)
    with psycopg.connect(admin, autocommit=True) as connection:
        connection.execute("create database first_version template template0")
    engine = engine_for(
        make_url(cluster.owner_url).set(database="first_version").render_as_string(hide_password=False)
    )
    config = Config()
    config.set_main_option("script_location", str(resources.files("canaleta.plant") / "migrations"))
    body = module_types()["ai8-ui"].model_dump(mode="json", exclude_defaults=True)
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "0001")
        # What that version wrote: conventions with the fields it had, a module type without those that came later.
        conventions = {"channel_base": 1, "supply_v": 24.0, "namur": {"good_to_ma": 20.5}, "agreement_share": 0.001}
        for statement, values in (
            ("insert into plant (name, conventions) values ('old', :v)", {"v": json.dumps(conventions)}),
            ("insert into cabinet (id, name) values (1, 'C')", {}),
            ("insert into rack (id, cabinet, name, host, port) values (1, 1, '1', '127.0.0.1', 15020)", {}),
            ("insert into module_type (key, body) values ('ai8-ui', :v)", {"v": json.dumps(body)}),
            ("insert into module (id, rack, slot, type_key) values (1, 1, 1, 'ai8-ui')", {}),
            (
                "insert into point (id, tag, signal, device_low, device_high, device_unit, mode, counts_low, counts_high,"
                " value_low, value_high, value_unit, module, channel, landed)"
                " values (1, 'PT-1', '4–20 mA', 0, 6.00, 'bar', '4–20 mA', 0, 32000, 0, 6.00, 'bar', 1, 0, true)",
                {},
            ),
        ):
            connection.execute(text(statement), values)
    yield engine
    engine.dispose()
    with psycopg.connect(admin, autocommit=True) as connection:
        connection.execute("drop database first_version with (force)")


def test_a_plant_of_the_first_version_reads_as_before(first_version: Engine) -> None:
    migrate(first_version)
    image = ImageCache(first_version).current()
    assert image.text("value_high", 0) == "6.00"
    assert evaluate(image, Station.LOOP, 12.0).at(Station.VALUE)[0] == 3.0
    assert image.text("shunt_ohm", 0) == ""
    migrate(first_version)


def test_what_a_newer_version_made_is_left_as_it_is(first_version: Engine) -> None:
    migrate(first_version)
    with first_version.begin() as connection:
        connection.execute(text("update alembic_version set version_num = '9999'"))
    with pytest.raises(ShapeError, match="newer version"):
        migrate(first_version)
    with first_version.connect() as connection:
        assert connection.execute(text("select version_num from alembic_version")).scalar_one() == "9999"
        assert connection.execute(text("select tag from point")).scalar_one() == "PT-1"


def test_a_step_that_fails_changes_nothing(first_version: Engine) -> None:
    """Somebody's own table stands where a later version wants one: all steps of the way are taken back, none half
    done."""
    with first_version.begin() as connection:
        connection.execute(text("create table trend_clock (mine text)"))
    with pytest.raises(ShapeError, match="trend_clock"):
        migrate(first_version)
    with first_version.connect() as connection:
        assert connection.execute(text("select version_num from alembic_version")).scalar_one() == "0001"
        assert connection.execute(text("select tag from point")).scalar_one() == "PT-1"
