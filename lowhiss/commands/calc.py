"""``lowhiss calc``: the sums of the trade, each printing its equation with the figures in it."""

from __future__ import annotations

import argparse

from lowhiss import rulebook
from lowhiss.commands.common import PASS, Refusal
from lowhiss.core import calculators
from lowhiss.core.errors import CalculationError
from lowhiss.core.units import PRESSURE_UNITS, from_psi, to_psi
from lowhiss.core.words import Figures, plain


def add_calc(parser: argparse.ArgumentParser) -> None:
    """The command ``calc`` with one sub-command for each sum."""
    calc = parser.add_subparsers(required=True, metavar="SUM")

    drop = calc.add_parser("drop", help="pressure drop of one full brake application")
    drop.add_argument("--start-psi", type=float, required=True)
    drop.add_argument(
        "--ratio", type=float, default=rulebook.chambers().power_unit_ratio, help="tank volume ÷ chamber volume"
    )
    drop.set_defaults(run=_run, sum=_drop)

    strokes = calc.add_parser("strokes", help="number of full brake applications from one pressure to another")
    strokes.add_argument("--start-psi", type=float, required=True)
    strokes.add_argument("--end-psi", type=float, required=True)
    strokes.add_argument(
        "--ratio", type=float, default=rulebook.chambers().power_unit_ratio, help="tank volume ÷ chamber volume"
    )
    strokes.set_defaults(run=_run, sum=_strokes)

    reservoir = calc.add_parser("reservoir", help="required tank volume for these brake chambers")
    reservoir.add_argument("--chambers", required=True, metavar="TYPE,TYPE,…", help="one type number per chamber")
    reservoir.add_argument("--trailer", action="store_true", help="a trailer's ratio")
    reservoir.set_defaults(run=_run, sum=_reservoir)

    limit = calc.add_parser("build-limit", help="air build-up limit for larger tanks")
    limit.add_argument("--limit-s", type=float, required=True)
    limit.add_argument("--actual-in3", type=float, required=True)
    limit.add_argument("--required-in3", type=float, required=True)
    limit.set_defaults(run=_run, sum=_build_limit)

    flow = calc.add_parser("flow", help="free air lost through a leak")
    flow.add_argument("--rate-psi-per-min", type=float, required=True)
    flow.add_argument("--volume-ft3", type=float, required=True)
    flow.set_defaults(run=_run, sum=_flow)

    build = calc.add_parser("build-time", help="air build-up time over a pressure range, from two readings")
    build.add_argument("--lower-psi", type=float, required=True)
    build.add_argument("--upper-psi", type=float, required=True)
    build.add_argument("--duration-s", type=float, required=True)
    build.add_argument("--window-psi", type=float, nargs=2, required=True, metavar=("LOWER", "UPPER"))
    build.set_defaults(run=_run, sum=_build_time)

    convert = calc.add_parser("convert", help="a pressure in psi, kPa and bar")
    convert.add_argument("value", type=float)
    convert.add_argument("unit", choices=PRESSURE_UNITS)
    convert.set_defaults(run=_run, sum=_convert)


def _run(options: argparse.Namespace) -> int:
    try:
        print(options.sum(options))
    except CalculationError as error:
        raise Refusal(f"--{error.field.replace('_', '-')} {error.problem}") from error
    return PASS


def _drop(o: argparse.Namespace) -> str:
    drop = calculators.application_drop_psi(o.start_psi, o.ratio)
    return (
        f"({plain(o.start_psi, 1)} + 14.7) ÷ ({plain(o.ratio, 2)} + 1) = {plain(drop, 1)} psi: "
        f"{plain(o.start_psi, 1)} → {plain(o.start_psi - drop, 1)} psi"
    )


def _strokes(o: argparse.Namespace) -> str:
    number = calculators.strokes_between(o.start_psi, o.end_psi, o.ratio)
    start, end, ratio = (plain(value, 2) for value in (o.start_psi, o.end_psi, o.ratio))
    return f"ln(({start} + 14.7) ÷ ({end} + 14.7)) ÷ ln(({ratio} + 1) ÷ {ratio}) = {plain(number, 1)} full applications"


def _reservoir(o: argparse.Namespace) -> str:
    table = rulebook.chambers()
    try:
        types = [int(part) for part in o.chambers.split(",")]
    except ValueError as error:
        raise Refusal(f"--chambers must be type numbers with commas between them, not {o.chambers[:60]!r}") from error
    ratio = table.trailer_ratio if o.trailer else table.power_unit_ratio
    try:
        volume = calculators.required_reservoir_in3(types, table.volumes_in3, ratio)
    except CalculationError as error:
        raise Refusal(f"--chambers {error.problem}") from error
    total = " + ".join(plain(table.volumes_in3[number], 1) for number in types)
    return f"{plain(ratio, 1)} × ({total}) = {plain(volume, 1)} in³ [{table.source}]"


def _build_limit(o: argparse.Namespace) -> str:
    limit = calculators.build_time_limit_s(o.limit_s, o.actual_in3, o.required_in3)
    return f"{plain(o.limit_s, 1)} s × {plain(o.actual_in3, 1)} ÷ {plain(o.required_in3, 1)} = {plain(limit, 2)} s"


def _flow(o: argparse.Namespace) -> str:
    flow = calculators.free_air_flow(o.rate_psi_per_min, o.volume_ft3)
    volume, rate = plain(o.volume_ft3, 2), plain(o.rate_psi_per_min, 2)
    return f"{volume} ft³ × {rate} psi/min ÷ 14.7 psi = {plain(flow, 2)} ft³/min of free air"


def _build_time(o: argparse.Namespace) -> str:
    window = (o.window_psi[0], o.window_psi[1])
    time_s = calculators.build_time_s(o.lower_psi, o.upper_psi, o.duration_s, window)
    span, seen = plain(window[1] - window[0], 1), plain(o.upper_psi - o.lower_psi, 1)
    return f"{span} psi × {plain(o.duration_s, 1)} s ÷ {seen} psi = {plain(time_s, 1)} s"


def _convert(o: argparse.Namespace) -> str:
    psi = to_psi(o.value, o.unit)
    return " = ".join(f"{plain(from_psi(psi, unit), 4)} {Figures(unit).label}" for unit in PRESSURE_UNITS)
