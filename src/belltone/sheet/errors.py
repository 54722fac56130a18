"""What can be wrong with a sheet, as values a person can read."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from belltone.errors import UserError

__all__ = ["Finding", "Path", "SheetError", "in_a_line", "path_text"]

_MOST_TOLD: Final = 3  # different things in one line

Path = tuple[str | int, ...]
"""Where a value stands, such as ``("parts", "rail", "length")`` or ``("supports", 0, "hold")``."""


def path_text(path: Path) -> str:
    """Write a path as the user sees it; list entries count from 1: ``supports 1 · hold``."""
    words: list[str] = []
    for step in path:
        if isinstance(step, int):
            words[-1:] = [f"{words[-1]} {step + 1}" if words else str(step + 1)]
        else:
            words.append(step)
    return " · ".join(words)


@dataclass(frozen=True)
class Finding:
    """One thing that is wrong, or looks wrong, at one place of a sheet."""

    path: Path
    message: str
    line: int | None = None
    warning: bool = False

    def __str__(self) -> str:
        place = path_text(self.path)
        line = f"line {self.line}" if self.line is not None else ""
        head = ", ".join(part for part in (line, place) if part)
        return f"{head}: {self.message}" if head else self.message


def in_a_line(findings: Sequence[Finding], at: Path = ()) -> str:
    """All findings for one line, such as a field's tip: each message once, and how often it holds.

    What stands at the place asked about, or is all there is, needs no place named.
    """
    places: dict[str, list[Path]] = {}
    for found in sorted(findings, key=lambda found: found.path != at):
        places.setdefault(found.message, []).append(found.path)
    told = []
    for message, paths in list(places.items())[:_MOST_TOLD]:
        if paths[0] != at and len(findings) > 1:
            more = f" and {len(paths) - 1} more" if paths[1:] else ""
            message = f"{message} ({path_text(paths[0])}{more})"
        told.append(message)
    left = len(places) - len(told)
    return "; ".join([*told, *([f"and {left} more"] if left else [])])


class SheetError(UserError):
    """A sheet that cannot be used, with every finding."""

    def __init__(self, findings: Sequence[Finding]) -> None:
        self.findings = tuple(findings)
        super().__init__("\n".join(str(finding) for finding in self.findings))
