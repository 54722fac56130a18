"""Points of a sweep: asked of workers, known ones read from the store, new ones kept there."""

from __future__ import annotations

from collections.abc import Collection, Hashable, Mapping
from concurrent.futures import FIRST_COMPLETED, BrokenExecutor, Executor, Future, wait
from dataclasses import dataclass
from typing import Generic, TypeVar

import numpy as np

from belltone.mesh.discretisation import Discretisation
from belltone.modes.failure import PointFailure
from belltone.modes.modeset import ModeSet, Spectrum
from belltone.modes.request import ModeRequest
from belltone.progress import Progress
from belltone.sheet.document import Sheet
from belltone.store.results import ResultStore, result_key
from belltone.sweep.pool import LOST_WORKER, POLL_SECONDS, SweepError
from belltone.sweep.work import solve_point

__all__ = ["Point", "Points"]

K = TypeVar("K", bound=Hashable)


@dataclass(frozen=True)
class Point:
    """One design to be solved: a sheet, the numbers its knobs are turned to, and what is asked.

    ``turned`` are base units, ``settings`` the same as text, as the store knows it. Without a
    ``discretisation`` one is found by the accuracy asked for.
    """

    sheet: Sheet
    turned: Mapping[str, float]
    settings: Mapping[str, str]
    request: ModeRequest
    discretisation: Discretisation | None

    @property
    def key(self) -> str:
        """What the store keeps its answer under."""
        return result_key(self.sheet, self.settings, self.request, self.discretisation)


class Points(Generic[K]):
    """The answers of some points, by whatever they are called; lives for one sweep.

    ``solutions`` is how many were solved, and not known before.
    """

    def __init__(self, workers: Executor, store: ResultStore | None, progress: Progress) -> None:
        self._workers, self._store, self._progress = workers, store, progress
        self.answers: dict[K, Spectrum | PointFailure] = {}
        self.solutions = 0

    def solve(self, points: Mapping[K, Point], looked_at: Collection[K] = ()) -> None:
        """Solve the points not known yet, and tell the errors at some.

        Each is kept as it finishes. Raises `SweepError` where a worker is lost, and ``Cancelled``.
        """
        pending: dict[Future[ModeSet | PointFailure], tuple[K, str]] = {}
        total = len(self.answers)
        try:
            for name, point in points.items():
                if name in self.answers:
                    continue
                total += 1
                key, told = point.key, name in looked_at
                stored = self._store.get(key) if self._store is not None else None
                if stored is not None and not (told and np.isnan(stored.errors).any()):
                    self.answers[name] = stored
                    continue
                future = self._workers.submit(
                    solve_point,
                    point.sheet.text,
                    point.turned,
                    point.request,
                    point.discretisation,
                    point.sheet.folder,
                    told,
                )
                pending[future] = name, key
            self._progress.report(len(self.answers), total, "sweep")
            while pending:
                done, _ = wait(pending, timeout=POLL_SECONDS, return_when=FIRST_COMPLETED)
                for future in done:
                    self._keep(*pending.pop(future), future.result())
                self._progress.report(len(self.answers), total, "sweep")
        except BrokenExecutor as error:
            raise SweepError(LOST_WORKER) from error
        finally:
            for future in pending:
                future.cancel()

    def _keep(self, name: K, key: str, answer: ModeSet | PointFailure) -> None:
        self.solutions += 1
        self.answers[name] = answer
        if self._store is not None and not isinstance(answer, PointFailure):
            self._store.put(key, answer)
