"""What every table has: how constraints are named, and the base that collects the tables."""

from __future__ import annotations

from sqlalchemy import MetaData, String
from sqlalchemy.orm import DeclarativeBase

NAMES = {
    "ix": "ix_%(table_name)s_%(column_0_N_name)s",
    "uq": "uq_%(table_name)s_%(column_0_N_name)s",
    "ck": "ck_%(table_name)s_%(constraint_name)s",
    "fk": "fk_%(table_name)s_%(column_0_N_name)s_%(referred_table_name)s",
    "pk": "pk_%(table_name)s",
}


Exact = String(80, collation="utf8mb4_nopad_bin")
"""A name that a device made: compared byte by byte, as JSON does."""


class Base(DeclarativeBase):
    """All tables of the application."""

    metadata = MetaData(naming_convention=NAMES)
