"""Rounds over HTTP."""
