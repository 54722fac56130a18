"""Files that somebody sent, known by their content."""

from __future__ import annotations

import hashlib
from functools import lru_cache
from pathlib import Path
from typing import Final

from belltone.files import FileError, read_bytes

__all__ = ["MOST_BYTES", "file_digest"]

MOST_BYTES: Final = 200_000_000  # some two million faces as text; far more than can be solved


def file_digest(path: Path) -> str:
    """A hash of a file's content; raises ``FileError`` where it cannot be read."""
    try:
        state = path.stat()
    except OSError as error:
        raise FileError(f"“{path}” cannot be read: {error.strerror}") from error
    except ValueError as error:
        raise FileError(f"“{path}” cannot name a file: {error}") from error
    return _digest(path, state.st_mtime_ns, state.st_size)


@lru_cache(maxsize=64)
def _digest(path: Path, _changed: int, _size: int) -> str:
    return hashlib.sha256(read_bytes(path, MOST_BYTES, "a received part")).hexdigest()
