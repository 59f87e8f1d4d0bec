"""The rule book over HTTP."""
