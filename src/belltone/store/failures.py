"""Errors inside the program: written to a log in full, told to the user in one line."""

from __future__ import annotations

import traceback
from datetime import datetime
from pathlib import Path

import platformdirs

__all__ = ["record_failure"]


def record_failure(error: BaseException) -> str:
    """Write the traceback to the log; returns what to tell the user."""
    path = Path(platformdirs.user_state_dir("belltone")) / "failures.log"
    summary = f"an error inside the program ({type(error).__name__}: {error})"
    trace = "".join(traceback.format_exception(error))
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with path.open("a", encoding="utf-8") as log:
            log.write(f"{datetime.now().isoformat(' ', 'seconds')} {summary}\n{trace}")
    except OSError:
        return summary
    return f"{summary}; details are in {path}"
