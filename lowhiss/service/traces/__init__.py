"""Recordings: kept by the hash of their file, looked at and judged."""
