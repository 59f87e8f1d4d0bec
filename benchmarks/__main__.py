"""Chooses the benchmark: ./bench NAME [OPTIONS]."""

from __future__ import annotations

import sys

from benchmarks import attack, core, dash, dev, drift, live, sim, store, trace, whatif

BENCHES = {
    "attack": attack.main,
    "core": core.main,
    "dash": dash.main,
    "dev": dev.main,
    "drift": drift.main,
    "live": live.main,
    "sim": sim.main,
    "store": store.main,
    "trace": trace.main,
    "whatif": whatif.main,
}

if __name__ == "__main__":
    if len(sys.argv) < 2 or sys.argv[1] not in BENCHES:
        sys.exit(f"usage: ./bench {'|'.join(BENCHES)} [options]")
    BENCHES[sys.argv[1]](sys.argv[2:])
