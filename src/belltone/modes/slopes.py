"""How fast frequencies, mass and buckling factors change, from one solution and no other.

At a mode the Rayleigh quotient is stationary against every motion that ties permit, so its change
along any smooth family of such motions through the mode is the change of the eigenvalue: the
derivative of R. L. Fox and M. P. Kapoor, "Rates of change of eigenvalues and eigenvectors", AIAA J.
6 (1968) 2426-2429, ``phi' (dK - lambda dM) phi``, with moving ties included. Quotients are taken
with strains, which loses no digits, on designs a hair to either side.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import Design
from belltone.errors import UserError
from belltone.modes.level import Level
from belltone.modes.loaded import eigenvalues
from belltone.modes.mass_properties import mass_properties
from belltone.modes.matching import clusters
from belltone.modes.solution import Solution
from belltone.progress import Progress
from belltone.reading.family import DesignFamily
from belltone.system.assembly import Assembly
from belltone.system.loads import gyroscopic

__all__ = ["Slopes", "slopes", "slopes_of_knob"]

Array = NDArray[np.float64]

_HAIR: Final = 1e-6  # of a parameter: a slender part's strains bend sharply against it
_LOADED_HAIR: Final = 1e-5  # where states are found to their own tolerance
_NEAR_ZERO: Final = 1e-3  # of a knob's range; nearer to zero, that is what a hair is of
_SAME: Final = 1e-6  # relative gap of frequencies below which modes are one subspace


@dataclass(frozen=True)
class Slopes:
    """Changes for unit parameter: flexible frequencies (Hz), mass (kg), buckling factors."""

    frequencies: Array
    mass: float
    factors: Array


def slopes(
    solution: Solution, below: Design, above: Design, width: float, progress: Progress
) -> Slopes:
    """How fast what is told of a solution changes with a parameter.

    ``below`` and ``above`` are its design a hair to either side, ``width`` apart in the parameter.
    Equal frequencies part along the eigenvalues of their own slopes, lowest first. Raises
    `NoModesError` where a preload has no state there.
    """
    low, high = (_Side(solution.level, design, progress) for design in (below, above))
    whirls = solution.lagging is not None
    return Slopes(
        (_whirling if whirls else _frequencies)(solution, low, high, width),
        (high.mass - low.mass) / width,
        _factors(solution.level, low, high, width),
    )


def slopes_of_knob(
    family: DesignFamily,
    turned: Mapping[str, float],
    knob: str,
    solution: Solution,
    progress: Progress | None = None,
) -> Slopes:
    """How fast what is told of a solution changes with a knob of its family (per base unit).

    ``turned`` are the knobs the solution was found at. Raises ``UserError`` where the knob cannot
    move both ways, and as `slopes`.
    """
    design = solution.level.design
    own = design.knobs[knob]
    base, (low, high) = own.base, own.range
    size = max(abs(base), _NEAR_ZERO * (high - low) * own.scale)
    if size == 0:
        raise UserError(f"“{knob}” is zero and has no range; state its “from” and “to”")
    step = size * (_HAIR if design.preload is None else _LOADED_HAIR)
    sides = [family.at({**turned, knob: base + side}) for side in (-step, step)]
    return slopes(solution, sides[0], sides[1], 2 * step, progress or Progress())


def _frequencies(solution: Solution, low: _Side, high: _Side, width: float) -> Array:
    frequencies = solution.frequencies
    groups = clusters(frequencies, _SAME)
    shapes = solution.level.system.node_motions(solution.shapes @ _combinations(groups))
    forms = [side.energies(shapes) for side in (low, high)]
    stiff, heavy = ((after - before) / width for before, after in zip(*forms, strict=True))
    values = (2 * math.pi * frequencies) ** 2
    found = np.empty(len(frequencies))
    column = len(frequencies)
    for group in groups:
        first, count = group.start, group.stop - group.start
        value = float(values[group].mean())
        own = stiff[group] - value * heavy[group]
        matrix = np.diag(own)
        for i in range(count):
            for j in range(i):
                both = stiff[column] - value * heavy[column]
                matrix[i, j] = matrix[j, i] = 0.5 * (both - own[i] - own[j])
                column += 1
        found[first : first + count] = np.linalg.eigvalsh(matrix)
    # Shapes have a modal mass of one, and a frequency goes with the root of its eigenvalue.
    return found / (8 * math.pi**2 * np.where(frequencies > 0, frequencies, np.nan))


def _factors(level: Level, low: _Side, high: _Side, width: float) -> Array:
    """Of ``(K + f G) psi = 0``, whose quotient is stationary too."""
    found = level.buckling
    if found is None or not len(found.factors):
        return np.empty(0)
    shapes = level.system.node_motions(found.shapes)
    return np.asarray((high.factors(shapes) - low.factors(shapes)) / width)


class _Side:
    """The design a hair beside, divided in the same way; its matrices only where it is loaded."""

    def __init__(self, level: Level, design: Design, progress: Progress) -> None:
        progress.check()
        self.design = design
        self.level: Level | None = None
        if design.preload is None:
            self.assembly = Assembly(design, level.discretisation)
            self.free = self.assembly.free()
        else:
            self.level = Level(design, level.discretisation, progress, level.structures)
            self.assembly, self.free = self.level.assembly, self.level.system.free

    @property
    def mass(self) -> float:
        """All of it (kg)."""
        return mass_properties(self.design).mass

    def reduced(self, motions: NDArray[Any]) -> NDArray[Any]:
        """Node motions of the solution, made to fit the ties here, by what is free."""
        return self.free.reduced(motions.reshape(len(motions), self.assembly.size).T)

    def energies(self, motions: Array) -> tuple[Array, Array]:
        """Twice the potential and twice the kinetic energy of fitted motions."""
        reduced = self.reduced(motions)
        if self.level is None:
            fitted = np.asarray(self.free.basis @ reduced)
            return self.assembly.potential(fitted), self.assembly.kinetic(fitted)
        system = self.level.system
        heavy = np.einsum("im,im->m", reduced, np.asarray(system.mass @ reduced))
        return eigenvalues(system, reduced) * heavy, heavy

    def factors(self, motions: Array) -> Array:
        """Loads, in times of the one there is, at which fitted motions take no energy."""
        assert self.level is not None
        assert self.level.state is not None
        reduced = self.reduced(motions)
        added = np.asarray(self.level.state.stress_stiffness @ reduced)
        softened = np.einsum("im,im->m", reduced, added)
        energy = self.assembly.potential(np.asarray(self.free.basis @ reduced))
        return np.asarray(-energy / softened)


def _combinations(groups: list[slice]) -> Array:
    """Each mode, and the sums of any two that may mix, as columns."""
    count = groups[-1].stop if groups else 0
    columns = [np.eye(count)]
    for group in groups:
        for i in range(group.start, group.stop):
            for j in range(group.start, i):
                both = np.zeros((count, 1))
                both[[i, j]] = 1.0
                columns.append(both)
    return np.hstack(columns)


def _whirling(solution: Solution, low: _Side, high: _Side, width: float) -> Array:
    """Of ``phi* (K - w² M + 2 i w W G) phi = 0``, in which ``w`` is stationary against shapes."""
    assert solution.lagging is not None
    level = solution.level
    shapes = solution.shapes + 1j * solution.lagging
    motions = level.system.node_motions(shapes)
    waves = np.array(solution.waves, float)
    here = _turning_speeds(level, shapes)
    preload = level.design.preload
    assert preload is not None
    assert preload.spin is not None
    sign, carried = np.ones(len(waves)), np.zeros(len(waves))
    if preload.spin.from_ground:
        # A pattern the spin overtakes is seen to go the other way.
        seen = 2 * math.pi * solution.frequencies
        overtaken = np.abs(here + waves * preload.turning - seen) > 1e-6 * seen
        sign, carried = np.where(overtaken, -1.0, 1.0), waves
    found = []
    for side in (low, high):
        assert side.level is not None
        assert side.design.preload is not None
        speeds = _turning_speeds(side.level, side.reduced(motions))
        found.append(sign * speeds + carried * side.design.preload.turning)
    return np.asarray((found[1] - found[0]) / (2 * math.pi * width))


def _turning_speeds(level: Level, shapes: NDArray[Any]) -> Array:
    """The positive speeds (rad/s) at which shapes whirl in the turning axes."""
    system, state, preload = level.system, level.state, level.design.preload
    assert state is not None
    assert preload is not None
    assert preload.spin is not None
    skew = gyroscopic(level.assembly, system.bodies, state.pose, preload.spin.axis)
    basis = system.free.basis
    parts = [np.ascontiguousarray(part) for part in (shapes.real, shapes.imag)]
    heavy = sum(np.einsum("im,im->m", part, np.asarray(system.mass @ part)) for part in parts)
    stiff = sum(
        eigenvalues(system, part) * np.einsum("im,im->m", part, np.asarray(system.mass @ part))
        for part in parts
    )
    full = [np.asarray(basis @ part) for part in parts]
    # With G skew, the number of i G is minus twice the product of both parts.
    turning = -2 * preload.turning * np.einsum("im,im->m", full[0], np.asarray(skew @ full[1]))
    return np.asarray((turning + np.sqrt(np.maximum(turning**2 + stiff * heavy, 0.0))) / heavy)
