"""Learning over HTTP."""
