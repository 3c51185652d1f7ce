"""Accounts: no default password, links that open once, tries that are counted."""

import pytest
from sqlalchemy import select
from tests.building.database import Database

from canaleta.plant.database import tables as t
from canaleta.plant.people import accounts
from canaleta.plant.people.accounts import AccountError


def test_an_account_without_password_opens_by_link_only_and_once(empty_database: Database) -> None:
    with empty_database.engine.begin() as connection:
        accounts.add_account(connection, "ana", "engineer")
        assert not accounts.sign_in(connection, "ana", "")
        token = accounts.make_link(connection, "ana")
        assert accounts.redeem_link(connection, token) == "ana"
        assert accounts.redeem_link(connection, token) is None


def test_a_password_opens_its_account_and_no_other(empty_database: Database) -> None:
    with empty_database.engine.begin() as connection:
        for name in ("ana", "ben"):
            accounts.add_account(connection, name, "reader")
        accounts.set_password(connection, "ana", "kiln two, zone four")
        assert accounts.sign_in(connection, "ana", "kiln two, zone four")
        assert not accounts.sign_in(connection, "ben", "kiln two, zone four")
        assert not accounts.sign_in(connection, "nobody", "kiln two, zone four")


def test_secrets_are_stored_as_hashes_only(empty_database: Database) -> None:
    with empty_database.engine.begin() as connection:
        accounts.add_account(connection, "ana", "reader")
        accounts.set_password(connection, "ana", "kiln two, zone four")
        token, _ = accounts.open_session(connection, "ana")
        link = accounts.make_link(connection, "ana")
        stored = str(connection.execute(select(t.account)).all())
        stored += str(connection.execute(select(t.session)).all()) + str(
            connection.execute(select(t.sign_in_link)).all()
        )
    assert not any(secret in stored for secret in ("kiln two", token, link))


def test_an_account_that_is_shut_loses_its_sessions_at_once(empty_database: Database) -> None:
    with empty_database.engine.begin() as connection:
        accounts.add_account(connection, "ana", "technician")
        token, _ = accounts.open_session(connection, "ana")
        assert accounts.valid_session(connection, token)
        accounts.set_active(connection, "ana", active=False)
        assert accounts.valid_session(connection, token) is None
        with pytest.raises(AccountError, match="shut"):
            accounts.make_link(connection, "ana")


@pytest.mark.parametrize(("name", "role"), [("", "reader"), ("a b", "reader"), ("x" * 41, "reader"), ("ana", "king")])
def test_bad_names_and_roles_are_refused(empty_database: Database, name: str, role: str) -> None:
    with pytest.raises(AccountError), empty_database.engine.begin() as connection:
        accounts.add_account(connection, name, role)


def test_tries_are_counted_in_a_window(empty_database: Database) -> None:
    with empty_database.engine.begin() as connection:
        assert [accounts.allowed_again(connection, "k", 2, 60) for _ in range(3)] == [True, True, False]
        assert accounts.allowed_again(connection, "other", 2, 60)


def test_a_short_password_is_refused_and_the_old_one_holds(empty_database: Database) -> None:
    with empty_database.engine.begin() as connection:
        accounts.add_account(connection, "ana", "reader")
        accounts.set_password(connection, "ana", "kiln two, zone four")
        with pytest.raises(AccountError, match="at least 10"):
            accounts.set_password(connection, "ana", "short")
        assert accounts.sign_in(connection, "ana", "kiln two, zone four")
