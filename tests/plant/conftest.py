"""Who sits at the list in these tests."""

from __future__ import annotations

import pytest
from tests.building.database import Database
from tests.building.desks import Desk


@pytest.fixture
def ana(database: Database) -> Desk:
    return Desk(database)
