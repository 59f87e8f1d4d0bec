"""Readers and writers of open formats."""

from lowhiss.exchange.run_json import load_run, read_json, run_record

__all__ = ["load_run", "read_json", "run_record"]
