"""People and sessions over HTTP."""
