"""Where designs are solved: processes of this machine, or the workers of a scheduler."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator
from concurrent.futures import Executor, ProcessPoolExecutor

from belltone.sheet.document import Sheet
from belltone.sweep.cluster import cluster_workers
from belltone.sweep.pool import start_workers

__all__ = ["Workplace"]


class Workplace:
    """A pool of processes, started at first use and again after a loss, and a scheduler if told."""

    def __init__(self) -> None:
        self._pool: ProcessPoolExecutor | None = None
        self.count = os.cpu_count() or 1
        self.scheduler = ""

    @property
    def words(self) -> str:
        """Who solves, in words."""
        if self.scheduler:
            return f"workers of {self.scheduler}"
        return f"{self.count} process{'es' * (self.count != 1)} here"

    def employ(self, count: int, scheduler: str = "") -> None:
        """Have so many processes solve, or the workers of a scheduler at an address."""
        if count != self.count:
            self.close()
        self.count, self.scheduler = count, scheduler

    def pool(self) -> ProcessPoolExecutor:
        """The processes of this machine."""
        if self._pool is None or getattr(self._pool, "_broken", False):
            self._pool = start_workers(self.count)
        return self._pool

    def executor(self, sheet: Sheet) -> contextlib.AbstractContextManager[Executor]:
        """Who solves designs of a sheet; enter it where they are waited for.

        Entering it raises `SweepError` where no scheduler answers.
        """
        if self.scheduler:
            return cluster_workers(self.scheduler, sheet)
        return _kept(self.pool())

    def close(self) -> None:
        """Let the processes go."""
        if self._pool is not None:
            self._pool.shutdown(wait=True, cancel_futures=True)
            self._pool = None


@contextlib.contextmanager
def _kept(pool: ProcessPoolExecutor) -> Iterator[Executor]:
    yield pool
