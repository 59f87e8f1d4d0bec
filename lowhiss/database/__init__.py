"""The private MariaDB server: made, started, watched and stopped by us, on loopback only."""

from lowhiss.database.server import DatabaseError, PrivateServer

__all__ = ["DatabaseError", "PrivateServer"]
