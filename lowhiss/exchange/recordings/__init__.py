"""Recorded pressure logs of every format there is a reader for, chosen by what a file is called and holds."""

from lowhiss.exchange.recordings.registry import READERS, Read, read_bytes, read_recording, read_source

__all__ = ["READERS", "Read", "read_bytes", "read_recording", "read_source"]
