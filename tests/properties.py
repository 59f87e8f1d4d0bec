"""How properties are tried: no timing in them, since the machines are slow and shared; the same examples every run."""

from __future__ import annotations

from hypothesis import settings

settings.register_profile("house", deadline=None, derandomize=True, database=None)
settings.load_profile("house")
