"""Logs as lines of JSON where `LOWHISS_LOG=json` asks for it: what happened and where, never who or what was typed."""

from __future__ import annotations

import json
import logging
import os
import sys
import time


class _Lines(logging.Formatter):
    """One JSON object a line. Tracebacks keep files, lines and kinds of errors, not what the errors say."""

    def format(self, record: logging.LogRecord) -> str:
        told: dict[str, object] = {
            "at": time.strftime("%Y-%m-%dT%H:%M:%S", time.gmtime(record.created)) + f".{int(record.msecs):03}Z",
            "level": record.levelname.lower(),
            "where": record.name,
            "said": record.getMessage().split("?", 1)[0],
            "process": record.process,
        }
        if record.exc_info and record.exc_info[0] is not None:
            told["error"] = record.exc_info[0].__name__
            told["trace"] = _places(record)
        return json.dumps(told, ensure_ascii=False)


def _places(record: logging.LogRecord) -> list[str]:
    found, trace = [], record.exc_info[2] if record.exc_info else None
    while trace is not None:
        code = trace.tb_frame.f_code
        found.append(f"{code.co_filename}:{trace.tb_lineno} {code.co_name}")
        trace = trace.tb_next
    return found


def set_up() -> None:
    """Log as the environment asks."""
    if os.environ.get("LOWHISS_LOG") != "json":
        return
    handler = logging.StreamHandler(sys.stderr)
    handler.setFormatter(_Lines())
    root = logging.getLogger()
    root.handlers[:] = [handler]
    root.setLevel(logging.WARNING)
    for name in ("uvicorn", "uvicorn.error", "uvicorn.access"):
        log = logging.getLogger(name)
        log.handlers[:] = []
        log.propagate = True
