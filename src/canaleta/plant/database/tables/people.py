"""Who may sign in, who is, and how often somebody tried."""

from __future__ import annotations

from sqlalchemy import Boolean, CheckConstraint, Column, DateTime, ForeignKey, Integer, Table, Text, false, func

from canaleta.plant.database.tables.base import metadata, now_column

__all__ = ["account", "rate_limit", "secret", "session", "sign_in_link"]

account = Table(
    "account",
    metadata,
    Column("name", Text, primary_key=True),
    Column("role", Text, nullable=False),
    Column("password_hash", Text),
    Column("active", Boolean, nullable=False, server_default="true"),
    now_column(),
    CheckConstraint("role in ('reader', 'technician', 'engineer', 'administrator')", name="role"),
)

session = Table(
    "session",
    metadata,
    Column("token_hash", Text, primary_key=True),
    Column("account", ForeignKey("account.name", ondelete="CASCADE"), nullable=False),
    Column("csrf", Text, nullable=False),
    now_column(),
    Column("seen", DateTime(timezone=True), nullable=False, server_default=func.now()),
    Column("by_link", Boolean, nullable=False, server_default=false()),
    Column("expires", DateTime(timezone=True), nullable=False),
)

sign_in_link = Table(
    "sign_in_link",
    metadata,
    Column("token_hash", Text, primary_key=True),
    Column("account", ForeignKey("account.name", ondelete="CASCADE"), nullable=False),
    Column("expires", DateTime(timezone=True), nullable=False),
)

secret = Table(
    "secret",
    metadata,
    Column("name", Text, primary_key=True),
    Column("value", Text, nullable=False),
)
"""What opens a rack's door, and our own key: in no list, no export, no history."""

rate_limit = Table(
    "rate_limit",
    metadata,
    Column("key", Text, primary_key=True),
    Column("since", DateTime(timezone=True), nullable=False),
    Column("hits", Integer, nullable=False),
)
