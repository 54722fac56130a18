"""The file of the sheet that is open: where it lies, what is saved, and who else has written it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import Protocol, Self

from belltone.files import MOST_SHEET_BYTES, FileError, read_text

__all__ = ["Filed", "SheetFile"]


class Filed(Protocol):
    """What has a file once it is saved."""

    @property
    def path(self) -> Path | None:
        """Where that is."""


@dataclass(frozen=True)
class SheetFile:
    """``path`` is ``None`` until the sheet is saved first.

    ``saved`` is the text nothing is lost of; ``seen`` what the file held when last looked at.
    """

    path: Path | None
    saved: str
    seen: str | None

    @classmethod
    def at(cls, path: Path | None, saved: str) -> Self:
        """The file as it is now, beside what is saved."""
        return cls(path, saved, None if path is None else _content(path))

    @property
    def folder(self) -> Path | None:
        """Where it lies."""
        return None if self.path is None else self.path.resolve().parent

    def changed(self, shown: str) -> str | None:
        """What the file holds, where somebody else has changed it since it was seen.

        ``None`` where it is as it was, holds what is ``shown``, or cannot be read.
        """
        now = None if self.path is None else _content(self.path)
        return None if now in (None, self.seen, shown) else now

    def taken(self, text: str) -> Self:
        """The same where what it holds is known and counts as saved."""
        return replace(self, saved=text, seen=text)


def _content(path: Path) -> str | None:
    """The text of a file, or ``None`` where it cannot be read."""
    try:
        return read_text(path, MOST_SHEET_BYTES, "a sheet")
    except FileError:
        return None
