"""Imports run one way, and the core stays pure."""

from __future__ import annotations

import ast
import sys

import pytest

from tests.conftest import ROOT

PACKAGE = ROOT / "lowhiss"
MAY_IMPORT = {
    "core": set(),
    "rulebook": {"core"},
    "exchange": {"core"},
    "store": {"core"},
    "database": set(),
    "service": {"core", "rulebook", "exchange", "store"},
    "demo": {"core", "rulebook", "service", "store"},
    "api": {"core", "rulebook", "service", "store"},
    "ondevice": {"core", "service"},
    "serve": {"api", "database", "demo", "service", "store", "upgrade"},
    "upgrade": {"database", "store"},
    "commands": {"core", "rulebook", "exchange", "service"},
    "cli": {"commands", "serve"},
    "__init__": set(),
}
CORE_LIBRARIES = set(sys.stdlib_module_names) - {
    "pathlib",
    "os",
    "io",
    "socket",
    "random",
    "time",
    "subprocess",
    "threading",
}


def imported(path) -> set[str]:
    """Every module name that a file imports, wherever in it."""
    names = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            names |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            assert node.level == 0, f"{path}: relative import"
            names.add(node.module or "")
            names |= {f"{node.module}.{alias.name}" for alias in node.names}
    return names


MODULES = sorted(path for path in PACKAGE.rglob("*.py") if "migrations/versions" not in str(path))


@pytest.mark.parametrize("path", MODULES, ids=lambda path: str(path.relative_to(PACKAGE)))
def test_imports_run_one_way(path):
    room = path.relative_to(PACKAGE).parts[0].removesuffix(".py")
    allowed = MAY_IMPORT[room] | {room, "__version__"}
    rooms = {name.split(".")[1] for name in imported(path) if name.startswith("lowhiss.")}
    assert rooms <= allowed


@pytest.mark.parametrize(
    "path",
    [path for path in MODULES if (PACKAGE / "core") in path.parents],
    ids=lambda path: str(path.relative_to(PACKAGE)),
)
def test_the_core_imports_no_framework_file_or_clock(path):
    outside = {name.split(".")[0] for name in imported(path)} - {"lowhiss", "__future__"}
    # the simulated drivers draw from a seed that is handed in
    seeded = {"random"} if "airsystem" in path.parts else set()
    assert outside <= CORE_LIBRARIES | seeded
