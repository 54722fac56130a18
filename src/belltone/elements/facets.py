"""Flat three-node shell elements for meshes that come from elsewhere.

Membrane: the triangle with drilling rotations that is optimal in bending in its plane
(C. A. Felippa, "A study of optimal membrane triangles with drilling freedoms", Comput. Methods
Appl. Mech. Eng. 192 (2003) 2125-2168). Bending: the discrete Kirchhoff-Mindlin triangle
(I. Katili, "A new discrete Kirchhoff-Mindlin element based on Mindlin-Reissner plate theory and
assumed shear strain fields", Int. J. Numer. Methods Eng. 36 (1993) 1859-1883), which is free of
locking. A quadrilateral is four such triangles of half weight, two on each diagonal. Unknowns are
three translations and three rotations a node in the sheet's axes; all elements at once.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.elements.directors import DirectorForm, Stressed, cross_matrices
from belltone.vectors import cross

__all__ = ["FacetElements", "FacetWalls"]

Array = NDArray[np.float64]

_BATCH: Final = 20_000  # elements at a time
_SHEAR_FACTOR: Final = 5.0 / 6.0
_NEXT: Final = (1, 2, 0)
_BETA: Final = (1.0, 2.0, 1.0, 0.0, 1.0, -1.0, -1.0, -1.0, -2.0)
_ALPHA: Final = 1.5
_SIX: Final = 18


@dataclass(frozen=True)
class FacetWalls:
    """What each triangle is made of, all ``(triangles,)`` in SI units; ``weight`` counts it."""

    thickness: Array
    youngs_modulus: Array
    poisson_ratio: Array
    density: Array
    expansion: Array
    weight: Array

    def part(self, batch: slice) -> FacetWalls:
        """Some of the triangles."""
        return FacetWalls(
            self.thickness[batch],
            self.youngs_modulus[batch],
            self.poisson_ratio[batch],
            self.density[batch],
            self.expansion[batch],
            self.weight[batch],
        )


class FacetElements:
    """Matrices of triangles with corners ``(triangles, 3, 3)`` (m), and their strain energy."""

    def __init__(self, corners: Array, walls: FacetWalls) -> None:
        self._corners, self._walls = corners, walls

    def matrices(self) -> tuple[Array, Array]:
        """Stiffness and mass, each ``(triangles, 18, 18)``."""
        return self.stiffness(), self.inertia().hessian(self.directors)

    def stiffness(self) -> Array:
        """Stiffness ``(triangles, 18, 18)``, without that of stress."""
        stiffness = np.empty((len(self._corners), _SIX, _SIX))
        for batch in self._batches():
            facets = _Facets(self._corners[batch], self._walls.part(batch))
            membrane, bending, shear = facets.stiffnesses()
            stiffness[batch] = facets.spatial(membrane + bending + shear)
        return stiffness

    def inertia(self) -> DirectorForm:
        """Kinetic energy as a form of the velocities of nodes and directors.

        Drilling has none.
        """
        walls = self._walls
        pair = (np.ones((3, 3)) + np.eye(3)) / 12.0
        line = walls.density * walls.thickness * self.areas
        uu = line[:, None, None] * pair
        dd = uu * (walls.thickness**2 / 12)[:, None, None]
        return DirectorForm(uu, np.zeros((*uu.shape, 1)), dd[..., None, None])

    @property
    def positions(self) -> Array:
        """Corners ``(triangles, 3, 3)`` (m)."""
        return self._corners

    @property
    def directors(self) -> Array:
        """Normals, one for each corner, ``(triangles, 3, 1, 3)``."""
        edges = self._corners[:, 1:] - self._corners[:, :1]
        normal = cross(edges[:, 0], edges[:, 1])
        normal /= np.linalg.norm(normal, axis=1, keepdims=True)
        return np.repeat(normal[:, None, None], 3, axis=1)

    def stressed(self, motions: Array, heat: float, pull: float = 0.0) -> Stressed:
        """Forces of a rise of temperature (K), and the stiffness of the mean membrane stress.

        ``motions`` is ``(triangles, 18)``; forces are those of ``heat`` alone. The stiffness works
        on the slopes of all three translations, which are even over a triangle. ``pull`` has no
        meaning for a wall.
        """
        forces = np.empty((len(self._corners), _SIX))
        stiffness = np.zeros((len(self._corners), 3, 6, 3, 6))
        for batch in self._batches():
            facets = _Facets(self._corners[batch], self._walls.part(batch))
            pushed, stress, slopes = facets.membrane_stress(motions[batch], heat)
            forces[batch] = facets.spatial_vector(-pushed)
            plane = np.matmul(slopes.transpose(0, 2, 1), np.matmul(stress, slopes))
            for axis in range(3):
                stiffness[batch][:, :, axis, :, axis] = plane
        return Stressed(forces, stiffness.reshape(len(forces), _SIX, _SIX))

    def recovered(self, motions: Array, heat: float) -> Array:
        """Mean membrane forces ``(triangles, 3)`` (N/m) in the triangles' own axes."""
        found = np.empty((len(self._corners), 3))
        for batch in self._batches():
            facets = _Facets(self._corners[batch], self._walls.part(batch))
            _, tensor, _ = facets.membrane_stress(motions[batch], heat)
            found[batch] = tensor[:, [0, 1, 0], [0, 1, 1]] / self.areas[batch, None]
        return found

    def points(self) -> Array:
        """Middles of the triangles ``(triangles, 1, 3)`` (m)."""
        return np.asarray(self._corners.mean(axis=1, keepdims=True))

    def pushed(self, pressure: Array) -> Stressed:
        """Forces of pressure ``(triangles, 1)`` (Pa) along the normal, and their stiffness."""
        edges = self._corners[:, 1:] - self._corners[:, :1]
        share = pressure[:, 0] * self._walls.weight / 6
        forces = np.zeros((len(edges), 3, 6))
        forces[..., :3] = (share[:, None] * cross(edges[:, 0], edges[:, 1]))[:, None]
        # With e = x_2 - x_1 and f = x_3 - x_1 the change of e x f is e x df - f x de.
        blocks = np.zeros((len(edges), 3, 3))
        blocks[:, 2], blocks[:, 1] = -edges[:, 0], edges[:, 1]
        blocks[:, 0] = edges[:, 0] - edges[:, 1]
        one = cross_matrices(share[:, None, None] * blocks)  # by the node that moves
        pairs = np.broadcast_to(one[:, None], (len(edges), 3, 3, 3, 3))
        even = 0.5 * (pairs + pairs.transpose(0, 2, 1, 4, 3))
        stiffness = np.zeros((len(edges), 3, 6, 3, 6))
        stiffness[:, :, :3, :, :3] = even.transpose(0, 1, 3, 2, 4)
        return Stressed(forces.reshape(len(edges), _SIX), stiffness.reshape(len(edges), _SIX, _SIX))

    def strain_energy(self, motions: Array) -> Array:
        """Strain energy (J) of membrane, bending and shear, ``(modes, triangles, 3)``.

        ``motions`` is ``(modes, triangles, 18)``.
        """
        result = np.empty((*motions.shape[:2], 3))
        for batch in self._batches():
            facets = _Facets(self._corners[batch], self._walls.part(batch))
            own = facets.local(motions[:, batch])
            for kind, matrix in enumerate(facets.stiffnesses()):
                pushed = np.matmul(matrix, own)
                result[:, batch, kind] = 0.5 * np.sum(own * pushed, axis=1).T
        return result

    @property
    def areas(self) -> Array:
        """Area each triangle counts for (m²)."""
        edges = self._corners[:, 1:] - self._corners[:, :1]
        whole = 0.5 * np.linalg.norm(cross(edges[:, 0], edges[:, 1]), axis=1)
        return np.asarray(whole * self._walls.weight)

    def _batches(self) -> Iterator[slice]:
        for start in range(0, len(self._corners), _BATCH):
            yield slice(start, start + _BATCH)


class _Facets:
    """A batch of triangles in their own axes."""

    def __init__(self, corners: Array, walls: FacetWalls) -> None:
        first = corners[:, 1] - corners[:, 0]
        first /= np.linalg.norm(first, axis=1, keepdims=True)
        normal = cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        double = np.linalg.norm(normal, axis=1)
        normal /= double[:, None]
        self._frame = np.stack([first, cross(normal, first), normal], axis=1)
        flat = np.einsum(
            "tij,tcj->tci", self._frame[:, :2], corners - corners.mean(axis=1)[:, None]
        )
        self._x, self._y = flat[..., 0], flat[..., 1]
        self._area, self._walls = 0.5 * double, walls

    def local(self, motions: Array) -> Array:
        """Motions ``(modes, t, 18)`` in the triangles' own axes, ``(t, 18, modes)``."""
        modes, count = motions.shape[:2]
        turned = np.einsum("tij,mtkj->tkim", self._frame, motions.reshape(modes, count, 6, 3))
        return np.ascontiguousarray(turned.reshape(count, _SIX, modes))

    def spatial(self, matrix: Array) -> Array:
        """Matrices ``(t, 18, 18)`` from the triangles' own axes in the sheet's."""
        count = len(matrix)
        blocks = matrix.reshape(count, 6, 3, 6, 3)
        turned = np.einsum("tai,tkalb,tbj->tkilj", self._frame, blocks, self._frame, optimize=True)
        return np.asarray(turned.reshape(count, _SIX, _SIX))

    def stiffnesses(self) -> tuple[Array, Array, Array]:
        """Membrane, bending and shear, each ``(t, 18, 18)`` in own axes."""
        bending, shear = self._plate()
        return self._membrane(), bending, shear

    def spatial_vector(self, forces: Array) -> Array:
        """Forces ``(t, 18)`` from the triangles' own axes in the sheet's."""
        turned = np.einsum("tij,tki->tkj", self._frame, forces.reshape(len(forces), 6, 3))
        return np.asarray(turned.reshape(len(forces), _SIX))

    def membrane_stress(self, motions: Array, heat: float) -> tuple[Array, Array, Array]:
        """What warmth pushes with ``(t, 18)``, membrane forces times area, and slopes.

        The mean membrane forces (N/m) times area are ``(t, 2, 2)``; slopes ``(t, 2, 3)`` are those
        of functions that are one at a corner and fall evenly to zero on the side across.
        """
        walls, area = self._walls, self._area
        lumped = self._force_lumping(walls.thickness)
        own = self.local(motions[None])[..., 0].reshape(len(area), 3, 6)
        flat = own[:, :, [0, 1, 5]].reshape(len(area), 9)
        strain = np.einsum("tda,td->ta", lumped, flat) / (area * walls.thickness)[:, None]
        plane = self._plane_stress()
        swelling = heat * walls.expansion[:, None] * np.array([1.0, 1.0, 0.0])
        warm = np.einsum("tab,tb->ta", plane, swelling)
        pushed = np.zeros((len(area), 3, 6))
        at_corners = np.einsum("tda,ta->td", lumped, warm).reshape(len(area), 3, 3)
        pushed[:, :, [0, 1, 5]] = at_corners * walls.weight[:, None, None]
        stress = np.einsum("tab,tb->ta", plane, strain) - warm
        stress *= (area * walls.thickness * walls.weight)[:, None]
        tensor = stress[:, [[0, 2], [2, 1]]]
        ahead, behind = [1, 2, 0], [2, 0, 1]
        slopes = (
            np.stack(
                [self._y[:, ahead] - self._y[:, behind], self._x[:, behind] - self._x[:, ahead]],
                axis=1,
            )
            / (2 * area)[:, None, None]
        )
        return pushed.reshape(len(area), _SIX), tensor, slopes

    def _plane_stress(self) -> Array:
        """Stiffness ``(t, 3, 3)`` (Pa) on strains in the plane."""
        nu = self._walls.poisson_ratio
        plane = np.zeros((len(nu), 3, 3))
        plane[:, 0, 0] = plane[:, 1, 1] = 1.0
        plane[:, 0, 1] = plane[:, 1, 0] = nu
        plane[:, 2, 2] = 0.5 * (1 - nu)
        return np.asarray(plane * (self._walls.youngs_modulus / (1 - nu**2))[:, None, None])

    # -- membrane -------------------------------------------------------------------------------

    def _membrane(self) -> Array:
        walls, area = self._walls, self._area
        plane = self._plane_stress()
        lumped = self._force_lumping(walls.thickness)
        volume = area * walls.thickness
        basic = np.matmul(lumped, np.matmul(plane, lumped.transpose(0, 2, 1)))
        basic /= volume[:, None, None]
        matrix = basic + self._higher(plane, volume)
        return self._placed(matrix * walls.weight[:, None, None], (0, 1, 5))

    def _differences(self) -> tuple[Array, Array]:
        """Differences x_i - x_j and y_i - y_j of the corners, ``(t, 3, 3)``."""
        return self._x[:, :, None] - self._x[:, None], self._y[:, :, None] - self._y[:, None]

    def _force_lumping(self, thickness: Array) -> Array:
        x, y = self._differences()
        lumped = np.zeros((len(x), 9, 3))
        for i in range(3):
            j, k = (i + 1) % 3, (i + 2) % 3
            lumped[:, 3 * i, 0] = lumped[:, 3 * i + 1, 2] = y[:, j, k]
            lumped[:, 3 * i, 2] = lumped[:, 3 * i + 1, 1] = x[:, k, j]
            yjk, xkj = y[:, j, k], x[:, k, j]
            lumped[:, 3 * i + 2, 0] = _ALPHA * yjk * (y[:, i, k] - y[:, j, i]) / 6
            lumped[:, 3 * i + 2, 1] = _ALPHA * xkj * (x[:, k, i] - x[:, i, j]) / 6
            twist = x[:, k, i] * y[:, i, k] - x[:, i, j] * y[:, j, i]
            lumped[:, 3 * i + 2, 2] = _ALPHA * twist / 3
        return lumped * (0.5 * thickness)[:, None, None]

    def _higher(self, plane: Array, volume: Array) -> Array:
        """The higher-order stiffness of deviatoric corner rotations."""
        x, y = self._differences()
        area = self._area
        squares = x**2 + y**2
        sides = ((1, 0), (2, 1), (0, 2))
        lengths = np.stack([squares[:, a, b] for a, b in sides], axis=1)
        natural = np.empty((len(area), 3, 3))
        pairs = (((1, 2), (0, 2)), ((2, 0), (1, 0)), ((0, 1), (2, 1)))
        for column, ((a, b), (c, d)) in enumerate(pairs):
            size = lengths[:, column]
            natural[:, 0, column] = y[:, a, b] * y[:, c, d] * size
            natural[:, 1, column] = x[:, a, b] * x[:, c, d] * size
            natural[:, 2, column] = (y[:, a, b] * x[:, d, c] + x[:, b, a] * y[:, c, d]) * size
        natural /= (4 * area**2)[:, None, None]
        law = np.matmul(natural.transpose(0, 2, 1), np.matmul(plane, natural))
        b1, b2, b3, b4, b5, b6, b7, b8, b9 = _BETA
        patterns = (
            ((b1, b2, b3), (b4, b5, b6), (b7, b8, b9)),
            ((b9, b7, b8), (b3, b1, b2), (b6, b4, b5)),
            ((b5, b6, b4), (b8, b9, b7), (b2, b3, b1)),
        )
        corner = [
            (2 * area / 3)[:, None, None] * np.array(pattern) / lengths[:, :, None]
            for pattern in patterns
        ]
        turning = np.zeros((len(area), 3, 3))
        for a in range(3):
            middle = 0.5 * (corner[a] + corner[_NEXT[a]])
            turning += np.matmul(middle.transpose(0, 2, 1), np.matmul(law, middle))
        nu = self._walls.poisson_ratio
        size = 0.75 * np.maximum(0.5 * (1 - 4 * nu**2), 0.01) * volume
        turning *= size[:, None, None]
        to_corner = np.zeros((len(area), 3, 9))
        for i in range(3):
            j, k = (i + 1) % 3, (i + 2) % 3
            to_corner[:, :, 3 * i] = (x[:, k, j] / (4 * area))[:, None]
            to_corner[:, :, 3 * i + 1] = (y[:, k, j] / (4 * area))[:, None]
            to_corner[:, i, 3 * i + 2] = 1.0
        return np.asarray(np.matmul(to_corner.transpose(0, 2, 1), np.matmul(turning, to_corner)))

    # -- bending --------------------------------------------------------------------------------

    def _plate(self) -> tuple[Array, Array]:
        walls, area = self._walls, self._area
        nu, h = walls.poisson_ratio, walls.thickness
        count = len(area)
        law = np.zeros((count, 3, 3))
        law[:, 0, 0] = law[:, 1, 1] = 1.0
        law[:, 0, 1] = law[:, 1, 0] = nu
        law[:, 2, 2] = 0.5 * (1 - nu)
        law *= (walls.youngs_modulus * h**3 / (12 * (1 - nu**2)))[:, None, None]
        x, y = self._x, self._y
        after = [1, 2, 0]
        run = np.stack([x[:, after] - x, y[:, after] - y], axis=-1)
        length = np.linalg.norm(run, axis=-1)
        way = run / length[..., None]
        softness = 2 / (_SHEAR_FACTOR * (1 - nu))[:, None] * (h[:, None] / length) ** 2
        # Side k runs from corner k to the next; its extra rotation follows from the corners'.
        extra = np.zeros((count, 3, 9))
        for k in range(3):
            i, j = k, after[k]
            fall = -1.5 / (length[:, k] * (1 + softness[:, k]))
            tilt = -0.75 / (1 + softness[:, k])
            extra[:, k, 3 * j] += fall
            extra[:, k, 3 * i] -= fall
            for corner in (i, j):
                extra[:, k, 3 * corner + 1] += tilt * way[:, k, 0]
                extra[:, k, 3 * corner + 2] += tilt * way[:, k, 1]
        ahead, behind = [1, 2, 0], [2, 0, 1]
        slope_x = (y[:, ahead] - y[:, behind]) / (2 * area)[:, None]
        slope_y = (x[:, behind] - x[:, ahead]) / (2 * area)[:, None]
        even = np.zeros((count, 3, 9))
        for i in range(3):
            even[:, 0, 3 * i + 1] = even[:, 2, 3 * i + 2] = slope_x[:, i]
            even[:, 1, 3 * i + 2] = even[:, 2, 3 * i + 1] = slope_y[:, i]
        bending = np.zeros((count, 9, 9))
        for point in ((0.5, 0.5, 0.0), (0.0, 0.5, 0.5), (0.5, 0.0, 0.5)):
            bubble = np.zeros((count, 3, 3))
            for k in range(3):
                i, j = k, after[k]
                by_x = 4 * (slope_x[:, i] * point[j] + slope_x[:, j] * point[i])
                by_y = 4 * (slope_y[:, i] * point[j] + slope_y[:, j] * point[i])
                bubble[:, 0, k] = by_x * way[:, k, 0]
                bubble[:, 1, k] = by_y * way[:, k, 1]
                bubble[:, 2, k] = by_y * way[:, k, 0] + by_x * way[:, k, 1]
            curved = even + np.matmul(bubble, extra)
            weight = (area / 3 * walls.weight)[:, None, None]
            bending += weight * np.matmul(curved.transpose(0, 2, 1), np.matmul(law, curved))
        along = (-2.0 / 3.0 * softness)[..., None] * extra
        modulus = walls.youngs_modulus / (2 * (1 + nu))
        stiff = _SHEAR_FACTOR * modulus * h * area * walls.weight / 12
        at_corner = np.zeros((count, 3, 2, 9))
        for i in range(3):
            out, back = i, behind[i]
            pair = np.stack([way[:, out], way[:, back]], axis=1)
            both = np.stack([along[:, out], along[:, back]], axis=1)
            at_corner[:, i] = np.linalg.solve(pair, both)
        pairs = np.ones((3, 3)) + np.eye(3)
        shear = np.einsum("ij,tida,tjdb,t->tab", pairs, at_corner, at_corner, stiff, optimize=True)
        return self._plate_placed(bending), self._plate_placed(shear)

    def _plate_placed(self, matrix: Array) -> Array:
        """From (w, beta x, beta y) a corner to translations and rotations."""
        # beta x turns the director towards x, which is a rotation about y; beta y one about -x.
        order = [3 * i + k for i in range(3) for k in (0, 2, 1)]
        sign = np.tile([1.0, -1.0, 1.0], 3)
        turned = matrix[:, order][:, :, order] * sign[:, None] * sign
        return self._placed(turned, (2, 3, 4))

    @staticmethod
    def _placed(matrix: Array, places: tuple[int, int, int]) -> Array:
        count = len(matrix)
        result = np.zeros((count, 3, 6, 3, 6))
        blocks = matrix.reshape(count, 3, 3, 3, 3)
        for a, row in enumerate(places):
            for b, column in enumerate(places):
                result[:, :, row, :, column] = blocks[:, :, a, :, b]
        return np.asarray(result.reshape(count, _SIX, _SIX))
