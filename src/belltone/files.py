"""Files on disk: read only what is a file of a sensible size, written whole or not at all."""

from __future__ import annotations

import logging
import os
import stat
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Final

from belltone.errors import UserError

__all__ = [
    "MOST_SHEET_BYTES",
    "FileError",
    "read_bytes",
    "read_text",
    "same_file",
    "write_bytes",
    "write_text",
    "writing",
]

_LOG = logging.getLogger("belltone")

_BOM: Final = b"\xef\xbb\xbf"
MOST_SHEET_BYTES: Final = 5_000_000
"""A sheet is written by hand; a far larger file is of another kind."""


class FileError(UserError):
    """A file that cannot be read or written, in words for the user."""


def read_bytes(path: Path, most: int, what: str) -> bytes:
    """The content of a regular file of at most ``most`` bytes; raises `FileError`.

    Pipes and devices may never end, so they are not read.
    """
    try:
        state = path.stat()
        if not stat.S_ISREG(state.st_mode):
            kind = "a folder" if stat.S_ISDIR(state.st_mode) else "a pipe or a device"
            raise FileError(f"“{path}” is {kind}, where {what} is needed, which is a file")
        if state.st_size > most:
            raise FileError(
                f"“{path}” is too large for {what}: {state.st_size / 1e6:.0f} MB, where at most "
                f"{most / 1e6:.0f} MB are read"
            )
        return path.read_bytes()
    except OSError as error:
        reason = error.strerror or "unknown reason"
        raise FileError(f"“{path}” cannot be read: {reason}") from error
    except ValueError as error:
        raise FileError(f"“{path}” cannot name a file: {error}") from error


def read_text(path: Path, most: int, what: str) -> str:
    """A text file in UTF-8, lines ended by a line feed alone; raises `FileError`."""
    try:
        return read_bytes(path, most, what).decode("utf-8-sig").replace("\r\n", "\n")
    except UnicodeDecodeError as error:
        raise FileError(f"“{path}” is not a text file in UTF-8") from error


def same_file(one: Path, two: Path) -> bool:
    """Whether two paths lead to one file, through links too."""
    try:
        return one.samefile(two)
    except (OSError, ValueError):
        return False


def write_text(text: str, path: Path) -> None:
    """Write a text file as `write_bytes` does.

    Of a file that is replaced, the way its lines end and its byte order mark are kept.
    """
    target = path.resolve()
    write_bytes(_in_form_of(target, text) if target.is_file() else text.encode(), path)


def write_bytes(data: bytes, path: Path) -> None:
    """Write a file as `writing` does. Raises ``OSError``."""
    with writing(path) as place:
        place.write_bytes(data)


@contextmanager
def writing(path: Path) -> Iterator[Path]:
    """A place to write to; what stands there at the end becomes the file, whole or not at all.

    A crash, a stop or an error leaves the old file or the new one, never half of one. Of a file
    that is replaced, the permissions are kept; a link is followed, and a file with several names
    keeps them all. A pipe or a device is written to, never replaced. Raises ``OSError``.
    """
    target = path.resolve()
    device = target.exists() and not target.is_file() and not target.is_dir()
    if not device and not target.parent.is_dir():
        raise FileNotFoundError(2, f"there is no folder “{target.parent}”", str(path))
    known = target.is_file()
    try:
        handle, name = tempfile.mkstemp(
            dir=None if device else target.parent, prefix=f".{target.stem}.", suffix=target.suffix
        )
        os.close(handle)
    except OSError as error:
        raise OSError(error.errno, error.strerror, str(path)) from error
    place = Path(name)
    try:
        yield place
        with place.open("rb") as stream:
            os.fsync(stream.fileno())
        if device:
            target.write_bytes(place.read_bytes())
            place.unlink()
        elif known and target.stat().st_nlink > 1:
            # Renaming would part this name from the others; the copy is there until all is written.
            data = place.read_bytes()
            with target.open("r+b") as stream:
                _write_through(stream.fileno(), data)
                stream.truncate(len(data))
                os.fsync(stream.fileno())
            place.unlink()
        else:
            place.chmod(target.stat().st_mode & 0o7777 if known else 0o666 & ~_umask())
            place.replace(target)
    except BaseException as error:
        with suppress(OSError):
            place.unlink()
        if isinstance(error, OSError):
            raise OSError(error.errno, error.strerror, str(path)) from error
        raise
    _LOG.info("wrote %s", target)
    if device:
        return
    folder = os.open(target.parent, os.O_RDONLY)
    try:
        os.fsync(folder)
    finally:
        os.close(folder)


def _in_form_of(target: Path, text: str) -> bytes:
    """A text with the line ends and the byte order mark of a file."""
    with suppress(OSError):
        old = target.read_bytes()
        if 2 * old.count(b"\r\n") > old.count(b"\n"):
            text = text.replace("\n", "\r\n")
        return (_BOM if old.startswith(_BOM) else b"") + text.encode()
    return text.encode()


def _write_through(handle: int, data: bytes) -> None:
    """All bytes from the current place on, on the disk before this returns."""
    view = memoryview(data)
    while view:
        view = view[os.write(handle, view) :]
    os.fsync(handle)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
