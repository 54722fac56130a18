"""Files on disk: read only what is a file of a sensible size, written whole or not at all."""

from __future__ import annotations

import os
import stat
import tempfile
from contextlib import suppress
from pathlib import Path
from typing import Final

from belltone.errors import UserError

__all__ = ["FileError", "read_bytes", "read_text", "same_file", "write_bytes", "write_text"]

_BOM: Final = b"\xef\xbb\xbf"


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
    """Write a file so that a crash leaves the old file or the new one, never half of one.

    Of a file that is replaced, the permissions are kept; a link is followed, and a file with
    several names keeps them all. A pipe or a device is written to, never replaced. Raises
    ``OSError``.
    """
    target = path.resolve()
    if target.exists() and not target.is_file() and not target.is_dir():
        with target.open("wb") as stream:
            stream.write(data)
        return
    if not target.parent.is_dir():
        raise FileNotFoundError(2, f"there is no folder “{target.parent}”", str(path))
    known = target.is_file()
    try:
        handle, temporary = tempfile.mkstemp(dir=target.parent, prefix=f".{target.name}.")
    except OSError as error:
        raise OSError(error.errno, error.strerror, str(path)) from error
    try:
        with os.fdopen(handle, "wb") as stream:
            _write_through(stream.fileno(), data)
        if known and target.stat().st_nlink > 1:
            # Renaming would part this name from the others; the copy is there until all is written.
            with target.open("r+b") as stream:
                _write_through(stream.fileno(), data)
                stream.truncate(len(data))
                os.fsync(stream.fileno())
            os.unlink(temporary)
        else:
            mode = target.stat().st_mode & 0o7777 if known else 0o666 & ~_umask()
            os.chmod(temporary, mode)
            os.replace(temporary, target)
    except BaseException as error:
        with suppress(OSError):
            os.unlink(temporary)
        if isinstance(error, OSError):
            raise OSError(error.errno, error.strerror, str(path)) from error
        raise
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
