"""The core and the engine stay pure; that imports run one way is held by import-linter (`pyproject.toml`)."""

from __future__ import annotations

import ast
import importlib
import sys

import pytest

from tests.conftest import ROOT

PACKAGE = ROOT / "lowhiss"
PURE_LIBRARIES = set(sys.stdlib_module_names) - {
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


MODULES = sorted(path for room in ("core", "engine") for path in (PACKAGE / room).rglob("*.py"))


@pytest.mark.parametrize("path", MODULES, ids=lambda path: str(path.relative_to(PACKAGE)))
def test_core_and_engine_import_no_framework_file_or_clock(path):
    outside = {name.split(".")[0] for name in imported(path)} - {"lowhiss", "__future__"}
    # the simulated drivers draw from a seed that is handed in
    seeded = {"random"} if "airsystem" in path.parts else set()
    # where long work runs is the one thing that is not ours; its processes end with the one that began them
    elsewhere = {"distributed", "os", "threading"} if path.name == "executor.py" else set()
    # when a card is due is a published algorithm, and its own package knows it best
    published = {"fsrs"} if path.name == "spacing.py" else set()
    assert outside <= PURE_LIBRARIES | seeded | elsewhere | published


TOOLS = [path for folder in ("benchmarks", "scripts") for path in sorted((ROOT / folder).glob("[a-z]*.py"))]


@pytest.mark.parametrize("path", TOOLS, ids=lambda path: f"{path.parent.name}/{path.stem}")
def test_whatever_the_tools_import_is_there(path):
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and (node.module or "").startswith(("lowhiss", "tests", "benchmarks")):
            module = importlib.import_module(node.module)
            for alias in node.names:
                assert hasattr(module, alias.name) or importlib.import_module(f"{node.module}.{alias.name}")
