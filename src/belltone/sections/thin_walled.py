"""Sections made of thin walls, open, closed or branched, from the mid-lines of their walls.

Shear flow and torsion come from potentials along the mid-lines, which one solution on the graph
of the walls gives exactly (W. D. Pilkey, Analysis and Design of Elastic Beams, chapters 5 and 7):
for torsion the warping that makes the flow t (r - w') least, for shear the potential with
(t p')' = -t f, f being the distance from the centroid.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.profiles import Line, Profile

__all__ = ["FlowValues", "WallLine", "midline_walls", "wall_flows", "wall_moments"]

Array = NDArray[np.float64]

_LOOKED_AT = np.linspace(0.0, 1.0, 33)  # places along a wall for its largest stress
_PER_ARC = 96  # straight walls for each half turn of an arc; its moments are right to 4e-4


@dataclass(frozen=True)
class WallLine:
    """A straight wall between two points (y, z) of its mid-line (m)."""

    start: tuple[float, float]
    stop: tuple[float, float]
    thickness: float


@dataclass(frozen=True)
class FlowValues:
    """Torsion constant (m⁴), shear factors, and the shear centre from the centroid (m).

    ``torsion_peak`` (1/m³) and ``shear_peaks`` (1/m²) are the largest shear stresses of a twisting
    moment of one, and of forces of one along both axes.
    """

    torsion_constant: float
    shear_factor_y: float
    shear_factor_z: float
    shear_centre: tuple[float, float]
    torsion_peak: float
    shear_peaks: tuple[float, float]

    def seen_from(self, origin: Array) -> FlowValues:
        """The same, the shear centre told from another origin."""
        y, z = np.array(self.shear_centre) - origin
        return replace(self, shear_centre=(float(y), float(z)))


def midline_walls(profile: Profile, thickness: float) -> list[WallLine]:
    """The walls of a mid-line of lines and arcs."""
    walls: list[WallLine] = []
    for segment in profile.segments:
        count = 1
        if not isinstance(segment, Line):
            count = max(2, round(_PER_ARC * abs(segment.last - segment.first) / np.pi))
        places = segment.position(np.linspace(0.0, 1.0, count + 1))
        walls += [
            WallLine((float(a[0]), float(a[1])), (float(b[0]), float(b[1])), thickness)
            for a, b in itertools.pairwise(places)
        ]
    return walls


def wall_moments(walls: Sequence[WallLine]) -> tuple[float, Array, Array]:
    """Area (m²), centroid (m) and second moments ``[[yy, yz], [yz, zz]]`` about it (m⁴)."""
    start, stop, thickness = _arrays(walls)
    run = stop - start
    length = np.linalg.norm(run, axis=1)
    areas = length * thickness
    centre = areas @ (0.5 * (start + stop)) / areas.sum()
    middle = 0.5 * (start + stop) - centre
    unit = run / length[:, None]
    across = np.column_stack([-unit[:, 1], unit[:, 0]])
    second = np.einsum("w,wi,wj->ij", areas, middle, middle)
    second += np.einsum("w,wi,wj->ij", areas * length**2 / 12, unit, unit)
    second += np.einsum("w,wi,wj->ij", areas * thickness**2 / 12, across, across)
    return float(areas.sum()), np.asarray(centre), np.asarray(second)


def wall_flows(walls: Sequence[WallLine], area: float) -> FlowValues:
    """Torsion constant, shear factors for an area (m²), and shear centre."""
    start, stop, thickness = _arrays(walls)
    _, centre, _ = wall_moments(walls)
    start, stop = start - centre, stop - centre
    run = stop - start
    length = np.linalg.norm(run, axis=1)
    unit = run / length[:, None]
    arm = start[:, 0] * unit[:, 1] - start[:, 1] * unit[:, 0]
    nodes, ends = _joined(start, stop)
    springs = thickness / length
    matrix = np.zeros((nodes, nodes))
    for (a, b), spring in zip(ends, springs, strict=True):
        matrix[np.ix_([a, b], [a, b])] += spring * np.array([[1.0, -1.0], [-1.0, 1.0]])
    loads = np.zeros((nodes, 3))
    np.add.at(loads[:, 0], ends[:, 0], -thickness * arm)
    np.add.at(loads[:, 0], ends[:, 1], thickness * arm)
    for axis in (0, 1):
        first, last = start[:, axis], stop[:, axis]
        areas = thickness * length
        np.add.at(loads[:, 1 + axis], ends[:, 0], areas * (2 * first + last) / 6)
        np.add.at(loads[:, 1 + axis], ends[:, 1], areas * (first + 2 * last) / 6)
    # One point of every connected piece is free to choose.
    potentials = np.linalg.lstsq(matrix, loads, rcond=1e-12)[0]
    steps = potentials[ends[:, 1]] - potentials[ends[:, 0]]
    closed = thickness * (arm - steps[:, 0] / length)
    torsion = float(np.sum(closed * arm * length) + np.sum(length * thickness**3) / 3)
    points, weights = np.polynomial.legendre.leggauss(4)
    share = 0.5 * (1 + points)

    def flow(share: Array) -> Array:
        """Along a wall: its mean, less what the load has taken from the start, less that's mean."""
        flows = np.empty((2, len(thickness), len(share)))
        for axis in (0, 1):
            first, slope = start[:, axis], stop[:, axis] - start[:, axis]
            taken = length[:, None] * (np.outer(first, share) + 0.5 * np.outer(slope, share**2))
            mean = length * (first / 2 + slope / 6)
            steady = (steps[:, 1 + axis] / length + mean)[:, None]
            flows[axis] = thickness[:, None] * (steady - taken)
        return flows

    flows = flow(share)
    at = 0.5 * weights * length[:, None]
    second = np.einsum("awq,wq,wqb->ab", flows, at, np.repeat(unit[:, None], 4, axis=1))
    second = 0.5 * (second + second.T)
    flexible = np.einsum("awq,bwq,wq->ab", flows, flows, at / thickness[:, None])
    moments = np.einsum("awq,w,wq->a", flows, arm, at)
    inverse = np.linalg.pinv(second, rcond=1e-9)
    shear = inverse @ flexible @ inverse
    torque = moments @ inverse
    factors = [1.0 / (area * value) if value > 1e-300 else 1.0 for value in np.diag(shear)]
    stress = np.abs(np.einsum("ab,bwq->awq", inverse, flow(_LOOKED_AT)))
    peaks = (stress / thickness[:, None]).max(axis=(1, 2))
    return FlowValues(
        torsion,
        factors[0],
        factors[1],
        (float(torque[1]), float(-torque[0])),
        float((np.abs(closed) / thickness + thickness).max() / torsion),
        (float(peaks[0]), float(peaks[1])),
    )


def _arrays(walls: Sequence[WallLine]) -> tuple[Array, Array, Array]:
    return (
        np.array([wall.start for wall in walls]),
        np.array([wall.stop for wall in walls]),
        np.array([wall.thickness for wall in walls]),
    )


def _joined(start: Array, stop: Array) -> tuple[int, NDArray[np.intp]]:
    """Number the ends of walls so that those at one place have one number."""
    both = np.concatenate([start, stop])
    grain = 1e-7 * max(float(np.ptp(both, axis=0).max()), 1e-300)
    _, number = np.unique(np.round(both / grain).astype(np.int64), axis=0, return_inverse=True)
    number = number.ravel()
    return int(number.max()) + 1, np.column_stack([number[: len(start)], number[len(start) :]])
