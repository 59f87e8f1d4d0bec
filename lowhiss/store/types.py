"""Column types that lose nothing on MariaDB."""

from __future__ import annotations

import datetime as dt
from decimal import Decimal
from typing import Any

from sqlalchemy import Dialect
from sqlalchemy.dialects.mysql import DATETIME
from sqlalchemy.types import Numeric, TypeDecorator


class UtcDateTime(TypeDecorator[dt.datetime]):
    """An instant: aware in, aware out, UTC with microseconds in the table."""

    impl = DATETIME(fsp=6)
    cache_ok = True

    def process_bind_param(self, value: dt.datetime | None, dialect: Dialect) -> Any:  # noqa: ARG002
        """Refuses naive times: nobody knows what they mean."""
        if value is None:
            return None
        if value.tzinfo is None:
            raise ValueError("an instant needs its time zone")
        return value.astimezone(dt.UTC).replace(tzinfo=None)

    def process_result_value(self, value: Any, dialect: Dialect) -> dt.datetime | None:  # noqa: ARG002
        return None if value is None else value.replace(tzinfo=dt.UTC)


class Psi(TypeDecorator[float]):
    """A pressure in psi gauge, DECIMAL(9,5) in the table, float outside."""

    impl = Numeric(9, 5)
    cache_ok = True

    def process_bind_param(self, value: float | None, dialect: Dialect) -> Any:  # noqa: ARG002
        """To five places: a thousandth of what any gauge shows."""
        return None if value is None else Decimal(f"{value:.5f}")

    def process_result_value(self, value: Any, dialect: Dialect) -> float | None:  # noqa: ARG002
        """The pressure as a float."""
        return None if value is None else float(value)
