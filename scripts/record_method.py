"""Record the code that decides numbers together with the version of the method results carry."""

from __future__ import annotations

import ast
import hashlib
import json
import re
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
ROOMS = (
    "geometry",
    "sections",
    "design",
    "reading",
    "mesh",
    "elements",
    "system",
    "modes",
    "reduce",
)
RECORD = ROOT / "tests" / "store" / "method.json"


def digest() -> str:
    """A hash of the code of all rooms, whatever its comments, docstrings and layout."""
    found = hashlib.sha256()
    for room in ROOMS:
        for path in sorted((ROOT / "src" / "belltone" / room).rglob("*.py")):
            tree = ast.parse(path.read_text(encoding="utf-8"))
            for node in ast.walk(tree):
                body = getattr(node, "body", None)
                if isinstance(body, list) and body and isinstance(body[0], ast.Expr):
                    value = body[0].value
                    if isinstance(value, ast.Constant) and isinstance(value.value, str):
                        del body[0]
            found.update(f"{path.relative_to(ROOT)}\n{ast.dump(tree)}\n".encode())
    return found.hexdigest()


def method() -> int:
    """The version of the method that results carry."""
    text = (ROOT / "src" / "belltone" / "store" / "results.py").read_text(encoding="utf-8")
    matched = re.search(r"^_METHOD: Final = (\d+)", text, re.MULTILINE)
    assert matched is not None
    return int(matched[1])


def main() -> None:
    """Write the record, unless the version still has to be raised."""
    before = json.loads(RECORD.read_text(encoding="utf-8")) if RECORD.exists() else None
    now = {"method": method(), "digest": digest()}
    changed = before is not None and before["digest"] != now["digest"]
    if changed and before["method"] >= now["method"]:
        sys.exit("raise _METHOD in store/results.py first: kept results must not be used again")
    RECORD.write_text(json.dumps(now, indent=2) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
