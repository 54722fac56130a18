"""The designs a model is made of: read, projected, and solved where that is needed."""

from __future__ import annotations

import contextlib
import itertools
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import Design
from belltone.errors import UserError
from belltone.mesh.discretisation import Discretisation
from belltone.modes.describe import kinds_of
from belltone.modes.failure import PointFailure, failure_of
from belltone.modes.level import Level
from belltone.modes.request import ModeRequest
from belltone.modes.solution import Solution, solved
from belltone.progress import Progress
from belltone.reading.family import DesignFamily
from belltone.reduce.model import Anchor, Gap, Piece, Place, ReducedModel
from belltone.reduce.sample import Sample, mesh_of
from belltone.system.assembly import bodies_of
from belltone.system.pattern import Structure

__all__ = ["DEFAULT_BOUND", "Anchored", "Designs", "Span", "UnmodelledError"]

Array = NDArray[np.float64]

DEFAULT_BOUND: Final = 1e-3
"""How far a model's frequencies may be from exact ones, relative."""

_GUARDS: Final = 8  # modes solved beyond those asked for; errors are fifty times larger without


class UnmodelledError(UserError):
    """Knobs no model can be made of."""


@dataclass(frozen=True)
class Span:
    """What a model is to be made of: a family between two places of some ``knobs`` (base units).

    All else is as ``turned``. Raises `UnmodelledError` where no model can be made of it.
    """

    family: DesignFamily
    turned: Mapping[str, float]
    knobs: tuple[str, ...]
    low: Place
    high: Place
    request: ModeRequest
    discretisation: Discretisation
    bound: float

    def __post_init__(self) -> None:
        if self.request.above is not None:
            raise UnmodelledError("a model knows the lowest modes, not those above a frequency")
        for knob in self.knobs:
            if self.family.counts(knob, self.turned):
                raise UnmodelledError(
                    f"“{knob}” is a number of things, and there is no design between whole numbers"
                )

    @cached_property
    def present(self) -> Place:
        """Where the knobs stand in the design as turned."""
        knobs = self.family.at(self.turned).knobs
        return tuple(knobs[name].base for name in self.knobs)

    def design(self, place: Place) -> Design:
        """The design at a place; raises ``UserError`` where there is none.

        One that spins is seen from axes that turn with it, in which its modes hang smoothly on the
        knobs; what is seen from the ground is made of those (`Piece`).
        """
        found = self.family.at({**self.turned, **dict(zip(self.knobs, place, strict=True))})
        preload = found.preload
        if preload is None or preload.spin is None or not preload.spin.from_ground:
            return found
        spin = replace(preload.spin, from_ground=False)
        return replace(found, preload=replace(preload, spin=spin))

    @cached_property
    def from_ground(self) -> bool:
        """Whether frequencies are those of a spin seen from outside."""
        preload = self.family.at(self.turned).preload
        spin = None if preload is None else preload.spin
        return spin is not None and spin.gyroscopic and spin.from_ground

    @cached_property
    def sought(self) -> ModeRequest:
        """The modes a model is made of.

        Those asked for as they are seen from the ground are looked for, as in an exact solution,
        among twice as many in turning axes, and up to where the spin may bring them down from.
        """
        if not self.from_ground:
            return self.request
        up_to = self.request.up_to
        if up_to is not None:
            up_to += self._turning / (2 * math.pi)
        return replace(self.request, count=2 * self.request.count, up_to=up_to)

    @property
    def _turning(self) -> float:
        """The fastest spin (rad/s) at the corners."""
        speeds = [0.0]
        for corner in itertools.product(*zip(self.low, self.high, strict=True)):
            with contextlib.suppress(UserError):
                preload = self.design(corner).preload
                speeds.append(0.0 if preload is None else abs(preload.turning))
        return max(speeds)


@dataclass(frozen=True, eq=False)
class Anchored:
    """Node motions (unknowns, k) of the modes of a design, guard modes too, and what they are."""

    motions: Array
    anchor: Anchor


class Designs:
    """Designs of one span, each read, assembled and solved no more often than needed.

    ``unstable`` tells whether designs a load has buckled are looked at too; they have no modes to
    be solved for. ``known`` is a solution where the knobs stand at present, if there is one.
    """

    def __init__(
        self, span: Span, known: Solution | None, progress: Progress, unstable: bool = False
    ) -> None:
        self.span, self._progress, self._unstable = span, progress, unstable
        self.failures: dict[Place, PointFailure] = {}
        self.solved: dict[Place, Anchored] = {}
        self.solutions = 0  # solved exactly
        self.tried = 0  # looked at, solved or not
        self._sorts: dict[Place, object] = {}
        self._structures: dict[Discretisation, Structure] = {}
        self._near: Level | None = None
        self._last: Sample | None = None
        # Seen from the ground, shapes may go the other way.
        known = None if span.from_ground else known
        self._known = known
        if known is not None:
            self._structures = known.level.structures
            self._take(span.present, known)

    def sample(self, place: Place) -> Sample | None:
        """A design as projections need it, or nothing where there is no answer."""
        if self._last is not None and self._last.place == place:
            return self._last
        if place in self.failures:
            return None
        self.tried += 1
        try:
            return self._keep(Sample(place, self.level(place)))
        except UserError as error:
            self.failures[place] = failure_of(error)
            self._sorts[place] = None
            return None

    def sort(self, place: Place, loaded: bool) -> object:
        """What is the same within one piece: the mesh, or that there is no answer.

        Where it is ``loaded``, whether there is an answer is found by looking.
        """
        if place not in self._sorts:
            design: Design | None = None
            with contextlib.suppress(UserError):
                design = self.span.design(place)
            if design is None or (loaded and design.preload is not None):
                self.sample(place)
            else:
                self._progress.check()
                own = self._structures.get(self.span.discretisation)
                kept = None if own is None else own.meshes
                self._sorts[place] = mesh_of(bodies_of(design, self.span.discretisation, kept))
        return self._sorts[place]

    def level(self, place: Place) -> Level:
        """A design with its matrices; raises ``UserError`` where it has no answer."""
        self._progress.check()
        span = self.span
        level = Level(
            span.design(place), span.discretisation, self._progress, self._structures, self._near
        )
        if level.state is not None:
            if not level.whirls and not self._unstable:
                level.factor(span.sought)  # tells whether the state is stable
            if level.state.pose is not None:
                self._near = level
        return level

    def solve(self, place: Place, guess: Array | None) -> Sample:
        """Solve a design exactly, from a guess of its modes by what is free."""
        level = self.level(place)
        asked = replace(self.span.sought, count=self.span.sought.count + _GUARDS)
        start = None
        if guess is not None:
            everything = slice(0, guess.shape[1])
            start = Solution(
                level=level,
                vectors=guess,
                all_frequencies=np.empty(0),
                kept=everything,
                proven=False,
            )
        self.solutions += 1
        return self._take(place, solved(level, asked, start))

    def model(self, pieces: Sequence[Piece | Gap]) -> ReducedModel:
        """The model of what is made so far, in the order of its values."""
        span = self.span
        return ReducedModel(
            knobs=span.knobs,
            low=span.low,
            high=span.high,
            bound=span.bound,
            request=span.request,
            discretisation=span.discretisation,
            pieces=tuple(sorted(map(self._seen, pieces), key=lambda piece: piece.low)),
            solutions=self.solutions,
        )

    def _seen(self, piece: Piece | Gap) -> Piece | Gap:
        if isinstance(piece, Gap):
            return piece
        return replace(piece, from_ground=self.span.from_ground)

    def reference(self, places: Sequence[Place], low: Place, high: Place) -> Level:
        """The design shapes are read at: as it stands, or that in the middle of those solved."""
        if self.span.present in places:
            return self.level(self.span.present) if self._known is None else self._known.level
        width = np.subtract(high, low)

        def away(place: Place) -> float:
            return float(np.linalg.norm((np.subtract(place, low) / width) - 0.5))

        return self.level(min(places, key=away))

    def _take(self, place: Place, solution: Solution) -> Sample:
        vectors = solution.vectors
        if solution.lagging is not None:
            vectors = np.hstack([vectors, solution.lagging])
        motions = np.asarray(solution.level.system.free.basis @ vectors)
        anchor = Anchor(place, solution.signatures, kinds_of(solution), solution.waves)
        self.solved[place] = Anchored(motions, anchor)
        return self._keep(Sample(place, solution.level))

    def _keep(self, sample: Sample) -> Sample:
        self._last = sample
        self._sorts[sample.place] = sample.mesh
        return sample
