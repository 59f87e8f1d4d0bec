"""Names of the Python code that nobody uses: whoever adds none passes.

Fields of what is sent or stored are used elsewhere, and names that are looked up by a part of theirs are listed here.
"""

from __future__ import annotations

import re
import sys
from pathlib import Path

from vulture import Vulture

ROOT = Path(__file__).resolve().parents[1]
PLACES = ("lowhiss", "tests", "scripts", "benchmarks")
LEFT_OUT = ("*/migrations/versions/*",)
CALLED_BY_FRAMEWORKS = ("@router.*", "@pytest.*", "@field_validator*", "@model_validator*", "@given*", "@event.*")
FIELDS_ONLY = re.compile(r"schemas\.py$|_models\.py$|^lowhiss/api/")
"""What stands in these as a field goes over the network or into a table."""
FOUND_BY_NAME = {
    "lowhiss/engine/on_device.py": ".*",  # called from the device's worker
    "lowhiss/commands/.*": "add_.*",  # the command line's table
    "lowhiss/sandbox/inside.py": "zip_.*",  # its table of readers
    "tests/core/trainee.py": "_.*",  # what a step asks for
    "tests/plugin.py": "pytest_.*",
    "lowhiss/store/types.py": ".*",  # what SQLAlchemy asks of a type
    "lowhiss/exchange/recordings/source.py": "seekable|readinto",  # a stream of the standard library
    "lowhiss/exchange/workbook.py": "freeze_panes|font|number_format",  # a report's own attributes
    "lowhiss/core/practice/truth.py": ".*_(psi|s)",  # written whole into a debrief
    "lowhiss/engine/editor/comparison.py": ".*_open",  # answered whole
    "lowhiss/service/.*": "class_name|granted|amended_by",
    "lowhiss/core/inspections/model.py": "least_psi|call_needs",  # said in the data, judged nowhere yet
    "tests/.*": "pytestmark|undone|dear_passwords|should_exit",
    "lowhiss/serve.py": "should_exit",
    "lowhiss/api/app.py": "total_tokens|front_end",
    "lowhiss/api/http_server.py": "SSL_HANDSHAKE_TIMEOUT",
    "lowhiss/api/runs/feed.py": "_closing",
}


def is_known(path: str, name: str, kind: str) -> bool:
    """Whether this name is used in a way that cannot be seen."""
    if kind == "variable" and FIELDS_ONLY.search(path):
        return True
    return any(re.fullmatch(file, path) and re.fullmatch(names, name) for file, names in FOUND_BY_NAME.items())


def main() -> int:
    """Say each dead name with its place; 1 where there is one."""
    seeker = Vulture(ignore_decorators=list(CALLED_BY_FRAMEWORKS))
    seeker.scavenge([str(ROOT / place) for place in PLACES], exclude=[str(ROOT / one) for one in LEFT_OUT])
    dead = [
        (path, one)
        for one in seeker.get_unused_code()
        if not is_known(path := Path(one.filename).resolve().relative_to(ROOT).as_posix(), one.name, one.typ)
    ]
    for path, one in dead:
        print(f"{path}:{one.first_lineno}: nobody uses the {one.typ} {one.name}")
    return 1 if dead else 0


if __name__ == "__main__":
    sys.exit(main())
