"""Runs over HTTP: marks, reports, the log, live nudges and the feed."""
