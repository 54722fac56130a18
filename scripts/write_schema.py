"""Writes the JSON schema of a sheet to docs/sheet.schema.json."""

from __future__ import annotations

import json
import sys
from pathlib import Path

from belltone.sheet.model import Content

TARGET = Path(__file__).resolve().parents[1] / "docs" / "sheet.schema.json"


def schema_text() -> str:
    """The schema as it is published."""
    schema = Content.model_json_schema(by_alias=True)
    schema["title"] = "Bell Tone sheet, format 1"
    return json.dumps(schema, indent=2, ensure_ascii=False) + "\n"


if __name__ == "__main__":
    TARGET.write_text(schema_text(), encoding="utf-8")
    sys.exit(0)
