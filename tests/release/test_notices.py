"""What ships of others is listed with its license, as built."""

from __future__ import annotations

import json
import re

from lowhiss.static import WEB
from tests.conftest import ROOT

NOTICES = json.loads((WEB / "notices.json").read_text())
LISTED = {one["name"] for one in NOTICES}
# each allows to pass it on with its own words beside it (from memory)
TAKEN = {"MIT", "ISC", "0BSD", "BSD-3-Clause", "Apache-2.0", "OFL-1.1", "MPL-2.0", "PSF-2.0", "MIT License"}


def test_every_package_that_ships_is_listed_with_its_licence():
    package = json.loads((ROOT / "web" / "package.json").read_text())
    assert set(package["dependencies"]) - {"radix-ui"} <= LISTED  # it only names its parts, which are listed
    assert {f"workbox-{part}" for part in re.findall(r"workbox:([a-z]+)", (WEB / "sw.js").read_text())} <= LISTED
    assert len(LISTED) == len(NOTICES)
    for one in NOTICES:
        assert one["license"] in TAKEN, one["name"]
        assert one["version"], one["name"]
        assert len(one["text"]) > 20, one["name"]


def test_what_the_device_runs_of_python_is_listed():
    (core,) = WEB.glob("judge/*/core.json")
    parts = {name.split("/")[0].removesuffix(".py") for name in json.loads(core.read_text())}
    assert parts - {"lowhiss"} <= LISTED
    assert "pyodide" in LISTED


def test_the_faces_are_those_whose_licence_is_told():
    faces = [path.name for path in WEB.glob("assets/*.woff2")]
    assert faces
    assert all(name.startswith("archivo-") for name in faces)
    archivo = next(one for one in NOTICES if one["name"] == "@fontsource-variable/archivo")
    assert "SIL Open Font License" in archivo["text"] or "SIL OPEN FONT LICENSE" in archivo["text"]
