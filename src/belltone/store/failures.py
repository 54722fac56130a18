"""Errors inside the program: written to a log in full, told to the user in one line."""

from __future__ import annotations

import logging
import sys
import traceback
from datetime import datetime
from pathlib import Path

import platformdirs

from belltone import __version__
from belltone.errors import UserError

__all__ = ["error_words", "fault_of", "fault_words", "write_log"]

_LOG = logging.getLogger("belltone")


def write_log(path: Path) -> None:
    """From now on write down what the program does, behind what the file holds already.

    Raises ``OSError`` where it cannot be written.
    """
    handler = logging.FileHandler(path, encoding="utf-8")
    handler.setFormatter(logging.Formatter("%(asctime)s %(message)s"))
    _LOG.addHandler(handler)
    _LOG.setLevel(logging.INFO)
    _LOG.info("belltone %s, Python %s: %s", __version__, sys.version.split()[0], sys.argv[1:])


def error_words(error: BaseException) -> str:
    """What to tell the user of an error; one that is a fault of the program goes to the log."""
    return str(error) if isinstance(error, UserError) else fault_words(*fault_of(error))


def fault_of(error: BaseException) -> tuple[str, str]:
    """A line on a fault of the program, and its traceback."""
    summary = f"an error inside the program ({type(error).__name__}: {error})"
    return summary, "".join(traceback.format_exception(error))


def fault_words(summary: str, trace: str) -> str:
    """Write a fault to the log; returns what to tell the user."""
    _LOG.info("%s\n%s", summary, trace)
    path = Path(platformdirs.user_state_dir("belltone")) / "failures.log"
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with path.open("a", encoding="utf-8") as log:
            log.write(f"{datetime.now().isoformat(' ', 'seconds')} {summary}\n{trace}")
    except OSError:
        return summary
    return f"{summary}; details are in {path}"
