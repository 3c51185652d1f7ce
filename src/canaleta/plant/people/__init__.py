"""Accounts, rights and sessions."""
