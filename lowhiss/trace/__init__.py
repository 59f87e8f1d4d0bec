"""Recorded pressure logs: the stages of a test found in them, each number with its interval. Not for devices."""

from lowhiss.trace.candidates import FoundStage
from lowhiss.trace.find import Found, find_stages, put_where
from lowhiss.trace.recording import Recording, TraceError
from lowhiss.trace.sessions import Session, find_sessions

__all__ = ["Found", "FoundStage", "Recording", "Session", "TraceError", "find_sessions", "find_stages", "put_where"]
