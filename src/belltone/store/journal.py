"""Unsaved edits on disk, so that a crash or a kill loses nothing that was typed."""

from __future__ import annotations

import json
import os
import uuid
from dataclasses import dataclass
from pathlib import Path

import platformdirs

from belltone.sheet.document import write_text

__all__ = ["Journal", "Unsaved", "abandoned"]


@dataclass(frozen=True)
class Unsaved:
    """Work left behind by a program that ended without saving or discarding it."""

    file: Path
    sheet_path: Path | None
    text: str

    def discard(self) -> None:
        """Forget it."""
        self.file.unlink(missing_ok=True)


class Journal:
    """The unsaved text of one open sheet."""

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = folder or journal_folder()
        self._file = self._folder / f"{os.getpid()}-{uuid.uuid4().hex[:8]}.json"

    def record(self, sheet_path: Path | None, text: str) -> None:
        """Keep the text, replacing what was kept before."""
        self._folder.mkdir(parents=True, exist_ok=True)
        data = {"pid": os.getpid(), "sheet": str(sheet_path) if sheet_path else None, "text": text}
        write_text(json.dumps(data), self._file)

    def clear(self) -> None:
        """Forget it: the text is saved or was given up."""
        self._file.unlink(missing_ok=True)


def journal_folder() -> Path:
    """Where journals are kept."""
    return Path(platformdirs.user_state_dir("belltone")) / "unsaved"


def abandoned(folder: Path | None = None) -> list[Unsaved]:
    """Return the journals whose program is gone, oldest first."""
    found: list[tuple[float, Unsaved]] = []
    for file in (folder or journal_folder()).glob("*.json"):
        try:
            data = json.loads(file.read_text(encoding="utf-8"))
            if _alive(int(data["pid"])):
                continue
            sheet = Path(data["sheet"]) if data["sheet"] else None
            found.append((file.stat().st_mtime, Unsaved(file, sheet, str(data["text"]))))
        except (OSError, ValueError, KeyError, TypeError):
            continue  # a journal cut short by a full disk has nothing to offer
    return [unsaved for _, unsaved in sorted(found, key=lambda entry: entry[0])]


def _alive(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True
