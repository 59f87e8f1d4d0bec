"""Recordings over HTTP."""
