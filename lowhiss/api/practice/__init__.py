"""Practices over HTTP, and the trainer's side of one live."""
