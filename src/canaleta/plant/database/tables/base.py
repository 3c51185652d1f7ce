"""What every table shares: names of what belongs to it, and the column that says when."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Column, DateTime, MetaData, func

__all__ = ["metadata", "now_column"]

metadata = MetaData(
    naming_convention={
        "ix": "ix_%(table_name)s_%(column_0_N_name)s",
        "uq": "uq_%(table_name)s_%(column_0_N_name)s",
        "ck": "ck_%(table_name)s_%(constraint_name)s",
        "fk": "fk_%(table_name)s_%(column_0_N_name)s",
        "pk": "pk_%(table_name)s",
    }
)


def now_column() -> Column[Any]:
    """When it happened: the time of the database, unless it is said."""
    return Column("at", DateTime(timezone=True), nullable=False, server_default=func.now())
