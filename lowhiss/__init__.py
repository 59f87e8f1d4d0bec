"""Low Hiss: conducts, measures, judges and records the static air brake test."""

__version__ = "0.9.0a1"
