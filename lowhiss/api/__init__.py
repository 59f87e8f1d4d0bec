"""The HTTP interface: a route parses, calls one use case, maps the answer."""

from lowhiss.api.app import create_app

__all__ = ["create_app"]
