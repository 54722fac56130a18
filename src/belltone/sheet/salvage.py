"""A damaged or newer sheet, read as far as it goes, with what is missing named."""

from __future__ import annotations

import re
import tomllib
from dataclasses import dataclass
from typing import Any, Final

import tomlkit

from belltone.errors import UserError
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Finding, Path, SheetError, path_text
from belltone.sheet.model import FORMAT_VERSION

__all__ = ["Salvaged", "salvaged"]

_MOST_STEPS: Final = 60


@dataclass(frozen=True)
class Salvaged:
    """What could be read, and what was left out, in words."""

    sheet: Sheet
    lost: tuple[str, ...]


def salvaged(text: str, read: Any) -> Salvaged | None:
    """Read what can be read of a text; ``None`` where no part of the component is left.

    ``read`` makes a sheet of a text and raises `SheetError` while something in it is wrong. Lines
    that are no TOML are left out first, then what each finding names, then the entry it is part of.
    """
    lost: list[str] = []
    data = _readable(text, lost)
    if data is None or not isinstance(data.get("parts"), dict):
        return None
    if data.get("belltone") != FORMAT_VERSION:
        lost.append(f"it says it has format {data.get('belltone')!r}; read as {FORMAT_VERSION}")
        data["belltone"] = FORMAT_VERSION
    gone: set[Path] = set()
    for _ in range(_MOST_STEPS):
        if not data.get("parts"):
            return None
        try:
            return Salvaged(read(_written(data)), tuple(lost))
        except SheetError as error:
            found = {each.path: each for each in error.findings if each.path}
            # What is missing because it was left out is told already.
            lost += [
                f"{path_text(path)}: {each.message}"
                for path, each in found.items()
                if path not in gone
            ]
            if not found or not all(_drop(data, path) for path in _last_first(found)):
                return None
            gone |= set(found)
        except UserError:
            return None
    return None


def _written(data: dict[str, Any]) -> str:
    return tomlkit.dumps({"belltone": FORMAT_VERSION, **data})


def _readable(text: str, lost: list[str]) -> dict[str, Any] | None:
    """The text's data without the lines that are no TOML."""
    lines = text.splitlines()
    for _ in range(_MOST_STEPS):
        try:
            return tomllib.loads("\n".join(lines))
        except tomllib.TOMLDecodeError as error:
            place = re.search(r"\(at line (\d+)", str(error))
            at = int(place[1]) - 1 if place else len(lines) - 1
            at = min(at, len(lines) - 1)
            # A text or a list that is not closed is told at its end, or at that of the file.
            while at > 0 and not lines[at].strip():
                at -= 1
            if at < 0 or not lines:
                return None
            lost.append(f"the line “{lines[at].strip()}” cannot be read")
            del lines[at]
        except (ValueError, RecursionError):
            return None
    return None


def _last_first(paths: dict[Path, Finding]) -> list[Path]:
    """Entries of a list from the last on, so that the others keep their places."""
    return sorted(paths, key=lambda path: [(isinstance(s, int), str(s).zfill(6)) for s in path])[
        ::-1
    ]


def _drop(data: dict[str, Any], path: Path) -> bool:
    """Take an entry away; where it is not there, what it would be part of goes."""
    for depth in range(len(path), 0, -1):
        node: Any = data
        try:
            for step in path[: depth - 1]:
                node = node[step]
            if isinstance(node, dict | list):
                node.pop(path[depth - 1])  # type: ignore[arg-type]
                return True
        except (KeyError, IndexError, TypeError):
            continue
    return False
