"""Unsaved edits on disk, so that a crash or a kill loses nothing that was typed."""

from __future__ import annotations

import contextlib
import json
import os
import uuid
from dataclasses import dataclass
from pathlib import Path

import platformdirs

from belltone.files import write_text

__all__ = ["Journal", "Unsaved", "abandoned"]


@dataclass(frozen=True)
class Unsaved:
    """Work left behind by a program that ended without saving or discarding it."""

    file: Path
    sheet_path: Path | None
    text: str
    variants: str = ""
    when: float = 0.0  # when it was kept, in seconds since the epoch

    def discard(self) -> None:
        """Forget it."""
        with contextlib.suppress(OSError):
            self.file.unlink(missing_ok=True)


class Journal:
    """The unsaved text of one open sheet, and the variants of one that has no file yet."""

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = folder or journal_folder()
        self._file = self._folder / f"{os.getpid()}-{uuid.uuid4().hex[:8]}.json"

    def record(self, sheet_path: Path | None, text: str, variants: str = "") -> None:
        """Keep the text, and ``variants`` as their file holds them, instead of those before."""
        self._folder.mkdir(parents=True, exist_ok=True)
        own = os.getpid()
        data = {
            "pid": own,
            "started": _started(own),
            "sheet": str(sheet_path) if sheet_path else None,
            "text": text,
            "variants": variants,
        }
        write_text(json.dumps(data), self._file)

    def clear(self) -> None:
        """Forget it: the text is saved or was given up."""
        with contextlib.suppress(OSError):
            self._file.unlink(missing_ok=True)


def journal_folder() -> Path:
    """Where journals are kept."""
    return Path(platformdirs.user_state_dir("belltone")) / "unsaved"


def abandoned(folder: Path | None = None) -> list[Unsaved]:
    """Return the journals whose program is gone, oldest first."""
    found: list[tuple[float, Unsaved]] = []
    try:
        files = list((folder or journal_folder()).glob("*.json"))
    except OSError:
        return []
    for file in files:
        try:
            data = json.loads(file.read_text(encoding="utf-8"))
            if _alive(int(data["pid"]), data.get("started")):
                continue
            sheet = Path(data["sheet"]) if data["sheet"] else None
            when = file.stat().st_mtime
            unsaved = Unsaved(file, sheet, str(data["text"]), str(data.get("variants", "")), when)
            found.append((when, unsaved))
        except (OSError, ValueError, KeyError, TypeError):
            continue  # a journal cut short by a full disk has nothing to offer
    return [unsaved for _, unsaved in sorted(found, key=lambda entry: entry[0])]


def _alive(pid: int, started: int | None) -> bool:
    """Whether the process that wrote is still there, and not another with its number."""
    try:
        os.kill(pid, 0)
    except (ProcessLookupError, OverflowError):
        return False
    except PermissionError:
        pass  # it is somebody else's, and may be one with its number
    now = _started(pid)
    return pid > 0 and (started is None or now is None or now == started)


def _started(pid: int) -> int | None:
    """When a process began, in clock ticks since the machine did; ``None`` where nobody can say."""
    try:
        status = Path(f"/proc/{pid}/stat").read_text(encoding="utf-8", errors="replace")
        # Counted behind the name, which may hold spaces and brackets.
        return int(status.rpartition(")")[2].split()[19])
    except (OSError, ValueError, IndexError):
        return None
