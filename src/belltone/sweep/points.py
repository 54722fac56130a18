"""Points of a sweep: asked of workers, known ones read from the store, new ones kept there."""

from __future__ import annotations

from collections.abc import Collection, Hashable, Mapping
from concurrent.futures import FIRST_COMPLETED, BrokenExecutor, Executor, Future, wait
from dataclasses import dataclass
from typing import Any, Final, Generic, TypeVar

import numpy as np
from numpy.typing import NDArray

from belltone.mesh.discretisation import Discretisation
from belltone.modes.failure import PointFailure
from belltone.modes.modeset import ModeSet, Spectrum
from belltone.modes.request import ModeRequest
from belltone.progress import Progress
from belltone.sheet.document import Sheet
from belltone.store.results import ResultStore, result_key
from belltone.sweep.pool import LOST_WORKER, POLL_SECONDS, SweepError
from belltone.sweep.stopping import give_up
from belltone.sweep.work import Turned, solve_onward, solve_point

__all__ = ["Point", "Points"]

K = TypeVar("K", bound=Hashable)
Array = NDArray[np.float64]

_SEED: Final = 1  # of the order in which points with large deflections follow one another


@dataclass(frozen=True)
class Point:
    """One design to be solved: a sheet, the numbers its knobs are turned to, and what is asked.

    ``turned`` are base units, ``settings`` the same as text, as the store knows it. Without a
    ``discretisation`` one is found by the accuracy asked for. Its modes are begun from those of
    the design ``like`` it.
    """

    sheet: Sheet
    turned: Turned
    settings: Mapping[str, str]
    request: ModeRequest
    discretisation: Discretisation | None
    like: Turned | None = None

    @property
    def key(self) -> str:
        """What the store keeps its answer under."""
        return result_key(self.sheet, self.settings, self.request, self.discretisation)


class Points(Generic[K]):
    """The answers of some points, by whatever they are called; lives for one sweep.

    Where they follow ``onward``, each large deflection is begun from the state of another point,
    by an order that is a matter of the points alone: who solves what, and when, changes no digit.
    ``solutions`` is how many were solved, and not known before.
    """

    def __init__(
        self,
        workers: Executor,
        store: ResultStore | None,
        progress: Progress,
        onward: bool = False,
    ) -> None:
        self._workers, self._store, self._progress = workers, store, progress
        self._onward = onward
        self._states: dict[K, tuple[Turned, Array | None]] = {}
        self.answers: dict[K, Spectrum | PointFailure] = {}
        self.solutions = 0

    def solve(self, points: Mapping[K, Point], looked_at: Collection[K] = ()) -> None:
        """Solve the points not known yet, and tell the errors at some.

        Each is kept as it finishes. Raises `SweepError` where a worker is lost, and ``Cancelled``.
        """
        lacking: dict[K, Point] = {}
        for name, point in points.items():
            if name in self.answers:
                continue
            stored = self._store.get(point.key) if self._store is not None else None
            if stored is not None and not (name in looked_at and np.isnan(stored.errors).any()):
                self.answers[name] = stored
            else:
                lacking[name] = point
        total = len(self.answers) + len(lacking)
        before = self._followed(lacking) if self._onward else {}
        followers: dict[K, list[K]] = {}
        for name, other in before.items():
            followers.setdefault(other, []).append(name)
        pending: dict[Future[Any], K] = {}

        def ask(name: K) -> None:
            point, told = lacking[name], name in looked_at
            asked = point.sheet.text, point.turned, point.request, point.discretisation
            more = point.sheet.folder, told
            if self._onward:
                begun = self._states[before[name]][1] if name in before else None
                future: Future[Any] = self._workers.submit(solve_onward, *asked, *more, begun)
            else:
                future = self._workers.submit(solve_point, *asked, *more, point.like)
            pending[future] = name

        try:
            for name in lacking:
                if name not in before or before[name] in self._states:
                    ask(name)
            self._progress.report(len(self.answers), total, "sweep")
            while pending:
                done, _ = wait(pending, timeout=POLL_SECONDS, return_when=FIRST_COMPLETED)
                for future in done:
                    name, answer = pending.pop(future), future.result()
                    if self._onward:
                        answer, state = answer
                        self._states[name] = lacking[name].turned, state
                        for follower in followers.get(name, ()):
                            ask(follower)
                        if name not in looked_at:
                            del self._states[name]
                    self._keep(name, lacking[name].key, answer)
                self._progress.report(len(self.answers), total, "sweep")
        except BrokenExecutor as error:
            raise SweepError(LOST_WORKER) from error
        finally:
            give_up(pending)

    def _followed(self, points: Mapping[K, Point]) -> dict[K, K]:
        """The point each one is begun from: the nearest of those known and those before it.

        They go in an order that spreads them first, so that many can be solved side by side.
        """
        names = list(points)
        mixed = [names[at] for at in np.random.default_rng(_SEED).permutation(len(names))]
        # In the order of their values: which of them was ready first is chance.
        known = sorted(self._states, key=lambda name: sorted(self._states[name][0].items()))
        ordered = [*known, *mixed]
        places = [self._states[name][0] for name in known]
        places += [points[name].turned for name in mixed]
        if len(ordered) < 2:
            return {}
        knobs = sorted(places[0])
        at = np.array([[place[knob] for knob in knobs] for place in places])
        widths = np.ptp(at, axis=0)
        at = at / np.where(widths > 0, widths, 1.0)
        found = {}
        for number in range(max(1, len(self._states)), len(ordered)):
            away = np.linalg.norm(at[:number] - at[number], axis=1)
            found[ordered[number]] = ordered[int(np.argmin(away))]
        return found

    def _keep(self, name: K, key: str, answer: ModeSet | PointFailure) -> None:
        self.solutions += 1
        self.answers[name] = answer
        if self._store is not None and not isinstance(answer, PointFailure):
            self._store.put(key, answer)
