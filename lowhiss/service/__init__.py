"""Use cases: each is one transaction over core and store. Knows nothing of HTTP."""
