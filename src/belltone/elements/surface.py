"""The surface kernel: a shear-deformable shell of selectable order.

A point of the wall is ``x = sum N_i (r_i + z D_i)`` with the middle surface r, the unit director D
and the distance z from the middle; a node moves by three translations u and three rotations t,
which turn its director by ``t x D``. The covariant strains of the wall at z are

    membrane    A_a.u,b + A_b.u,a
    times z     A_a.d,b + A_b.d,a + D,a.u,b + D,b.u,a
    times z²    D,a.d,b + D,b.d,a
    shear       A_a.d + D.u,a

(the first three halved for a = b) with A = r,a and d = t x D. Against locking each component is
taken on a reduced tensor grid and interpolated: 11 on p Gauss points along the first coordinate and
p + 1 Lobatto points along the second, 22 the reverse, 12 on p x p, shear like 11 and 22. At p = 1
only the shear is reduced: that is the four-node element of E. N. Dvorkin and K.-J. Bathe,
"A continuum mechanics based four-node shell element", Eng. Comput. 1 (1984) 77-88; at p = 2 it is
of the family of M. L. Bucalem and K.-J. Bathe, "Higher-order MITC general shell elements", Int. J.
Numer. Methods Eng. 36 (1993) 3729-3754.

These are the first variation of the strains of finite motions, with a = r,a and d where they are
now:

    membrane (a_a.a_b - A_a.A_b)/2,  times z (a_a.d,b + a_b.d,a - ...)/2,  z² (d,a.d,b - ...)/2,
    shear a_a.d - A_a.D

which are quadratic in r and d, so that `directors` gives their second variation: the stiffness of
stress, and with finite turns of the directors the exact tangent of large deflections.

Rotation about the normal (drilling) is tied softly to the in-plane rotation of the surface, so
every rigid motion has exactly no energy (T. J. R. Hughes and F. Brezzi, "On drilling degrees of
freedom", Comput. Methods Appl. Mech. Eng. 72 (1989) 105-121). All work is done for many elements
at once.
"""

from __future__ import annotations

import functools
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.elements.directors import (
    DirectorForm,
    Stressed,
    cross_matrices,
    grown,
    torques,
)
from belltone.elements.layup import MEASURES, wall_stiffness, wall_stress
from belltone.elements.surface_rule import Grid, rule_of
from belltone.mesh.quadrature import by_degree
from belltone.sections.layups import LayupValue
from belltone.vectors import cross

__all__ = ["SURFACE_STRAINS", "SurfaceElements", "SurfaceNodes"]

Array = NDArray[np.float64]

SURFACE_STRAINS = ("membrane", "bending", "shear")
"""The kinds of strain energy of a wall; that of drilling, which is negligible, is membrane."""

_IN_PLANE: Final = 6  # measures of stretching and bending, the first there are
_DRILLING: Final = 1e-3  # of the in-plane shear stiffness; ten times more or less moves no digit
_KEPT_NUMBERS: Final = 12_000_000  # of strains, kept for those who ask again
_BATCH_NUMBERS: Final = 6_000_000  # numbers held at a time: strains of a batch of elements


@dataclass(frozen=True)
class SurfaceNodes:
    """Geometry at the nodes of elements, each array ``(elements, (p+1)², ...)``.

    Positions of the middle surface (m), unit directors, the axis ply angles count from, and
    thickness (m). Nodes run along the first coordinate fastest.
    """

    order: int
    positions: Array
    directors: Array
    first_axes: Array
    thickness: Array

    def __len__(self) -> int:
        return len(self.positions)

    def part(self, batch: slice) -> SurfaceNodes:
        """Some of the elements."""
        return SurfaceNodes(
            self.order,
            self.positions[batch],
            self.directors[batch],
            self.first_axes[batch],
            self.thickness[batch],
        )


@dataclass(frozen=True)
class _Posed:
    """Where the nodes of elements are now: positions (m), directors, and how far they turned.

    ``turned`` is ``(elements, nodes, 3, 3)``, rotation matrices; all of ``still`` nodes are one.
    """

    positions: Array
    directors: Array
    turned: Array
    still: bool

    def part(self, batch: slice) -> _Posed:
        return _Posed(self.positions[batch], self.directors[batch], self.turned[batch], self.still)


@dataclass(frozen=True)
class _Batch:
    """Some of the elements as they were made, and as they are now."""

    start: int
    made: SurfaceNodes
    now: _Posed

    def __len__(self) -> int:
        return len(self.made)


class SurfaceElements:
    """Matrices of the elements of one wall, and what their strains are.

    Unknowns of an element are its nodes' translations and rotations, six by six.
    """

    def __init__(
        self, nodes: SurfaceNodes, layup: LayupValue, now: tuple[Array, Array] | None = None
    ) -> None:
        self._nodes, self._layup = nodes, layup
        self._rule = rule_of(nodes.order)
        self.size = 6 * (nodes.order + 1) ** 2
        self._known = _KnownWalls()
        self._strained_batches: dict[int, tuple[Array, Array]] = {}
        self._room = _KEPT_NUMBERS
        if now is None:
            still = np.broadcast_to(np.eye(3), (*nodes.positions.shape, 3))
            self._now = _Posed(nodes.positions, nodes.directors, still, True)
        else:
            positions, turned = now
            directors = np.einsum("enij,enj->eni", turned, nodes.directors)
            self._now = _Posed(positions, directors, turned, False)

    def posed(self, positions: Array, turned: Array) -> SurfaceElements:
        """The elements with nodes at other positions, turned by rotation matrices."""
        posed = SurfaceElements(self._nodes, self._layup, (positions, turned))
        posed._known = self._known
        return posed

    def matrices(self) -> tuple[Array, Array]:
        """Stiffness and mass, each ``(elements, size, size)``."""
        return self.stiffness(), self.inertia().hessian(self.directors)

    def stiffness(self) -> Array:
        """Stiffness of the strains ``(elements, size, size)``, without that of stress."""
        stiffness = np.empty((len(self._nodes), self.size, self.size))
        for batch, part in self._batches():
            strains, twist = self._strains(part)
            walls = self._walls(part)
            # Rows times their own transpose take half the work.
            roots = np.linalg.cholesky(walls.law).swapaxes(-1, -2)
            rows = np.empty((len(part), strains.shape[1] * (MEASURES + 1), self.size))
            own = rows.reshape(len(part), -1, MEASURES + 1, self.size)
            np.matmul(roots, strains, out=own[:, :, :MEASURES])
            np.multiply(twist, np.sqrt(walls.drilling)[..., None], out=own[:, :, MEASURES])
            np.matmul(rows.transpose(0, 2, 1), rows, out=stiffness[batch])
        return stiffness

    def inertia(self) -> DirectorForm:
        """Kinetic energy as a form of the velocities of nodes and directors."""
        parts = [self._inertia(self._walls(part)) for _, part in self._batches()]
        return DirectorForm(
            *(
                np.concatenate([getattr(part, name) for part in parts])
                for name in ("uu", "ud", "dd")
            )
        )

    @property
    def directors(self) -> Array:
        """Directors ``(elements, nodes, 1, 3)`` as they are now."""
        return self._now.directors[:, :, None]

    @property
    def positions(self) -> Array:
        """Positions ``(elements, nodes, 3)`` as they are now (m)."""
        return self._now.positions

    def stressed(self, motions: Array | None, heat: float, pull: float = 0.0) -> Stressed:
        """Forces and stiffness of the stress that small ``motions`` (elements, size) bring.

        ``None`` takes the finite strains of the pose instead. ``heat`` (K) is a rise of
        temperature, ``pull`` has no meaning for a wall.
        """
        forces = np.empty((len(self._nodes), self.size))
        stiffness = np.empty((len(self._nodes), self.size, self.size))
        for batch, part in self._batches():
            stress, drill = self._stress(part, None if motions is None else motions[batch], heat)
            form = self._stress_form(stress)
            near = part.now.positions - part.now.positions[:, :1]
            directors = part.now.directors[:, :, None]
            pulls, moments = form.gradient(near, directors)
            drilling = self._drill_form(part, drill)
            turned = np.einsum("enij,enmj->enmi", part.now.turned, drilling)
            pulls -= 0.5 * turned.sum(axis=1)
            on_turns = -0.5 * np.matmul(drilling.swapaxes(-1, -2), near[:, None]).swapaxes(-1, -2)
            moments += np.matmul(on_turns, part.now.turned.swapaxes(-1, -2))
            whole = np.concatenate([pulls, torques(moments)], axis=-1)
            forces[batch] = whole.reshape(len(part), self.size)
            hessian = form.hessian(directors, moments)
            self._add_drill(hessian, turned)
            stiffness[batch] = hessian
        return Stressed(forces, stiffness)

    def recovered(self, motions: Array | None, heat: float) -> Array:
        """Stress at the nodes of elements ``(elements, nodes, 8)``, motions as for `stressed`.

        Membrane forces (N/m) and moments (N), three each in the wall's axes, and the von Mises
        stress (Pa) at the inner and the outer face.
        """
        grid = self._rule.at_points
        pieces = []
        for batch, part in self._batches():
            made = part.made
            own = None if motions is None else motions[batch]
            stress = wall_stress(
                self._layup,
                self._strained(part, own),
                heat,
                np.matmul(made.thickness, grid.values.T),
                self._tangents(made.positions, grid),
                np.matmul(grid.values, made.directors),
                np.stack([np.matmul(slope, made.directors) for slope in grid.slopes], axis=-2),
                np.matmul(grid.values, made.first_axes),
            )
            pieces.append(
                np.concatenate([stress.membrane, stress.moments, stress.von_mises], axis=-1)
            )
        return np.asarray(np.matmul(self._rule.to_nodes, np.concatenate(pieces)))

    def points(self) -> Array:
        """Integration points ``(elements, points, 3)`` as made (m)."""
        return np.asarray(np.matmul(self._rule.at_points.values, self._nodes.positions))

    def pushed(self, pressure: Array) -> Stressed:
        """Forces of pressure ``(elements, points)`` (Pa) along the normal, and their stiffness.

        The stiffness is what the forces lose as the surface turns and grows, its even part: over a
        surface whose rim is held, or has none, that is all of it.
        """
        rule, grid = self._rule, self._rule.at_points
        count = grid.values.shape[1]
        tangents = self._tangents(self._now.positions, grid)
        area = cross(tangents[..., 0, :], tangents[..., 1, :])
        out = np.matmul(grid.values, self._now.directors)
        weighted = pressure * rule.weights * np.sign(np.sum(area * out, axis=-1))
        forces = np.zeros((len(area), count, 6))
        forces[..., :3] = np.matmul(grid.values.T, weighted[..., None] * area)
        first, second = (
            np.matmul(
                (grid.values[:, :, None] * grid.slopes[a][:, None, :]).reshape(len(area[0]), -1).T,
                weighted[..., None] * tangents[..., 1 - a, :],
            ).reshape(len(area), count, count, 3)
            for a in (0, 1)
        )
        # The change of a_1 x a_2 with u_j is N_j,2 a_1 x u_j - N_j,1 a_2 x u_j.
        blocks = cross_matrices(first - second)
        even = 0.5 * (blocks + blocks.transpose(0, 2, 1, 4, 3))
        stiffness = np.zeros((len(area), count, 6, count, 6))
        stiffness[:, :, :3, :, :3] = even.transpose(0, 1, 3, 2, 4)
        return Stressed(
            forces.reshape(len(area), self.size),
            stiffness.reshape(len(area), self.size, self.size),
        )

    def strain_energy(self, motions: Array) -> Array:
        """Strain energy (J) by kind, ``(modes, elements, 3)``, of ``(modes, elements, size)``."""
        return np.asarray(self._energies(motions).sum(axis=2))

    def energy_density(self, motions: Array) -> Array:
        """Strain energy per area (J/m²) at the nodes of elements, ``(modes, elements, nodes)``."""
        energies = self._energies(motions).sum(axis=-1)
        areas = self._areas()
        density = energies / (areas * self._rule.weights)
        return np.asarray(density @ self._rule.to_nodes.T)

    def energy_by_degree(self, motions: Array) -> Array:
        """Energy (J) of stretching and bending ``(modes, elements, p + 1, p + 1)`` by its strains.

        By the degrees of their Legendre polynomials, those along the second direction first; as
        if stiffness were the same all over an element.
        """
        modes, elements = motions.shape[:2]
        count = self._nodes.order + 1
        parts = by_degree(count)
        result = np.empty((modes, elements, count, count))
        for batch, part in self._batches():
            strains = self._modal_strains(part, motions[:, batch])[:, :, :_IN_PLANE]
            strains = strains.reshape(len(part), count, count, _IN_PLANE, modes)
            found = np.einsum("ai,bj,eijkm->eabkm", parts, parts, strains, optimize=True)
            law = self._walls(part).law[..., :_IN_PLANE, :_IN_PLANE]
            law = (law / self._rule.weights[:, None, None]).mean(axis=1)
            work = 0.5 * found * np.matmul(law[:, None, None], found)
            result[:, batch] = work.sum(axis=3).transpose(3, 0, 1, 2)
        return result

    def _areas(self) -> Array:
        tangents = self._tangents(self._nodes.positions, self._rule.at_points)
        crossed = cross(tangents[..., 0, :], tangents[..., 1, :])
        return np.asarray(np.linalg.norm(crossed, axis=-1))

    def _energies(self, motions: Array) -> Array:
        """Strain energy at each integration point by kind, ``(modes, elements, points, 3)``."""
        modes, elements = motions.shape[:2]
        result = np.empty((modes, elements, len(self._rule.weights), 3))
        if not modes:
            return result
        for batch, part in self._batches():
            walls = self._walls(part)
            strains = self._modal_strains(part, motions[:, batch])
            twisted = self._strains(part)[1] @ motions[:, batch].transpose(1, 2, 0)
            work = 0.5 * strains * np.matmul(walls.law, strains)
            drill = 0.5 * walls.drilling[..., None] * twisted**2
            parts = (
                work[:, :, :3].sum(axis=2) + drill,
                work[:, :, 3:9].sum(axis=2),
                work[:, :, 9:].sum(axis=2),
            )
            result[:, batch] = np.stack(parts, axis=-1).transpose(2, 0, 1, 3)
        return result

    def _modal_strains(self, part: _Batch, motions: Array) -> Array:
        """Strains ``(elements, points, 11, modes)`` of small motions ``(modes, elements, d)``."""
        units = self._strains(part)[0].reshape(len(part), -1, self.size)
        strains = units @ motions.transpose(1, 2, 0)
        return strains.reshape(len(part), -1, MEASURES, len(motions))

    def _batches(self) -> Iterator[tuple[slice, _Batch]]:
        numbers = MEASURES * len(self._rule.weights) * self.size + self.size**2
        step = max(1, _BATCH_NUMBERS // numbers)
        for start in range(0, len(self._nodes), step):
            batch = slice(start, start + step)
            yield batch, _Batch(start, self._nodes.part(batch), self._now.part(batch))

    # -- stress ---------------------------------------------------------------------------------

    def _stress(self, part: _Batch, motions: Array | None, heat: float) -> tuple[Array, Array]:
        """Weighted stress resultants ``(elements, points, 11)``, and those of drilling."""
        walls, strains = self._walls(part), self._strained(part, motions)
        if motions is None:
            twist = self._finite_twist(part)
        else:
            twist = (self._strains(part)[1] @ motions[..., None])[..., 0]
        stress = np.matmul(walls.law, strains[..., None])[..., 0] - heat * walls.heated
        return stress, walls.drilling * twist

    def _strained(self, part: _Batch, motions: Array | None) -> Array:
        """Strains ``(elements, points, 11)`` of small motions, or those of the pose."""
        if motions is None:
            return self._finite_strains(part)
        strains = self._strains(part)[0].reshape(len(part), -1, self.size) @ motions[..., None]
        return strains.reshape(len(part), -1, MEASURES)

    def _stress_form(self, stress: Array) -> DirectorForm:
        """Stress times the second variation of the strains it works on."""
        rule = self._rule
        elements, count = len(stress), (self._nodes.order + 1) ** 2
        uu, ud, dd = (np.zeros((elements, count * count)) for _ in range(3))
        for place in range(3):
            source = rule.sources[place]
            for power, into in enumerate((uu, ud, dd)):
                tied = stress[..., 3 * power + place] @ rule.spread[source]
                into += tied @ rule.pairs[place]
        for place in (3, 4):
            tied = stress[..., 6 + place] @ rule.spread[rule.sources[place]]
            ud += tied @ rule.pairs[place]
        shape = (elements, count, count)
        return DirectorForm(uu.reshape(shape), ud.reshape(*shape, 1), dd.reshape(*shape, 1, 1))

    def _finite_strains(self, part: _Batch) -> Array:
        """Strains of the pose, ``(elements, points, 11)``, from what has changed alone."""
        rule = self._rule
        elements = len(part)
        result = np.empty((elements, len(rule.weights), MEASURES))
        moved = part.now.positions - part.made.positions
        bent = part.now.directors - part.made.directors
        fields = []
        for grid in rule.grids:
            old = _fields(grid, part.made.positions, part.made.directors)
            fields.append((old, _fields(grid, moved, bent)))
        for place, (a, b) in enumerate(((0, 0), (1, 1), (0, 1))):
            source = rule.sources[place]
            (at, dt, _), (du, dd, _) = fields[source]
            half = 0.5 if a == b else 1.0
            plain = grown(at[a], du[a], at[b], du[b])
            linear = grown(at[a], du[a], dt[b], dd[b])
            if a != b:
                linear = linear + grown(at[b], du[b], dt[a], dd[a])
            square = grown(dt[a], dd[a], dt[b], dd[b])
            for power, term in enumerate((half * plain, linear, half * square)):
                result[:, :, 3 * power + place] = term @ rule.spread[source].T
        for place, a in ((3, 0), (4, 1)):
            source = rule.sources[place]
            (at, _, made), (du, _, change) = fields[source]
            result[:, :, 6 + place] = grown(at[a], du[a], made, change) @ rule.spread[source].T
        return result

    def _finite_twist(self, part: _Batch) -> Array:
        """Turn about the normal less that of the surface ``(elements, points)``, of the pose."""
        around, grid = self._around(part.made), self._rule.at_points
        result = np.zeros(around[0].shape[:2])
        tangents = self._tangents(part.now.positions, grid)
        mean = np.einsum("qn,enij->eqij", grid.values, part.now.turned)
        for a, direction in enumerate(around):
            turned = np.einsum("eqij,eqj->eqi", mean, direction)
            result -= 0.5 * np.sum(turned * tangents[..., a, :], axis=-1)
        return result

    def _drill_form(self, part: _Batch, drill: Array) -> Array:
        """Drilling stress times its strain's mixed variation.

        ``(elements, nodes that turn, nodes that move, 3)``.
        """
        grid = self._rule.at_points
        count = grid.values.shape[1]
        total = np.zeros((len(part), count * count, 3))
        for a, direction in enumerate(self._around(part.made)):
            table = grid.values[:, :, None] * grid.slopes[a][:, None, :]
            weighted = drill[..., None] * direction
            total += np.matmul(table.reshape(len(table), -1).T, weighted)
        return total.reshape(len(part), count, count, 3)

    def _add_drill(self, hessian: Array, turned: Array) -> None:
        """Add what moving and turning have in common in the drilling strain."""
        elements, count = turned.shape[:2]
        blocks = hessian.reshape(elements, count, 6, count, 6)
        mixed = 0.5 * cross_matrices(turned)  # turning node, moving node, 3, 3
        blocks[:, :, :3, :, 3:] += mixed.transpose(0, 2, 3, 1, 4)
        blocks[:, :, 3:, :, :3] += mixed.transpose(0, 1, 4, 2, 3)

    # -- strains --------------------------------------------------------------------------------

    @staticmethod
    def _tangents(positions: Array, grid: Grid) -> Array:
        return np.stack([np.matmul(slope, positions) for slope in grid.slopes], axis=-2)

    def _strains(self, part: _Batch) -> tuple[Array, Array]:
        """Generalised strains of unit motions, ``(elements, points, 11, size)``, and the twist.

        They are kept while they are not too much, since energies are asked for after matrices.
        """
        if part.start in self._strained_batches:
            return self._strained_batches[part.start]
        found = self._unit_strains(part), self._twist(part)
        size = found[0].size + found[1].size
        if self._room > size:
            self._room -= size
            self._strained_batches[part.start] = found
        return found

    def _unit_strains(self, part: _Batch) -> Array:
        """All strains at the integration points, interpolated there from where they are tied.

        What a turn t of a node does, ``w . (t x D)``, has the w of what a move of it does.
        """
        rule, now = self._rule, part.now
        elements, count = now.positions.shape[:2]
        points = len(rule.weights)
        result = np.zeros((elements, points, MEASURES, count, 6))
        directors = now.directors[:, None]
        at_grid = [self._base(now, grid) for grid in rule.grids]

        def spread(table: Array, fields: Array) -> Array:
            # One product for all elements, each component by itself.
            parts = fields.transpose(2, 0, 1).reshape(3 * elements, -1) @ table
            return np.asarray(parts.reshape(3, elements, points, count).transpose(1, 2, 3, 0))

        def put(measure: int, moves: Array | None, turned: Array | None) -> None:
            if moves is not None:
                result[:, :, measure, :, :3] = moves
            if turned is not None:
                cross(directors, turned, into=result[:, :, measure, :, 3:])

        for place, pairs in enumerate((((0, 0),), ((1, 1),), ((0, 1), (1, 0)))):
            _, tangents, slopes = at_grid[rule.sources[place]]
            tables = rule.onto[place][1:]
            moved = _total(spread(tables[b], tangents[..., a, :]) for a, b in pairs)
            bent = _total(spread(tables[b], slopes[..., a, :]) for a, b in pairs)
            put(place, moved, None)
            put(3 + place, bent, moved)
            put(6 + place, None, bent)
        for place, a in ((3, 0), (4, 1)):
            director, tangents, _ = at_grid[rule.sources[place]]
            moved = spread(rule.onto[place][0], tangents[..., a, :])
            put(6 + place, spread(rule.onto[place][1 + a], director), moved)
        return result.reshape(elements, points, MEASURES, 6 * count)

    def _base(self, now: _Posed, grid: Grid) -> tuple[Array, Array, Array]:
        """Director, tangents and slopes of the director on a grid."""
        return (
            np.matmul(grid.values, now.directors),
            self._tangents(now.positions, grid),
            np.stack([np.matmul(slope, now.directors) for slope in grid.slopes], axis=-2),
        )

    def _walls(self, part: _Batch) -> _Walls:
        """What the wall is made of at the integration points; kept while it is not too much."""
        if part.start not in self._known:
            walls = self._made_walls(part.made)
            if self._known.room > walls.law.size:
                self._known.room -= walls.law.size
                self._known[part.start] = walls
            return walls
        return self._known[part.start]

    def _made_walls(self, nodes: SurfaceNodes) -> _Walls:
        rule, grid = self._rule, self._rule.at_points
        tangents = self._tangents(nodes.positions, grid)
        director = np.matmul(grid.values, nodes.directors)
        slopes = np.stack([np.matmul(slope, nodes.directors) for slope in grid.slopes], axis=-2)
        thickness = np.matmul(nodes.thickness, grid.values.T)
        axis = np.matmul(grid.values, nodes.first_axes)
        wall = wall_stiffness(self._layup, thickness, tangents, director, slopes, axis)
        area = np.linalg.norm(cross(tangents[..., 0, :], tangents[..., 1, :]), axis=-1)
        drilling = _DRILLING * self._layup.drilling_modulus * thickness * area * rule.weights
        return _Walls(
            wall.stiffness * rule.weights[:, None, None],
            wall.inertia * rule.weights[:, None],
            wall.heated * rule.weights[:, None],
            drilling,
        )

    def _around(self, nodes: SurfaceNodes) -> tuple[Array, Array]:
        """Normal crossed with the dual base vectors, as made, each ``(elements, points, 3)``."""
        tangents = self._tangents(nodes.positions, self._rule.at_points)
        crossed = cross(tangents[..., 0, :], tangents[..., 1, :])
        area = np.linalg.norm(crossed, axis=-1)[..., None]
        normal = crossed / area
        # The dual vectors follow from the tangents without inverting the metric.
        duals = (
            cross(tangents[..., 1, :], normal) / area,
            cross(normal, tangents[..., 0, :]) / area,
        )
        return cross(normal, duals[0]), cross(normal, duals[1])

    def _twist(self, part: _Batch) -> Array:
        """Turn about the normal less the in-plane rotation of the surface, of unit motions.

        With m_a = n x A^a, turned with the nodes, it is minus half the sum of ``m_a . r,a``.
        """
        grid = self._rule.at_points
        tangents = self._tangents(part.now.positions, grid)
        moving: Array | float = 0.0
        turning: Array | float = 0.0
        for a, direction in enumerate(self._around(part.made)):
            turned, mean = direction[:, :, None], direction
            if not part.now.still:
                turned = np.einsum("enij,eqj->eqni", part.now.turned, direction)
                mean = np.einsum("qn,eqni->eqi", grid.values, turned)
            moving = moving - 0.5 * _outer(grid.slopes[a], mean)
            turning = turning - 0.5 * cross(turned, tangents[:, :, None, a])
        turning = turning * grid.values[None, ..., None]
        both = np.concatenate([np.asarray(moving), np.asarray(turning)], axis=-1)
        return both.reshape(*both.shape[:2], -1)

    def _inertia(self, walls: _Walls) -> DirectorForm:
        """Consistent, with full rotary inertia: density times ``r + z d``."""
        values = self._rule.at_points.values
        uu, ud, dd = (
            np.einsum("eq,qi,qj->eij", walls.inertia[..., power], values, values, optimize=True)
            for power in range(3)
        )
        return DirectorForm(uu, ud[..., None], dd[..., None, None])


class _KnownWalls(dict[int, "_Walls"]):
    """Walls by the first element of their batch, which no pose changes."""

    room = 30_000_000


@dataclass(frozen=True)
class _Walls:
    """Weighted stiffness, inertia, stress of a held degree of warmth, and drilling stiffness."""

    law: Array
    inertia: Array
    heated: Array
    drilling: Array


def _fields(
    grid: Grid, positions: Array, directors: Array
) -> tuple[tuple[Array, Array], tuple[Array, Array], Array]:
    """Slopes of positions and of directors along both coordinates, and the directors, on a grid."""
    first, second = grid.slopes
    return (
        (np.matmul(first, positions), np.matmul(second, positions)),
        (np.matmul(first, directors), np.matmul(second, directors)),
        np.matmul(grid.values, directors),
    )


def _total(fields: Iterable[Array]) -> Array:
    return functools.reduce(np.add, fields)


def _outer(shape: Array, base: Array) -> Array:
    return np.asarray(shape[None, ..., None] * base[:, :, None])
