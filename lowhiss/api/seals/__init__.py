"""Seals over HTTP."""
