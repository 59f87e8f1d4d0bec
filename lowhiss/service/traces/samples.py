"""A recording's arrays as they are kept: compressed, ten a second at most."""

from __future__ import annotations

import functools
import io

import numpy as np

from lowhiss.trace import Recording
from lowhiss.trace.recording import GRID_HZ, grid_of


def packed(recording: Recording) -> bytes:
    """As it came, or ten a second where it came finer: what is coarse must stay as its sender told it."""
    if float(np.median(np.diff(recording.t_s))) < 1 / GRID_HZ:
        grid = grid_of(recording)
        t_s, needles, flags = grid.t_s[grid.known], grid.needles, grid.flags
        needles, flags = ({name: one[grid.known] for name, one in of.items()} for of in (needles, flags))
    else:
        t_s, needles, flags = recording.t_s, recording.needles, recording.flags
    arrays = {f"n_{name}": psi.astype(np.float32) for name, psi in needles.items()}
    arrays |= {f"f_{name}": flag.astype(np.int8) for name, flag in flags.items()}
    out = io.BytesIO()
    np.savez_compressed(out, allow_pickle=False, t_s=t_s, **arrays)
    return out.getvalue()


@functools.lru_cache(maxsize=8)
def unpacked(samples: bytes) -> Recording:
    """The arrays of a recording; the latest few stay at hand, so that a moved boundary is measured at once."""
    with np.load(io.BytesIO(samples)) as arrays:
        of = {name: np.asarray(arrays[name], np.float64) for name in arrays.files}
    return Recording(
        of["t_s"],
        {name.removeprefix("n_"): one for name, one in of.items() if name.startswith("n_")},
        {name.removeprefix("f_"): one for name, one in of.items() if name.startswith("f_")},
    )
