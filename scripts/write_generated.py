"""Writes the files that are made from the code; with --check only says which of them are stale."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import rfc8785

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))

from lowhiss import rulebook  # noqa: E402
from lowhiss.api import create_app  # noqa: E402
from lowhiss.api.runs.report_schemas import VerdictOut  # noqa: E402
from lowhiss.core.fields import LANGUAGES  # noqa: E402
from lowhiss.core.findings import findings_table  # noqa: E402
from lowhiss.core.script import compile_script  # noqa: E402
from lowhiss.core.vehicle import Governor, Unit  # noqa: E402
from lowhiss.core.words.glossary import glossary_page  # noqa: E402
from lowhiss.exchange import export_schemas, learning_schemas, schemas  # noqa: E402
from lowhiss.service.people.rights import rights_table  # noqa: E402
from scripts.fill_cases import fill_cases  # noqa: E402
from scripts.trade_words import editor_words, trade_lists, trade_words  # noqa: E402


def canonical_cases() -> list[dict[str, object]]:
    """Values with the text that is signed of them, for the browser's own canonical form to be held against."""
    values: list[Any] = [
        {"b": 1, "a": [True, None, "x"], "\u00e9": {"z": 0.1, "y": -1.5e-7}},
        {"mono_s": 1234.567, "wall_ms": 1796000000123, "big": 1e21, "small": 5e-324, "whole": 100.0},
        {"text": '\u2028 "quoted" \\ \n \t \u0007 \U0001f600', "": "empty key", "10": 1, "9": 2},
        {
            "body": {"type": "reading", "primary_psi": 99.5, "secondary_psi": 100},
            "log": "a",
            "by": "Ana N\u00fa\u00f1ez",
        },
        [],
        {},
    ]
    return [{"value": value, "text": rfc8785.dumps(value).decode()} for value in values]


def generated() -> dict[str, str]:
    """Each generated file's path below the project's root, and its text."""
    verdict = {"$schema": "https://json-schema.org/draft/2020-12/schema", **VerdictOut.model_json_schema()}
    tables = {
        "docs/openapi.json": create_app(None).openapi(),
        "web/src/run/inspection/filling.cases.gen.json": fill_cases(),
        "web/src/device/canonical.cases.gen.json": canonical_cases(),
        "docs/schemas/low-hiss-run-1.json": schemas.run_schema(),
        "docs/schemas/low-hiss-round-1.json": schemas.inspection_schema(),
        "docs/schemas/low-hiss-rules-1.json": schemas.rules_schema(),
        "docs/schemas/low-hiss-procedure-1.json": schemas.procedure_schema(),
        "docs/schemas/low-hiss-practice-1.json": learning_schemas.practice_schema(),
        "docs/schemas/low-hiss-learning-1.json": learning_schemas.learning_schema(),
        "docs/schemas/low-hiss-seals-1.json": export_schemas.seals_schema(),
        "docs/schemas/low-hiss-runs-1.json": export_schemas.runs_schema(),
        "docs/schemas/low-hiss-verdict-1.json": {**verdict, "title": "low-hiss-verdict/1"},
    }
    texts = {name: json.dumps(table, indent=1, ensure_ascii=False) + "\n" for name, table in tables.items()}
    unit = Unit("tractor_semitrailer", "MV-12", governor=Governor(100, 125))
    planning = rulebook.planning(unit.kind)
    script = compile_script(rulebook.procedure("us-three-part"), rulebook.rule_set("us-cdl"), unit, planning)
    return {
        **texts,
        "docs/rights.md": rights_table(),
        "docs/findings.md": findings_table(),
        "docs/glossary.md": glossary_page(),
        "web/src/testing/script.gen.json": json.dumps(script, indent=1, ensure_ascii=False) + "\n",
        "web/src/shared/trade.gen.ts": trade_lists(),
        **{f"web/src/shared/trade.{language}.gen.ts": trade_words(language) for language in LANGUAGES},
        "web/src/features/rules/editor.gen.ts": editor_words(),
    }


def main() -> int:
    """Write or check; returns the exit code."""
    stale = [name for name, text in generated().items() if _kept(ROOT / name) != text]
    if "--check" in sys.argv:
        for name in stale:
            print(f"{name} is stale: run .venv/bin/python scripts/write_generated.py && npm --prefix web run api")
        return 1 if stale else 0
    for name, text in generated().items():
        (ROOT / name).parent.mkdir(parents=True, exist_ok=True)
        (ROOT / name).write_text(text, encoding="utf-8")
    return 0


def _kept(path: Path) -> str | None:
    return path.read_text(encoding="utf-8") if path.exists() else None


if __name__ == "__main__":
    sys.exit(main())
