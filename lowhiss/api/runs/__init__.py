"""Runs over HTTP: marks, sheets, the log, live nudges and the feed."""
