"""Runs: begun, led, received, judged, kept and listed."""
