"""Inspections over HTTP."""
