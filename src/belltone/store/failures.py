"""Errors inside the program: written to a log in full, told to the user in one line."""

from __future__ import annotations

import logging
from pathlib import Path

import platformdirs

__all__ = ["record_failure"]


def record_failure(error: BaseException) -> str:
    """Write the traceback to the log; returns what to tell the user."""
    path = Path(platformdirs.user_state_dir("belltone")) / "failures.log"
    summary = f"an error inside the program ({type(error).__name__}: {error})"
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handler = logging.FileHandler(path, encoding="utf-8")
    except OSError:
        return summary
    handler.setFormatter(logging.Formatter("%(asctime)s %(message)s"))
    record = logging.LogRecord(
        "belltone", logging.ERROR, __file__, 0, "%s", (summary,),
        (type(error), error, error.__traceback__),
    )  # fmt: skip
    handler.emit(record)
    handler.close()
    return f"{summary}; details are in {path}"
