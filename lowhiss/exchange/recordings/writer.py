"""A simulated drive as the files that loggers write: the network's messages as candump, and a measurement file."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import TextIO

import numpy as np
from asammdf import MDF, Signal

from lowhiss.core.airsystem import Sample
from lowhiss.core.units import KPA_PER_PSI
from lowhiss.core.vehicle import Needle
from lowhiss.exchange.traces import BROADCAST_STEP_KPA

_AIR1_ID = 0x18FEAE0B
"""Priority 6, PGN 65198, from the brake controller's usual address 0x0b: SAE J1939-71, from memory."""


def write_candump(file: TextIO, samples: Iterable[Sample]) -> None:
    """Brake pressures once a second, as ``candump -l`` writes them; a circuit that there is not is *not available*."""
    due = 0.0
    for sample in samples:
        if sample.dash.t_s + 1e-9 < due:
            continue
        due += 1.0
        bits = [min(250, round(psi * KPA_PER_PSI / BROADCAST_STEP_KPA)) for psi in sample.dash.true_psi]
        circuits = [*bits, 0xFF][:2]
        payload = bytes([0xFF, 0xFF, *circuits, 0xFF, 0xFF, 0xFF, 0xFF])
        file.write(f"({sample.dash.t_s:017.6f}) can0 {_AIR1_ID:08X}#{payload.hex().upper()}\n")


def write_measured(path: Path, samples: Sequence[Sample], needles: tuple[Needle, ...], trailer: bool) -> None:
    """What the dash shows and where the knobs stand, each a channel with its unit."""
    t_s = np.array([one.dash.t_s for one in samples])
    channels = [
        Signal(np.array([one.dash.needles[place] for one in samples]), t_s, unit="psi", name=f"{name}_psi")
        for place, name in enumerate(needles)
    ]
    states = {"tractor_in": [one.dash.tractor_in for one in samples], "lamp": [one.dash.lamp for one in samples]}
    if trailer:
        states["trailer_in"] = [one.dash.trailer_in for one in samples]
    channels += [Signal(np.array(values, dtype=np.uint8), t_s, name=name) for name, values in states.items()]
    with MDF(version="4.10") as file:
        file.append(channels, comment="simulated")
        file.save(path, overwrite=True)
