"""Writes what a release is made of to dist/, as CycloneDX 1.6: Python as pinned, the front end as locked."""

from __future__ import annotations

import json
import re
import subprocess
import sys
from pathlib import Path
from typing import Any

from cyclonedx.schema import SchemaVersion
from cyclonedx.validation.json import JsonStrictValidator

from lowhiss import __version__
from lowhiss.static import WEB

ROOT = Path(__file__).resolve().parents[1]
_KEPT = ("type", "name", "version", "purl", "licenses", "hashes", "scope", "bom-ref")


def python_parts() -> list[dict[str, Any]]:
    """The packages of requirements.txt, as they are installed here: only there are their licenses told."""
    pinned = set(re.findall(r"^([A-Za-z0-9_.-]+)==", (ROOT / "requirements.txt").read_text(), re.MULTILINE))
    command = [str(Path(sys.executable).parent / "cyclonedx-py"), "environment", "--pyproject", "pyproject.toml"]
    told = subprocess.run([*command, sys.executable], check=True, capture_output=True, text=True, cwd=ROOT).stdout
    return [part for part in _parts(told) if part["name"].lower().replace("_", "-") in pinned]


def web_parts() -> list[dict[str, Any]]:
    """The front-end packages whose code ships, as the build found them (web/notices.ts)."""
    ships = {(one["name"], one["version"]) for one in json.loads((WEB / "notices.json").read_text())}
    # otherwise what is another package's peer as well is left out, React among it
    command = ["npm", "sbom", "--legacy-peer-deps", "--sbom-format=cyclonedx"]
    told = subprocess.run(command, check=True, capture_output=True, text=True, cwd=ROOT / "web").stdout
    return [part for part in _parts(told) if (part["name"], part["version"]) in ships]


def _parts(text: str) -> list[dict[str, Any]]:
    # where a registry keeps a package is nothing that it is made of
    return [{key: part[key] for key in _KEPT if key in part} for part in json.loads(text)["components"]]


def main() -> None:
    """Write the bill, once it is what its format says."""
    bill = {
        "bomFormat": "CycloneDX",
        "specVersion": "1.6",
        "version": 1,
        "metadata": {"component": {"type": "application", "name": "lowhiss", "version": __version__}},
        "components": python_parts() + web_parts(),
    }
    text = json.dumps(bill, indent=1)
    problem = JsonStrictValidator(SchemaVersion.V1_6).validate_str(text)
    if problem is not None:
        raise SystemExit(f"the bill of materials is not what its format says: {problem}")
    target = ROOT / "dist" / f"lowhiss-{__version__}.cdx.json"
    target.parent.mkdir(exist_ok=True)
    target.write_text(text + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
