"""Signing in, accounts, sessions."""

from canaleta.web.people import accounts, session

__all__ = ["APIS"]

APIS = (session.api, accounts.api)
