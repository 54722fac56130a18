"""A large deflection, found by following the load.

Newton's method on the exact tangent, in load steps that adapt; where the load
turns round (snap-through) the path is followed by arc length on the plane across its direction
(E. Riks, "An incremental approach to the solution of snapping and buckling problems", Int. J.
Solids Struct. 15 (1979) 529-551). The signs of the tangent's pivots tell stable states from others.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.preload import PreloadValue
from belltone.elements.directors import unturned
from belltone.progress import Progress
from belltone.system.assembly import Assembly, symmetric
from belltone.system.balance import BuckledError, Equilibrium, Grounded, LostPathError, with_swings
from belltone.system.bodies import Body
from belltone.system.elimination import FreeMotions
from belltone.system.factor import Factor, SingularShiftError
from belltone.system.loads import Loads
from belltone.system.pose import Pose

__all__ = ["LoadPath"]

Array = NDArray[np.float64]
Matrix = scipy.sparse.csc_matrix

_FIRST_STEP: Final = 0.2
_LEAST_STEP: Final = 1e-4
_MOST_ITERATIONS: Final = 12
_EASY: Final = 4  # iterations; after fewer the next step is longer
_BALANCED: Final = 1e-10  # residual against the forces that are in balance
_STILL: Final = 1e-7  # of the size; what is left after such a correction is its square
_NEARLY: Final = 1e-5  # the same, where the load goes on
_WILD: Final = 1.0  # of the size, or this angle in rad, within one iteration: the step is too long
_MOST_STEPS: Final = 400
_LEAP: Final = 4.0  # times the first push; a state farther away lies beyond a snap
_NOTHING: Final = 1e-5  # of the size; nothing has moved yet
_GROWTH: Final = 2.0  # times what there is already; a step that pushes farther is too long
_FAR: Final = 3.0  # times the load; the path has gone somewhere else
_NEAR: Final = 0.01  # of the size; while steps are short so little is no snap
_SOFTENED: Final = 3  # inverse iterations; by then little but what is softest is left
_SIDEWAYS: Final = 0.1  # of a move; less along what is softest says nothing of a branch
_SHORT: Final = 64 * _LEAST_STEP
_CLOSE: Final = 0.3  # of all it has moved; so near is the state that is known
_HALVINGS: Final = 12  # to find where a shape stops being stable


@dataclass
class LoadPath:
    """Follows the load of one preload; used once."""

    assembly: Assembly
    preload: PreloadValue
    progress: Progress
    steps: int | None = None
    residuals: list[list[float]] = field(default_factory=list)

    def __post_init__(self) -> None:
        self._loads = Loads(self.assembly, self.preload)
        self._made = self.assembly.system()
        self._springs, self._spring_stiffness = self.assembly.springs()
        self._history: list[tuple[float, int]] = []
        weights = np.tile([1.0, 1.0, 1.0, *([self.assembly.extent] * 3)], self.assembly.size // 6)
        self._weights = weights / self.assembly.extent

    def require_balance(self) -> None:
        """Raise `UnbalancedError` where the load carries off what nothing holds, as made."""
        if self._made.rigid.shape[1]:
            whole = self._forces(Pose.as_made(self.assembly.size // 6), 1.0)[0]
            Grounded(self._made, whole)

    def from_state(self, motions: Array) -> Equilibrium | None:
        """The balance close to node motions ``(nodes, 6)``; ``None`` where there is none."""
        start = Pose.as_made(self.assembly.size // 6).moved(motions.ravel())
        found = self._newton(start, 1.0)
        if found is None or not found.stable:
            return None
        went = float(np.linalg.norm(found.pose.displacements - start.displacements))
        far = float(np.linalg.norm(start.displacements))
        return self._settled(found, None) if went <= _CLOSE * far else None

    def followed(self) -> Equilibrium:
        """The state at the whole load."""
        start = Pose.as_made(self.assembly.size // 6)
        point = self._point(0.0, start)
        snapped: float | None = None
        step, before = (1 / self.steps if self.steps else _FIRST_STEP), None
        growth = 1.0 if self.steps else 1.5
        while point.fraction < 1.0:
            if len(self._history) > _MOST_STEPS:
                raise self._stuck(point)
            self._tell(point.fraction)
            aim = min(1.0, point.fraction + step)
            found = self._at_load(point, aim)
            if found is not None and found.stable:
                before, point = point, found
                step *= growth if self._history[-1][1] <= _EASY else 1.0
                continue
            if step > _SHORT:
                step *= 0.4
                continue
            turned = None if before is None else self._around(before, point)
            if turned is None:
                if found is not None:
                    raise BuckledError(self._lost(point, found))
                raise self._stuck(point)
            if turned[0] is not None:
                snapped = max(snapped or 0.0, turned[0])
            before, point, step = point, turned[1], 2 * _SHORT
            if point.fraction > 1.0:
                back = self._newton(point.pose, 1.0)
                if back is None:
                    raise self._stuck(point)
                point = back
        return self._settled(point, snapped)

    def _tell(self, fraction: float) -> None:
        percent = int(100 * fraction)
        self.progress.report(percent, 100, f"{percent} % of the preload")

    def _stuck(self, point: _Point) -> LostPathError:
        return LostPathError(
            f"the preload could be followed to {100 * point.fraction:.4g} % and no further: no "
            "state in balance was found beyond; ask for a smaller “scale”, or look at what moves "
            "there"
        )

    # -- balance --------------------------------------------------------------------------------

    def _forces(self, pose: Pose, fraction: float) -> tuple[Array, Matrix, tuple[Body, ...]]:
        """What is out of balance, the tangent on all unknowns, and the bodies."""
        assembly, scale = self.assembly, fraction * self.preload.scale
        bodies = tuple(body.posed(pose) for body in assembly.bodies)
        initial = self._loads.initial(bodies, scale)
        found = [
            body.elements.stressed(None, heat, pull)
            for body, (heat, pull) in zip(bodies, initial, strict=True)
        ]
        residual = assembly.gathered([own.forces for own in found])
        tangent = assembly.scattered(
            [
                body.elements.stiffness() + own.stiffness
                for body, own in zip(bodies, found, strict=True)
            ]
        )
        if len(self._spring_stiffness):
            rows, stretched = self._stretched(pose)
            spread = scipy.sparse.diags_array(self._spring_stiffness)
            residual = residual + rows.T @ (self._spring_stiffness * stretched)
            tangent = tangent + scipy.sparse.csc_matrix(rows.T @ spread @ rows)
        pushed = self._loads.at(bodies, pose)
        if pushed.stiffness is not None:
            tangent = tangent + scale * pushed.stiffness
        return residual - scale * pushed.forces, tangent, bodies

    def _stretched(self, pose: Pose) -> tuple[scipy.sparse.csr_matrix, Array]:
        """Rows of the springs at a pose, and how far they are stretched (m, rad)."""
        supports, joints = self.assembly.supports, self.assembly.joints
        rows = [supports.sprung]
        values = [supports.sprung @ _vector(pose)]
        for rule in joints.sprung_rules:
            whole = rule(pose)
            rows.append(whole[:, :-1])
            values.append(whole[:, [-1]].toarray()[:, 0])
        return scipy.sparse.csr_matrix(scipy.sparse.vstack(rows)), np.concatenate(values)

    def _free(self, pose: Pose, fraction: float) -> FreeMotions:
        scale = fraction * self.preload.scale
        if not (self.assembly.turns_with_motion or self.preload.moves):
            return self._made.free
        return self.assembly.free(pose, scale)

    def _point(self, fraction: float, pose: Pose) -> _Point:
        _, tangent, _ = self._forces(pose, fraction)
        free = self._free(pose, fraction)
        reduced = symmetric(free.basis.T @ tangent @ free.basis)
        grounded = Grounded(self._made, np.zeros(self.assembly.size))
        return _Point(fraction, pose, free, reduced, Factor(grounded.part(reduced)), grounded)

    def _newton(
        self,
        start: Pose,
        aim: float,
        corrected: Callable[[Array, Array, Factor, Grounded], tuple[Array, float]] | None = None,
    ) -> _Point | None:
        """Iterate to balance at a fraction of the load, or where ``corrected`` moves it to.

        ``corrected`` takes the plain correction, that of the load, and how to solve; it returns the
        correction to make and the change of the fraction.
        """
        pose, fraction, sizes = start, aim, []
        for count in range(_MOST_ITERATIONS):
            self.progress.check()
            residual, tangent, _ = self._forces(pose, fraction)
            free = self._free(pose, fraction)
            whole = residual + tangent @ free.offset
            reduced = symmetric(free.basis.T @ tangent @ free.basis)
            right = -(free.basis.T @ whole)
            grounded = Grounded(self._made, np.zeros(self.assembly.size))
            try:
                factor = Factor(grounded.part(reduced))
            except SingularShiftError:
                return None
            correction = grounded.solved(factor, right)
            if corrected is not None:
                pull = self._pull(pose, fraction, free)
                correction, change = corrected(correction, pull, factor, grounded)
                fraction += change
            moved = np.asarray(free.basis @ correction) + free.offset
            size = float(np.abs(self._weights * moved).max())
            if not np.isfinite(size) or size > _WILD:
                return None
            scale = float(np.abs(residual).max())
            sizes.append(float(np.linalg.norm(right)))
            pose = pose.moved(moved)
            balanced = sizes[-1] <= _BALANCED * max(scale * np.sqrt(len(right)), 1e-300)
            enough = _NEARLY if aim < 1.0 and corrected is None else _STILL
            if (count and size <= enough) or (balanced and size <= _NEARLY):
                self._history.append((fraction, count + 1))
                self.residuals.append(sizes)
                return _Point(fraction, pose, free, reduced, factor, grounded)
            if count > 3 and size > 1e-3 and sizes[-1] > 1e3 * sizes[0]:
                return None
        return None

    def _pull(self, pose: Pose, fraction: float, free: FreeMotions) -> Array:
        """Derivative of what is out of balance by the fraction, on the permitted motions."""
        preload, assembly = self.preload, self.assembly
        bodies = tuple(body.posed(pose) for body in assembly.bodies)
        pull = -preload.scale * self._loads.at(bodies, pose).forces
        initial = self._loads.initial(bodies, preload.scale)
        if any(heat or tension for heat, tension in initial):
            forces = [
                assembly.gathered(
                    [
                        body.elements.stressed(None, much * heat, much * tension).forces
                        for body, (heat, tension) in zip(bodies, initial, strict=True)
                    ]
                )
                for much in (1.0, 0.0)
            ]
            pull = pull + forces[0] - forces[1]
        if preload.moves:
            _, tangent, _ = self._forces(pose, fraction)
            ahead = assembly.free(pose, (fraction + 1.0) * preload.scale).offset
            here = assembly.free(pose, fraction * preload.scale).offset
            pull = pull + tangent @ (ahead - here)
        return np.asarray(free.basis.T @ pull)

    def _at_load(self, point: _Point, aim: float) -> _Point | None:
        """The state at another fraction of the load, near a point; ``None`` where there is none.

        A state much farther away than the load's first push is on another stretch of the path.
        """
        pull = self._pull(point.pose, point.fraction, point.free)
        pushed = np.asarray(point.free.basis @ point.grounded.solved(point.factor, pull))
        first = float(np.linalg.norm(pushed.reshape(-1, 6)[:, :3])) * (aim - point.fraction)
        so_far = float(np.linalg.norm(point.pose.displacements))
        so_far = max(so_far, _NOTHING * self.assembly.extent * np.sqrt(self.assembly.size / 6))
        long = aim - point.fraction > _SHORT
        if long and point.fraction > 0 and first > _GROWTH * so_far:
            return None
        found = self._newton(point.pose, aim)
        if found is None:
            return None
        if self._contrary(point, pull, found):
            return None
        went = float(np.linalg.norm(self._between(point, found)[0]))
        small = went < _NEAR * self.assembly.extent * np.sqrt(self.assembly.size / 6)
        return None if went > _LEAP * first and (long or not small) else found

    def _contrary(self, point: _Point, pull: Array, found: _Point) -> bool:
        """Whether a state lies the other way from where the load pushes what gives way most.

        Near a branch a small seed decides which way a component bows out. A step across the branch
        may land on the other side of it; a smaller one follows the seed.
        """
        soft = pull
        for _ in range(_SOFTENED):
            soft = point.grounded.solved(point.factor, soft)
            soft = soft / max(float(np.linalg.norm(soft)), 1e-300)
        moved = point.free.reduced((_vector(found.pose) - _vector(point.pose))[:, None])[:, 0]
        # The last pull is minus what the load pushes.
        along = -float(soft @ moved)
        return along < -_SIDEWAYS * float(np.linalg.norm(moved))

    # -- past a turn of the load ------------------------------------------------------------------

    def _around(self, before: _Point, point: _Point) -> tuple[float | None, _Point] | None:
        """Follow the path by its length past where the load turns, or where it moves much for it.

        Returns the highest fraction before a turn, if there was one, and the next stable state;
        ``None`` where the path goes on without being stable.
        """
        way = self._between(before, point)
        length = unit = float(np.linalg.norm(way[0]))
        if not length:
            return None
        turned, now = False, point
        trace = [(0.0, point.fraction)]
        for _ in range(_MOST_STEPS):
            self._tell(now.fraction)
            found = self._along(now, way, unit)
            if found is None:
                unit *= 0.5
                if unit < 1e-5 * length:
                    return None
                continue
            way = self._between(now, found)
            rising = way[1] > 0
            if rising and not turned and not now.stable and not found.stable:
                return None  # it rises and is not stable: it has branched, not turned
            turned = turned or not (rising or found.stable)
            trace.append((trace[-1][0] + float(np.linalg.norm(way[0])), found.fraction))
            now = found
            unit *= 1.5
            reached = turned and now.fraction > 0
            if now.stable and (reached or now.fraction > point.fraction + _SHORT):
                return (_top(trace) if turned else None), now
            if abs(now.fraction) > _FAR:
                return None
        return None

    def _between(self, one: _Point, other: _Point) -> tuple[Array, float]:
        """Displacements and change of fraction from one point to another."""
        return (
            (other.pose.displacements - one.pose.displacements).ravel(),
            other.fraction - one.fraction,
        )

    def _along(self, point: _Point, way: tuple[Array, float], length: float) -> _Point | None:
        """One step of a length along the path from a point, on the side ``way`` points to."""
        pull = self._pull(point.pose, point.fraction, point.free)
        tangent = -point.grounded.solved(point.factor, pull)
        moved = np.asarray(point.free.basis @ tangent)
        slides = moved.reshape(-1, 6)[:, :3].ravel()
        size = float(np.linalg.norm(slides))
        rises = float(np.sign(slides @ way[0] + way[1] * 1e-12)) or 1.0
        change = rises * length / max(size, 1e-300)
        start = point.pose.moved(change * moved)
        ahead = change * tangent

        def corrected(
            plain: Array, load: Array, factor: Factor, grounded: Grounded
        ) -> tuple[Array, float]:
            # Stay on the plane across the first step.
            by_load = -grounded.solved(factor, load)
            bottom = float(ahead @ by_load)
            rise = -float(ahead @ plain) / bottom if bottom else 0.0
            return plain + rise * by_load, rise

        return self._newton(start, point.fraction + change, corrected)

    def _lost(self, stable: _Point, other: _Point) -> float:
        """The fraction at which the shape stops being stable, between two points."""
        low, high = stable, other
        for _ in range(_HALVINGS):
            middle = self._at_load(low, 0.5 * (low.fraction + high.fraction))
            if middle is None:
                break
            low, high = (middle, high) if middle.stable else (low, middle)
        return 0.5 * (low.fraction + high.fraction)

    # -- the end ----------------------------------------------------------------------------------

    def _settled(self, point: _Point, snapped: float | None) -> Equilibrium:
        if not point.stable:
            raise BuckledError(point.fraction)
        pose, assembly = point.pose, self.assembly
        residual, tangent, bodies = self._forces(pose, 1.0)
        system = assembly.system(bodies, pose)
        basis = system.free.basis
        tangent = tangent + assembly.carried(-residual, pose)
        whole = symmetric(basis.T @ tangent @ basis)
        stress = symmetric(scipy.sparse.csc_matrix(whole - system.stiffness))
        pushed = self._loads.at(bodies, pose)
        return Equilibrium(
            with_swings(replace(system, stiffness=whole, stress_stiffness=stress), self.preload),
            system.stiffness,
            stress,
            _vector(pose).reshape(-1, 6),
            pose,
            self.preload.scale * pushed.forces,
            -residual,
            tuple(self._loads.initial(bodies, self.preload.scale)),
            point.factor,
            snapped,
            tuple(self._history),
        )


@dataclass
class _Point:
    """A state in balance on the path: how far the load is and where everything is."""

    fraction: float
    pose: Pose
    free: FreeMotions
    tangent: Matrix
    factor: Factor
    grounded: Grounded

    @property
    def stable(self) -> bool:
        return not self.factor.negatives


def _top(trace: list[tuple[float, float]]) -> float:
    """The first height a path ``(length, fraction)`` turns at, by a parabola through its top."""
    lengths, heights = np.array(trace).T
    falls = np.flatnonzero(np.diff(heights) < 0)
    top = int(falls[0]) if len(falls) else len(heights) - 1
    if not 0 < top < len(heights) - 1:
        return float(heights[top])
    near = slice(top - 1, top + 2)
    a, b, c = np.polyfit(lengths[near] - lengths[top], heights[near], 2)
    return float(c - b * b / (4 * a))


def _vector(pose: Pose) -> Array:
    """Displacements and rotation vectors on all unknowns."""
    return np.hstack([pose.displacements, unturned(pose.turned)]).ravel()
