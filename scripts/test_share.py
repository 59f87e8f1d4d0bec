"""Prints how many of the lines of Python and TypeScript are tests; blank lines and comments do not count."""

from __future__ import annotations

import subprocess
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]


def is_test(path: str) -> bool:
    """Whether a tracked file is a test."""
    return path.startswith("tests/") or ".test." in path or ".testing." in path or path.startswith("web/src/testing/")


def lines(path: str) -> int:
    """Lines with code on them."""
    stripped = (line.strip() for line in (ROOT / path).read_text(encoding="utf-8").splitlines())
    return sum(bool(line) and not line.startswith(("#", "//", "*", "/*")) for line in stripped)


def main() -> None:
    """Count and print."""
    listed = subprocess.run(
        ["git", "ls-files", "--cached", "--others", "--exclude-standard", "*.py", "*.ts", "*.tsx"],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=True,
    ).stdout.split()
    # what a program wrote is neither code to be tested nor a test
    counts = {path: lines(path) for path in listed if (ROOT / path).exists() and ".gen." not in path}
    tests = sum(count for path, count in counts.items() if is_test(path))
    total = sum(counts.values())
    print(f"{tests} of {total} lines are tests: {100 * tests / total:.0f} %")


if __name__ == "__main__":
    main()
