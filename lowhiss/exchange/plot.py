"""A drive as a picture: the needles along time, with what was marked."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from importlib.util import find_spec
from pathlib import Path
from typing import TYPE_CHECKING, Any

from lowhiss.core.airsystem import Sample
from lowhiss.core.vehicle import Needle

if TYPE_CHECKING:
    from lowhiss.trace import Recording

_INK, _SOFT, _AIR, _LINE = "#14191a", "#5d6664", "#1f3bd1", "#c9cdc4"


def can_plot() -> bool:
    """Whether the optional package that draws is installed."""
    return find_spec("matplotlib") is not None


def plot_drive(
    path: Path, samples: Sequence[Sample], events: Sequence[Mapping[str, Any]], needles: tuple[Needle, ...], title: str
) -> None:
    """Draw the needles, what was read, and when pedal and engine were at work. Raises OSError."""
    from matplotlib.backends.backend_agg import FigureCanvasAgg  # heavy, optional, and needed for nothing else
    from matplotlib.figure import Figure

    figure = Figure(figsize=(12.8, 6.4), dpi=100, facecolor="white", layout="constrained")
    FigureCanvasAgg(figure)
    axes = figure.add_subplot()
    times = [sample.dash.t_s / 60 for sample in samples]
    for place, (needle, colour, style) in enumerate(zip(needles, (_AIR, _INK), ("-", "--"), strict=False)):
        axes.plot(
            times, [s.dash.needles[place] for s in samples], style, color=colour, lw=1.4, label=f"{needle} needle"
        )
    top = max((max(sample.dash.needles) for sample in samples), default=100) + 12
    axes.fill_between(times, 0, 3, where=[s.rpm > 0 for s in samples], color=_SOFT, lw=0, label="engine runs")
    axes.fill_between(
        times, 3, 6, where=[s.pedal > 0 for s in samples], color=_AIR, lw=0, alpha=0.5, label="pedal down"
    )
    for event in events:
        psi = event.get("primary_psi")
        if psi is None:
            continue
        name: str = event.get("point") or ("warning" if event["type"] == "warning" else str(event.get("knob")))
        axes.plot(event["at_s"] / 60, psi, "o", ms=4, color=_INK)
        axes.annotate(
            f"{name.replace('_', '-')} {psi:g}",
            (event["at_s"] / 60, psi),
            xytext=(3, 7),
            textcoords="offset points",
            fontsize=8,
            color=_INK,
            rotation=35,
        )
    axes.set(xlabel="minutes", ylabel="pressure, psi", ylim=(0, top), xlim=(0, times[-1] if times else 1), title=title)
    axes.grid(color=_LINE, lw=0.6)
    axes.spines[["top", "right"]].set_visible(False)
    figure.legend(loc="outside lower center", frameon=False, fontsize=9, ncols=4)
    figure.savefig(path)


def plot_recording(path: Path, recording: Recording, stages: Sequence[Mapping[str, Any]], title: str) -> None:
    """Draw a recording's needles with the stages that were found in it as bands. Raises OSError."""
    from matplotlib.backends.backend_agg import FigureCanvasAgg  # heavy, optional, and needed for nothing else
    from matplotlib.figure import Figure

    figure = Figure(figsize=(12.8, 6.4), dpi=100, facecolor="white", layout="constrained")
    FigureCanvasAgg(figure)
    axes = figure.add_subplot()
    times = recording.t_s / 60
    for (needle, psi), colour, style in zip(recording.needles.items(), (_AIR, _INK), ("-", "--"), strict=False):
        axes.plot(times, psi, style, color=colour, lw=1.2, label=f"{needle} needle")
    for place, stage in enumerate(one for one in stages if one["from_s"] is not None):
        axes.axvspan(stage["from_s"] / 60, stage["to_s"] / 60, color=_SOFT if place % 2 else _AIR, alpha=0.12, lw=0)
        level = 4 + 7 * (place % 3)
        axes.annotate(stage["stage"].replace("_", " "), (stage["from_s"] / 60, level), fontsize=8, color=_INK)
    axes.set(xlabel="minutes", ylabel="pressure, psi", ylim=(0, None), xlim=(times[0], times[-1]), title=title)
    axes.grid(color=_LINE, lw=0.6)
    axes.spines[["top", "right"]].set_visible(False)
    figure.legend(loc="outside lower center", frameon=False, fontsize=9, ncols=4)
    figure.savefig(path)
