"""Check that a quarter to a third of the code are tests.

Blank lines, comments, generated files, migrations and the texts of both languages do not count.
"""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
LEAST, MOST = 24, 34
"""In percent."""
NOT_CODE = (".gen.", "/i18n/en/", "/i18n/es/", "core/words/english", "core/words/spanish", "migrations/versions")


def is_test(path: str) -> bool:
    """Whether a tracked file is a test."""
    return path.startswith("tests/") or ".test." in path or ".testing." in path or path.startswith("web/src/testing/")


def lines(path: str) -> int:
    """Lines with code on them."""
    stripped = (line.strip() for line in (ROOT / path).read_text(encoding="utf-8").splitlines())
    return sum(bool(line) and not line.startswith(("#", "//", "*", "/*")) for line in stripped)


def main() -> None:
    """Count, print, and exit with 1 where it is too little or too much."""
    listed = subprocess.run(
        ["git", "ls-files", "--cached", "--others", "--exclude-standard", "*.py", "*.ts", "*.tsx"],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=True,
    ).stdout.split()
    counted = [path for path in listed if (ROOT / path).exists() and not any(part in path for part in NOT_CODE)]
    counts = {path: lines(path) for path in counted}
    tests = sum(count for path, count in counts.items() if is_test(path))
    total = sum(counts.values())
    share = round(100 * tests / total)
    print(f"{tests} of {total} lines are tests: {share} %")
    if not LEAST <= share <= MOST:
        sys.exit(f"Tests must be {LEAST} to {MOST} % of the code.")


if __name__ == "__main__":
    main()
