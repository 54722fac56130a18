"""Where designs are solved: processes of this machine, or the workers of a scheduler."""

from __future__ import annotations

import contextlib
import os
import threading
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import Executor, ProcessPoolExecutor

from belltone.sheet.document import Sheet
from belltone.sweep.cluster import cluster_workers
from belltone.sweep.pool import start_workers

__all__ = ["Workplace"]


class Workplace:
    """A pool of processes, started at first use and again after a loss, and a scheduler if told.

    Work under way keeps the pool it began with; the last to leave one that was replaced ends it.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._pool: ProcessPoolExecutor | None = None
        self._users: Counter[ProcessPoolExecutor] = Counter()
        self._endings: list[threading.Thread] = []
        self.count = os.cpu_count() or 1
        self.scheduler = ""

    @property
    def words(self) -> str:
        """Who solves, in words."""
        if self.scheduler:
            return f"workers of {self.scheduler}"
        return f"{self.count} process{'es' * (self.count != 1)} here"

    def employ(self, count: int, scheduler: str = "") -> None:
        """From now on have so many processes solve, or the workers of a scheduler at an address."""
        if count != self.count:
            with self._lock:
                before, self._pool, self.count = self._pool, None, count
            self._leave(before)
        self.scheduler = scheduler

    @contextlib.contextmanager
    def processes(self) -> Iterator[ProcessPoolExecutor]:
        """The processes of this machine; enter it where they are waited for."""
        with self._lock:
            if self._pool is None or getattr(self._pool, "_broken", False):
                self._pool = start_workers(self.count)
            pool = self._pool
            self._users[pool] += 1
        try:
            yield pool
        finally:
            with self._lock:
                self._users[pool] -= 1
            self._leave(pool)

    def _leave(self, pool: ProcessPoolExecutor | None) -> None:
        """End a pool that was replaced and that nobody works with any more, beside other work."""
        with self._lock:
            if pool is None or pool is self._pool or self._users[pool]:
                return
            del self._users[pool]
            self._endings.append(threading.Thread(target=pool.shutdown))
            self._endings[-1].start()

    def executor(self, sheet: Sheet) -> contextlib.AbstractContextManager[Executor]:
        """Who solves designs of a sheet; enter it where they are waited for.

        Entering it raises `SweepError` where no scheduler answers.
        """
        if self.scheduler:
            return cluster_workers(self.scheduler, sheet)
        return self.processes()

    def close(self) -> None:
        """Let the processes go, once all work with them was stopped."""
        if self._pool is not None:
            self._pool.shutdown(wait=True, cancel_futures=True)
            self._pool = None
        for ending in self._endings:
            ending.join()
