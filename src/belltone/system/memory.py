"""How much memory there is, so that what cannot be done is said before it is tried."""

from __future__ import annotations

import resource
from contextlib import suppress
from pathlib import Path
from typing import Final

from belltone.errors import UserError

__all__ = ["TooLargeError", "free_memory"]

_GROUP: Final = Path("/sys/fs/cgroup")


class TooLargeError(UserError):
    """A piece of work that needs more memory than there is, in words for the user."""

    def __init__(self, what: str, needed: float, free: float) -> None:
        super().__init__(
            f"{what} needs {needed / 1e9:.2g} GB of memory, and {max(free, 0.0) / 1e9:.2g} GB are "
            "free; ask for a looser accuracy or fewer modes, or let fewer programs run beside"
        )


def free_memory() -> float:
    """Bytes a process may still take: of the machine, of its group and of its own limit."""
    found = [float("inf")]
    with suppress(OSError, ValueError, IndexError):
        text = Path("/proc/meminfo").read_text(encoding="ascii")
        line = next(row for row in text.splitlines() if row.startswith("MemAvailable"))
        found.append(float(line.split()[1]) * 1024)
    with suppress(OSError, ValueError):
        most = (_GROUP / "memory.max").read_text(encoding="ascii").strip()
        if most != "max":
            now = (_GROUP / "memory.current").read_text(encoding="ascii")
            found.append(float(most) - float(now))
    own, _ = resource.getrlimit(resource.RLIMIT_AS)
    if own != resource.RLIM_INFINITY:
        with suppress(OSError, ValueError, IndexError):
            pages = int(Path("/proc/self/statm").read_text(encoding="ascii").split()[0])
            found.append(float(own) - pages * resource.getpagesize())
    return min(found)
