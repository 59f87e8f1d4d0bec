"""Renews the demo's two years of runs: drives the story of its fleet on simulated vehicles. Takes some minutes.

.venv/bin/python scripts/grow_demo.py
"""

from __future__ import annotations

import gzip
import json

from lowhiss.demo.history import grow
from lowhiss.demo.scenario import RUNS_FILE

lines = [json.dumps(run, separators=(",", ":"), ensure_ascii=False) for run in grow()]
# without a date in the file the same story makes the same bytes
RUNS_FILE.write_bytes(gzip.compress("\n".join(lines).encode(), mtime=0))
print(f"{len(lines)} runs, {RUNS_FILE.stat().st_size // 1024} kB")
