"""Writes docs/openapi.json from the application; with --check only says whether it is current."""

import json
import sys
from pathlib import Path

from lowhiss.api import create_app

TARGET = Path(__file__).resolve().parents[1] / "docs" / "openapi.json"

text = json.dumps(create_app(None).openapi(), indent=1, ensure_ascii=False) + "\n"
if "--check" not in sys.argv:
    TARGET.write_text(text, encoding="utf-8")
elif TARGET.read_text(encoding="utf-8") != text:
    sys.exit("docs/openapi.json is stale: run .venv/bin/python scripts/write_openapi.py && npm --prefix web run api")
