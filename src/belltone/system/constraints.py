"""Motions of sites as rows on all unknowns: held, on springs, or tied to those of another part."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.elements.directors import cross_matrices, turning_stiffness, turns, unturned
from belltone.mesh.sites import Feet, SiteNodes
from belltone.mesh.spots import turn_by_slides
from belltone.system.pose import Pose
from belltone.vectors import cross

__all__ = [
    "Tie",
    "foot_of",
    "hinged_tie",
    "mean_motion",
    "motions_of",
    "one_body",
    "relative_tie",
    "repeated",
    "site_motion",
    "site_rows",
    "turns_of",
    "welded_tie",
]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]

_UPRIGHT: Final = 1e-6  # sine of an angle; less is no angle
_DIGITS: Final = 6  # of a normal's parts, by which the least is told
_SLIDES: Final = slice(0, 3)
_TURNS: Final = slice(3, 6)


def site_rows(
    site: SiteNodes, directions: Array, own: bool, size: int, pose: Pose | None = None
) -> scipy.sparse.csr_matrix:
    """Motions along directions ``(k, 6)`` of each station, as rows on all unknowns.

    ``own`` directions go by each station's own axes, others by the sheet's. Rows run over the
    directions of the first station, then of the next. With a ``pose`` the rows are of motions from
    there on, and have one more column: how far the stations have moved so far.
    """
    spatial = _spatial(site, directions, own)
    rows = _rows(site, spatial, size, pose)
    return rows if pose is None else _with_values(rows, _measured(spatial, motions_of(site, pose)))


@dataclass(frozen=True)
class Tie:
    """Stations tied to feet on another part, carried there rigidly along directions.

    ``spatial`` (stations, k, 6) are the directions as made; they turn with the feet, and so do the
    arms from a foot to its station. Called with a pose it gives the rows as `site_rows` does.

    With ``shares`` (rows' stations, stations) the rows are such means of those of the stations.
    """

    site: SiteNodes
    feet: Feet
    spatial: Array
    size: int
    shares: scipy.sparse.csr_matrix | None = None

    @property
    def arms(self) -> Array:
        """From the feet to the stations, as made ``(stations, 3)`` (m)."""
        return np.asarray(self.site.positions - self.feet.positions)

    def __call__(self, pose: Pose | None = None) -> scipy.sparse.csr_matrix:
        """The rows, at a pose with what they come to already."""
        site, feet = self.site, self.feet
        gaps = np.zeros((len(site), 6))
        turned, arms, spatial = self._now(pose)
        if pose is not None:
            apart = motions_of(site, pose)[:, :3] - motions_of(feet, pose)[:, :3]
            gaps[:, :3] = apart - (arms - self.arms)
            own = turns_of(site, pose)
            gaps[:, 3:] = unturned(own @ turned.swapaxes(1, 2))
        carried = spatial.copy()
        carried[..., 3:] += cross(arms[:, None], spatial[..., :3])
        ours = _rows(site, spatial, self.size, pose)
        theirs = _rows(feet, carried, self.size, pose)
        rows = scipy.sparse.csr_matrix(ours - theirs)
        if pose is not None:
            rows = _with_values(rows, _measured(spatial, gaps))
        return rows if self.shares is None else scipy.sparse.csr_matrix(self._means @ rows)

    @cached_property
    def _means(self) -> scipy.sparse.csr_matrix:
        """What the rows are means of: of each station all directions."""
        assert self.shares is not None
        directions = scipy.sparse.eye_array(self.spatial.shape[1])
        return scipy.sparse.csr_matrix(scipy.sparse.kron(self.shares, directions, format="csr"))

    def stress_stiffness(self, multipliers: Array, pose: Pose | None) -> scipy.sparse.csc_matrix:
        """What forces carried over the arms add to the stiffness, as under a pendulum.

        ``multipliers`` are the forces along the rows that hold a balance with what is tied.
        """
        _, arms, spatial = self._now(pose)
        if self.shares is not None:
            multipliers = np.asarray(self._means.T @ multipliers)
        forces = np.einsum("skd,sk->sd", spatial[..., :3], multipliers.reshape(spatial.shape[:2]))
        blocks = turning_stiffness(-forces[:, :, None] * arms[:, None, :])
        turning = np.zeros((len(arms), 3, 6))
        turning[:, :, 3:] = np.eye(3)
        rows = _rows(self.feet, turning, self.size, pose)
        return scipy.sparse.csc_matrix(
            rows.T @ scipy.sparse.block_diag(list(blocks), format="csr") @ rows
        )

    def _now(self, pose: Pose | None) -> tuple[Array, Array, Array]:
        """How far the feet have turned, the arms and the directions at a pose."""
        if pose is None:
            return np.broadcast_to(np.eye(3), (len(self.arms), 3, 3)), self.arms, self.spatial
        turned = turns_of(self.feet, pose)
        halves = np.split(self.spatial, 2, axis=2)
        spatial = [np.einsum("sij,skj->ski", turned, half) for half in halves]
        arms = np.einsum("sij,sj->si", turned, self.arms)
        return turned, arms, np.concatenate(spatial, axis=2)


def relative_tie(site: SiteNodes, feet: Feet, directions: Array, own: bool, size: int) -> Tie:
    """Motions of stations against those of feet, along directions as in `site_rows`."""
    return Tie(site, feet, _spatial(site, directions, own), size)


def welded_tie(
    site: SiteNodes, feet: Feet, size: int, shares: scipy.sparse.csr_matrix | None = None
) -> Tie:
    """All motions of stations against those of feet, but for turns about the normal of a wall.

    A wall has no stiffness of its own against such a turn at a point: a line of stations that
    slides with it turns with it as well. ``shares`` are those of a `Tie`.
    """
    if feet.normals is None:
        return Tie(site, feet, _spatial(site, np.eye(6), False), size, shares)
    spatial = np.zeros((len(site), 5, 6))
    spatial[:, :3, :3] = np.eye(3)
    spatial[:, 3:, 3:] = _square_to(feet.normals, site.frames[:, 0])
    return Tie(site, feet, spatial, size, shares)


def _square_to(normals: Array, along: Array) -> Array:
    """Two directions square to each of some normals, the second nearly along a line.

    They turn with the line, so that a mean over them is one of the same turn everywhere. Where the
    line stands square on a wall they are the same where its normals are.
    """
    across = cross(normals, along)
    length = np.linalg.norm(across, axis=1, keepdims=True)
    least = np.argmin(np.abs(normals).round(_DIGITS), axis=1)
    other = cross(normals, np.eye(3)[least])
    across = np.where(length > _UPRIGHT, across, other)
    across /= np.linalg.norm(across, axis=1, keepdims=True)
    return np.stack([across, cross(across, normals)], axis=1)


def hinged_tie(
    site: SiteNodes, feet: Feet, size: int, shares: scipy.sparse.csr_matrix | None = None
) -> Tie:
    """All motions a weld ties but the turn about the line of stations.

    The slides along a line tie its slope too, but only by the way of a wall that does not shear.
    ``shares`` are those of a `Tie`.
    """
    along = site.frames[:, 0]
    if feet.normals is None:
        turns = site.frames[:, 1:]
    else:
        across = cross(feet.normals, along)
        length = np.linalg.norm(across, axis=1, keepdims=True)
        # Where the line stands square on the wall, there is nothing but its own direction left.
        turns = (across / np.where(length > _UPRIGHT, length, np.inf))[:, None]
    spatial = np.zeros((len(site), 3 + turns.shape[1], 6))
    spatial[:, :3, :3] = np.eye(3)
    spatial[:, 3:, 3:] = turns
    return Tie(site, feet, spatial, size, shares)


def mean_motion(
    feet: Feet, centre: Array, size: int, pose: Pose | None = None
) -> scipy.sparse.csr_matrix:
    """The mean motion (6 rows) of places round a point, given at the point.

    The slide is the mean of what each place would carry to the point, the turn the mean of the
    places' turns. On a wall, which has no stiffness of its own against turns about its normal,
    those count for nothing: the turn about the normal, in both, is that of the ring the places
    stand on, by least squares of their slides.
    """
    count = len(feet.nodes)
    spatial = np.tile(np.eye(6), (count, 1, 1)) / count
    arms = centre - feet.positions
    values = np.zeros(6)
    out = feet.positions - feet.positions.mean(axis=0)
    normals = feet.normals
    if pose is not None:
        turned = turns_of(feet, pose)
        swung = np.einsum("sij,sj->si", turned, arms)
        moved = motions_of(feet, pose)
        values[:3] = (moved[:, :3] + swung - arms).mean(axis=0)
        left, _, right = np.linalg.svd(turned.mean(axis=0))
        values[3:] = unturned(left @ right)
        arms = swung
        out = out + moved[:, :3] - moved[:, :3].mean(axis=0)
        if normals is not None:
            normals = np.einsum("sij,sj->si", turned, normals)
    spatial[..., 3:] += cross(arms[:, None], spatial[..., :3])
    if normals is not None:
        normal = normals.mean(axis=0)
        normal /= np.linalg.norm(normal)
        spatial[..., 3:] -= (spatial[..., 3:] @ normal)[..., None] * normal
        # Each row's share of a turn of the whole ring about the normal.
        turn = np.concatenate([cross(normal, arms.mean(axis=0)), normal])
        spatial[:, :, :3] += turn[:, None] * turn_by_slides(out, normal)[:, None, :]
    rows = _rows(feet, spatial, size)
    gather = np.tile(np.eye(6), count)
    mean = scipy.sparse.csr_matrix(scipy.sparse.csr_matrix(gather) @ rows)
    return mean if pose is None else _with_values(mean, values)


def one_body(site: SiteNodes, size: int) -> Tie:
    """Ties that make all stations of a site move as one body, its nodes all together."""
    follows = site.some(np.arange(len(site)) > 0)
    return relative_tie(follows, repeated(foot_of(site), len(follows)), np.eye(6), False, size)


def foot_of(site: SiteNodes) -> Feet:
    """The first station of a site as a foot for others."""
    first = site.some(np.arange(len(site)) == 0)
    parts = first.nodes, first.weights, first.positions, np.zeros(1)
    return Feet(*parts, turning=first.turning)


def repeated(feet: Feet, count: int) -> Feet:
    """One foot, for many stations."""
    return feet.some(np.zeros(count, np.intp))


def site_motion(site: SiteNodes, size: int) -> scipy.sparse.csr_matrix:
    """The motion (6 rows) at the centre of a site that moves as one, on all unknowns."""
    first = site.some(np.arange(len(site)) == 0)
    carry = np.eye(6)
    carry[:3, 3:] = -cross_matrices(site.centre - site.positions[0])
    return scipy.sparse.csr_matrix(carry @ site_rows(first, np.eye(6), False, size))


def motions_of(places: SiteNodes | Feet, pose: Pose) -> Array:
    """How far places have moved (m) and turned (rad), ``(places, 6)``."""
    turned = turns_of(places, pose)
    moved = pose.displacements_at(places.nodes, places.weights)
    if places.turning is not None:
        here = places.turning.turned(turned)
        within = pose.displacements_at(here.nodes, here.shares) + here.back - places.turning.back
        off = np.sum((moved - within) * here.axes, axis=1, keepdims=True)
        moved = within + off * here.axes
    return np.hstack([moved, unturned(turned)])


def turns_of(places: SiteNodes | Feet, pose: Pose) -> Array:
    """Rotation matrices of places ``(places, 3, 3)``; about a wall's normal, that of its slides."""
    if places.turning is None:
        return pose.turned_at(places.nodes, places.weights)
    found = pose.turned_at(places.turning.nodes, places.turning.shares)
    here = places.turning.turned(found)
    moved = pose.displacements_at(places.nodes, places.weights)
    # What is left of the slides once the place has moved and turned as its own nodes say.
    left = pose.displacements[here.nodes] - moved[:, None] - (here.arms - places.turning.arms)
    more = np.einsum("skd,skd->s", here.slides, left)
    return np.asarray(turns(more[:, None] * here.axes) @ found)


def _measured(spatial: Array, motions: Array) -> Array:
    """Motions ``(stations, 6)`` along directions ``(stations, k, 6)``, flat."""
    return np.asarray(np.einsum("skd,sd->sk", spatial, motions).ravel())


def _with_values(rows: scipy.sparse.csr_matrix, values: Array) -> scipy.sparse.csr_matrix:
    """Rows with a last column of what they come to already."""
    column = scipy.sparse.csr_matrix(values[:, None])
    return scipy.sparse.csr_matrix(scipy.sparse.hstack([rows, column], format="csr"))


def _spatial(site: SiteNodes, directions: Array, own: bool) -> Array:
    """Directions ``(stations, k, 6)`` in the sheet's axes."""
    if not own:
        return np.broadcast_to(directions, (len(site), *directions.shape)).copy()
    turned = [
        np.einsum("kj,sjc->skc", directions[:, first : first + 3], site.frames) for first in (0, 3)
    ]
    return np.concatenate(turned, axis=-1)


def _rows(
    places: SiteNodes | Feet, spatial: Array, size: int, pose: Pose | None = None
) -> scipy.sparse.csr_matrix:
    """Motions of places along directions ``(places, k, 6)`` in the sheet's axes."""
    turning = places.turning
    if turning is None:
        return _entries(places.nodes, places.weights[:, None, :, None] * spatial[:, :, None], size)
    if pose is not None:
        turning = turning.turned(turns_of(places, pose))
    off, about = (spatial[..., part] @ turning.axes[:, :, None] for part in (_SLIDES, _TURNS))
    axes = turning.axes[:, None]
    beside = np.concatenate(
        [spatial[..., _SLIDES] - off * axes, spatial[..., _TURNS] - about * axes], 2
    )
    # What slides in the wall does so about the middle of the nodes, and is carried to the point.
    about = about + beside[..., _SLIDES] @ cross(turning.axes, turning.back)[:, :, None]
    turned = turning.shares[:, None, :, None] * beside[:, :, None]
    turned[..., _SLIDES] += about[..., None] * turning.slides[:, None]
    moved = np.zeros((*off.shape[:2], places.nodes.shape[1], 6))
    moved[..., _SLIDES] = places.weights[:, None, :, None] * (off * axes)[:, :, None]
    rows = _entries(places.nodes, moved, size) + _entries(turning.nodes, turned, size)
    return scipy.sparse.csr_matrix(rows)


def _entries(nodes: IntArray, values: Array, size: int) -> scipy.sparse.csr_matrix:
    """Rows with ``values`` ``(places, k, per, 6)`` at the unknowns of nodes ``(places, per)``."""
    places, count, per, _ = values.shape
    columns = np.broadcast_to((6 * nodes[:, None, :, None] + np.arange(6)), (places, count, per, 6))
    ends = np.arange(0, values.size + 1, 6 * per)
    matrix = scipy.sparse.csr_matrix(
        (values.ravel(), columns.ravel(), ends), shape=(places * count, size)
    )
    matrix.sum_duplicates()  # where elements close on themselves a node comes twice
    matrix.eliminate_zeros()
    return matrix
