"""Changes the judge one comparator, one connective, one bound at a time and asks the tests whether they notice.

.venv/bin/python scripts/mutate_judge.py [PART OF A FILE'S NAME …]

Works on copies below a temporary directory, two at a time; prints every change that no test noticed.
"""

from __future__ import annotations

import ast
import os
import re
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from queue import Queue
from typing import NamedTuple

ROOT = Path(__file__).resolve().parents[1]
WORKERS = 2
TESTS = [
    "tests/standards/test_what_counts.py",
    "tests/standards/test_outcomes.py",
    "tests/core/test_leak.py",
    "tests/core/test_column.py",
    "tests/standards/test_limit_table.py",
    "tests/standards/test_leak_limits.py",
    "tests/core/test_fold.py",
    "tests/core/test_words.py",
    "tests/core/test_uncertainty.py",
    "tests/core/test_late.py",
    "tests/core/test_timeline.py",
    "tests/core/test_properties.py",
]
FIRST = TESTS[:3]
FIRST_FOR_FIGURES = ["tests/standards/test_limit_table.py"]
FLIPS: dict[type[ast.cmpop], list[str]] = {
    ast.Lt: ["<="],
    ast.LtE: ["<"],
    ast.Gt: [">="],
    ast.GtE: [">"],
    ast.Eq: ["!="],
    ast.NotEq: ["=="],
}
SIGN = {ast.Lt: "<", ast.LtE: "<=", ast.Gt: ">", ast.GtE: ">=", ast.Eq: "==", ast.NotEq: "!="}


class Mutant(NamedTuple):
    """One change to one file."""

    path: str
    line: int
    before: str
    after: str
    text: str


def python_mutants(path: Path) -> Iterator[Mutant]:
    """Every comparison turned round its bound, every ``and`` made an ``or`` and the other way."""
    source = path.read_text()
    starts = [0]
    for line in source.splitlines(keepends=True):
        starts.append(starts[-1] + len(line.encode()))
    data = source.encode()

    def between(left: ast.expr, right: ast.expr, old: str, new: str) -> Iterator[Mutant]:
        begin = starts[(left.end_lineno or 1) - 1] + (left.end_col_offset or 0)
        end = starts[right.lineno - 1] + right.col_offset
        gap = data[begin:end].decode()
        if re.search(rf"(?<![<>=!]){re.escape(old)}(?![=])", gap):
            changed = data[:begin] + gap.replace(old, new, 1).encode() + data[end:]
            yield Mutant(str(path.relative_to(ROOT)), left.lineno, old, new, changed.decode())

    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.Compare):
            sides = [node.left, *node.comparators]
            for place, operator in enumerate(node.ops):
                for new in FLIPS.get(type(operator), []):
                    yield from between(sides[place], sides[place + 1], SIGN[type(operator)], new)
        elif isinstance(node, ast.BoolOp):
            old, new = ("and", "or") if isinstance(node.op, ast.And) else ("or", "and")
            for left, right in zip(node.values, node.values[1:], strict=False):
                yield from between(left, right, old, new)


def toml_mutants(path: Path) -> Iterator[Mutant]:
    """Every figure of the rule book a little higher and a little lower, every inclusive bound made exclusive."""
    lines = path.read_text().splitlines(keepends=True)
    for number, line in enumerate(lines):
        code = line.split("#")[0]
        if code.startswith(("order", "source")):  # a place in a list and a quoted clause judge nothing
            continue
        swaps = []
        for found in re.finditer(r"(?<![\w.\"])-?\d+(\.\d+)?(?![\w.\"])", code):
            if "=" in code[: found.start()] or "[" in code[: found.start()]:
                value = float(found.group())
                step = 0.01 if abs(value) < 1 else 0.1
                swaps += [
                    (found.span(), found.group(), f"{value + step:g}"),
                    (found.span(), found.group(), f"{value - step:g}"),
                ]
        for old, new in (("at_most", "below"), ("below", "at_most"), ("at_least", "above")):
            swaps += [(found.span(), old, new) for found in re.finditer(rf"\b{old}\b", code)]
        for (begin, end), old, new in swaps:
            changed = [*lines[:number], line[:begin] + new + line[end:], *lines[number + 1 :]]
            yield Mutant(str(path.relative_to(ROOT)), number + 1, old, new, "".join(changed))


def mutants(parts: list[str]) -> list[Mutant]:
    """All changes to the judge, the fold and the rule book whose file name holds one of ``parts``; all without any."""
    judge = [*sorted((ROOT / "lowhiss/core/judge").glob("*.py")), ROOT / "lowhiss/core/run.py"]
    book = [ROOT / "lowhiss/rulebook/judging.toml", *sorted((ROOT / "lowhiss/rulebook/rules").glob("*.toml"))]
    found = [mutant for path in judge for mutant in python_mutants(path)]
    found += [mutant for path in book for mutant in toml_mutants(path)]
    return [mutant for mutant in found if not parts or any(part in mutant.path for part in parts)]


def survives(mutant: Mutant, copy: Path) -> bool:
    """Whether every test still passes with the change in place."""
    target = copy / mutant.path
    original = target.read_text()
    target.write_text(mutant.text)
    try:
        # what is noticed at all is mostly noticed by tests that need nothing that takes long to start
        first = FIRST_FOR_FIGURES if target.suffix == ".toml" else FIRST
        return _passes(copy, "--noconftest", "-p", "tests.properties", *first) and _passes(copy, *TESTS)
    except subprocess.TimeoutExpired:
        return False
    finally:
        target.write_text(original)


def _passes(copy: Path, *tests: str) -> bool:
    command = [sys.executable, "-m", "pytest", "-p", "no:cacheprovider", "-x", "-q", "--no-header", *tests]
    alone = {**os.environ, "PYTEST_DISABLE_PLUGIN_AUTOLOAD": "1"}
    return subprocess.run(command, cwd=copy, env=alone, capture_output=True, check=False, timeout=300).returncode == 0


def main() -> int:
    """Try every change; returns how many survived, capped at 1."""
    wanted = mutants(sys.argv[1:])
    with tempfile.TemporaryDirectory() as folder:
        copies: Queue[Path] = Queue()
        for number in range(WORKERS):
            copy = Path(folder) / str(number)
            copy.mkdir()
            for name in ("lowhiss", "tests", "docs"):
                shutil.copytree(ROOT / name, copy / name)
            shutil.copy(ROOT / "pyproject.toml", copy)
            shutil.copytree(
                ROOT / "web/src/shared/i18n", copy / "web/src/shared/i18n"
            )  # a test holds its words to the server's
            copies.put(copy)

        def tried(mutant: Mutant) -> bool:
            copy = copies.get()
            try:
                return survives(mutant, copy)
            finally:
                copies.put(copy)

        untouched = Mutant(wanted[0].path, 0, "", "", (ROOT / wanted[0].path).read_text())
        if not tried(untouched):
            raise SystemExit("the tests fail without any change: nothing can be learned")
        survived = []
        with ThreadPoolExecutor(WORKERS) as pool:
            for mutant, alive in zip(wanted, pool.map(tried, wanted), strict=True):
                if alive:
                    survived.append(mutant)
                    print(f"{mutant.path}:{mutant.line}: {mutant.before} → {mutant.after}", flush=True)
    print(f"{len(survived)} of {len(wanted)} changes were not noticed")
    return min(len(survived), 1)


if __name__ == "__main__":
    sys.exit(main())
