"""The pattern of a wall's motion: half-waves, waves round an axis, twist, in-plane motion.

Patterns are read off the witness points, laid out on an even grid of the wall's own coordinates.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.geometry.revolution import revolution_axis
from belltone.geometry.shapes import Disc, Extruded, Lofted, Plate, Revolved, extent, on_axis
from belltone.geometry.skins import Skin
from belltone.mesh.surface import SurfaceMesh, witness_points
from belltone.system.witness import SurfaceWitness

__all__ = ["counted", "lobes", "wall_kinds"]

Array = NDArray[np.float64]

_ALONG: Final = 41
_AROUND: Final = 72
_SEPARABLE: Final = 0.7  # share of a pattern one product of two lines must hold to be counted
_QUIET: Final = 0.08  # of the largest; smaller lobes are not counted as half-waves
_IN_PLANE: Final = 0.25  # normal share of the motion below which a mode is in the wall's plane
_LONG: Final = 4.0  # times the radius of gyration of its sections, from where a shell is a beam
_KEPT: Final = 0.85  # share of the motion across by which sections move as they are
_MOST_OF_IT: Final = 0.6  # of the motion; one face that has so much tells the pattern
_MOVES: Final = 0.15  # of the motion, from where a face is named
_FLAT: Final = 0.9999  # length of the mean normal of a flat face
_STRAIGHT: Final = 0.95  # share of a cross line that is a plain tilt in a twisting mode


def wall_kinds(mesh: SurfaceMesh, witness: SurfaceWitness, shapes: Array) -> tuple[str, ...]:
    """Say what kind of motion each shape ``(modes, points, 6)`` of a wall is."""
    shape = mesh.surface.shape
    normal = np.einsum("mpd,pd->mp", shapes[..., :3], witness.normals)
    moving = np.sum(shapes[..., :3] ** 2, axis=-1) @ witness.masses
    share = (normal**2 @ witness.masses) / np.where(moving > 0, moving, 1.0)
    if not len(shapes):
        return ()
    if isinstance(shape, Skin):
        return _on_skin(mesh, shape, witness, shapes)
    if isinstance(shape, Revolved) and shape.full:
        return _turned(mesh, witness, shapes)
    if isinstance(shape, Plate) and isinstance(shape.outline, Disc) and not shape.holes:
        return _on_disc(mesh, witness, normal, share)
    flat = isinstance(shape, Plate)
    grid = _Grid(_coordinates(mesh, around=False))
    beams = [""] * len(shapes) if flat else _as_beams(grid, mesh, witness, shapes)
    return tuple(
        beam or ("in-plane" if out < _IN_PLANE and flat else _across(values, flat))
        for values, out, beam in zip(grid.read(normal), share, beams, strict=True)
    )


def _as_beams(grid: _Grid, mesh: SurfaceMesh, witness: SurfaceWitness, shapes: Array) -> list[str]:
    """How a long shell moves whose cross-sections keep their shape; nothing where they do not."""
    if isinstance(mesh.surface.shape, Revolved):
        return [""] * len(shapes)
    places = grid.read(witness.positions.T).transpose(2, 1, 0)  # along, round, 3
    arms = places - places.mean(axis=1, keepdims=True)
    length = places[-1].mean(axis=0) - places[0].mean(axis=0)
    if np.linalg.norm(length) < _LONG * np.sqrt(np.mean(np.sum(arms**2, axis=2))):
        return [""] * len(shapes)
    axis = length / np.linalg.norm(length)
    round_it = np.cross(axis, arms)
    found: list[str] = []
    for shape in shapes[..., :3]:
        moved = grid.read(shape.T).transpose(2, 1, 0)
        middle = moved.mean(axis=1)
        turn = np.sum(round_it * moved, axis=(1, 2)) / np.sum(round_it**2, axis=(1, 2))
        # What a section's plane does beside: it tilts as the beam bends, or warps a little.
        stiff = middle[:, None] + turn[:, None, None] * round_it
        across = moved - np.einsum("lrd,d->lr", moved, axis)[..., None] * axis
        kept = stiff - np.einsum("lrd,d->lr", stiff, axis)[..., None] * axis
        left, whole = float(np.sum((across - kept) ** 2)), float(np.sum(across**2))
        if left > (1 - _KEPT) * whole or not whole > 0:
            found.append("")
            continue
        slides = middle - np.outer(middle @ axis, axis)
        sizes = np.sum(slides**2, axis=0)
        turns = float(np.sum((turn[:, None, None] * round_it) ** 2)) / round_it.shape[1]
        way = int(np.argmax(sizes))
        if turns > float(sizes.sum()):
            found.append(f"twist about its length, {counted(lobes(turn), 'half-wave')}")
        else:
            waves = counted(lobes(slides[:, way]), "half-wave")
            found.append(f"bending as a beam along {'xyz'[way]}, {waves}")
    return found


class _Grid:
    """An even grid over places in a plane, such as a wall's own coordinates of witness points."""

    def __init__(self, places: Array, around: bool = False) -> None:
        self._places = places
        if around:
            radius = np.hypot(*self._places.T)
            low, high = float(radius.min()), float(radius.max())
            rings = low + (high - low) * np.linspace(0.0, 1.0, _ALONG)
            angles = np.linspace(0.0, 2 * np.pi, _AROUND, endpoint=False)
            self.rings, self.angles = rings, angles
            at = rings[:, None, None] * np.stack([np.cos(angles), np.sin(angles)], axis=-1)
        else:
            low_corner, high_corner = self._places.min(axis=0), self._places.max(axis=0)
            lines = np.linspace(low_corner, high_corner, _ALONG)
            at = np.stack(np.meshgrid(lines[:, 0], lines[:, 1], indexing="ij"), axis=-1)
        self._at = at.reshape(-1, 2)
        self.form = at.shape[:2]

    def read(self, fields: Array) -> Array:
        """Fields ``(k, points)`` on the grid, ``(k, first, second)``; holes are bridged."""
        rows = _interpolation(self._places.tobytes(), self._at.tobytes())
        found = np.asarray(rows @ fields.T)
        return np.asarray(found.T.reshape(len(fields), *self.form))


@lru_cache(maxsize=16)
def _interpolation(places: bytes, at: bytes) -> scipy.sparse.csr_matrix:
    """Rows that read fields given at places in a plane at others; outside them the nearest counts.

    Both come as the bytes of ``(n, 2)`` numbers: a wall's own places change little with its sizes.
    """
    known, wanted = (np.frombuffer(own).reshape(-1, 2) for own in (places, at))
    triangles = scipy.spatial.Delaunay(known)
    inside = triangles.find_simplex(wanted)
    to_shares = triangles.transform[inside]
    two = np.einsum("nij,nj->ni", to_shares[:, :2], wanted - to_shares[:, 2])
    shares = np.column_stack([two, 1 - two.sum(axis=1)])
    nodes = triangles.simplices[inside]
    outside = np.flatnonzero((inside < 0) | np.isnan(two).any(axis=1))
    if len(outside):
        shares[outside] = [1.0, 0.0, 0.0]
        nearest = np.asarray(scipy.spatial.cKDTree(known).query(wanted[outside])[1])
        nodes[outside] = nearest[:, None]
    rows = np.repeat(np.arange(len(wanted)), 3)
    entries = (shares.ravel(), (rows, nodes.ravel()))
    return scipy.sparse.csr_matrix(entries, shape=(len(wanted), len(known)))


def _on_skin(
    mesh: SurfaceMesh, skin: Skin, witness: SurfaceWitness, shapes: Array
) -> tuple[str, ...]:
    """Kinds on a received skin: the pattern of the face that moves most, or those that move."""
    axis = revolution_axis(witness.positions, witness.normals)
    if axis is not None:
        return _about(*_wheel(witness.positions, *axis), witness, shapes)
    blocks = witness_points(mesh.blocks)[0]
    regions = skin.regions[[mesh.blocks.blocks[block].segment for block in blocks]]
    grids: dict[int, _Grid | None] = {}
    names: list[str] = []
    for shape in shapes[..., :3]:
        normal = np.einsum("pd,pd->p", shape, witness.normals)
        energy = np.sum(shape**2, axis=1) * witness.masses
        share = np.bincount(regions, energy, len(skin.names)) / max(float(energy.sum()), 1e-300)
        loud = np.argsort(-share)
        region = int(loud[0])
        where = "" if len(skin.names) == 1 else f" of {skin.names[region]}"
        own = regions == region
        if region not in grids:
            grids[region] = _flat_grid(witness.positions[own], witness.normals[own])
        grid = grids[region]
        out = float(normal[own] ** 2 @ witness.masses[own]) / float(energy[own].sum() or 1.0)
        if share[region] < _MOST_OF_IT:
            together = [skin.names[each] for each in loud if share[each] > _MOVES]
            names.append(f"bending of {' and '.join(together[:3])}")
        elif out < _IN_PLANE:
            names.append(f"in-plane{where}")
        elif grid is None:
            names.append(f"bending{where or ' of the wall'}")
        else:
            first, *rest = _across(grid.read(normal[own][None])[0], True).split(", ", 1)
            first = first.split(" about ")[0]  # its own axes have no names
            names.append(", ".join([f"{first}{where}", *rest]))
    return tuple(names)


def _wheel(places: Array, origin: Array, axis: Array) -> tuple[Array, Array, Array]:
    """Places about an axis laid out as a wheel, the axis' origin, and a frame with it as z.

    Along the meridian they go by their place on its longest way; the hub is a pole, where one is.
    """
    side = np.cross(axis, np.eye(3)[int(np.argmin(np.abs(axis)))])
    side /= np.linalg.norm(side)
    frame = np.column_stack([side, np.cross(axis, side), axis])
    own = (places - origin) @ frame
    radius, height = np.hypot(own[:, 0], own[:, 1]), own[:, 2]
    meridian = np.column_stack([radius, height])
    _, _, ways = np.linalg.svd(meridian - meridian.mean(axis=0), full_matrices=False)
    share = (meridian - meridian.mean(axis=0)) @ ways[0]
    share = (share - share.min()) / max(float(np.ptp(share)), 1e-300)
    if radius[np.argmin(share)] > radius[np.argmax(share)]:
        share = 1 - share
    hub = 0.0 if radius.min() < 0.05 * radius.max() else 0.5
    angle = np.arctan2(own[:, 1], own[:, 0])
    wheel = (share + hub)[:, None] * np.column_stack([np.cos(angle), np.sin(angle)])
    return wheel, origin, frame


def _flat_grid(positions: Array, normals: Array) -> _Grid | None:
    """A grid over a flat face, its longer way first; ``None`` where it is not flat."""
    if np.linalg.norm(normals.mean(axis=0)) < _FLAT:
        return None
    _, _, ways = np.linalg.svd(positions - positions.mean(axis=0), full_matrices=False)
    places = positions @ ways[:2].T
    low = places.min(axis=0)
    return _Grid((places - low) / np.maximum(np.ptp(places, axis=0), 1e-300))


def _coordinates(mesh: SurfaceMesh, around: bool) -> Array:
    """Places of the witness points in a plane: lengths along both coordinates, or a wheel."""
    blocks, u, v, _ = witness_points(mesh.blocks)
    places = np.empty((len(blocks), 2))
    shape = mesh.surface.shape
    for number, block in enumerate(mesh.blocks.blocks):
        here = blocks == number
        first, second = block.chart(u[here], v[here]).T
        if isinstance(shape, Revolved | Extruded | Lofted):
            pieces = shape.profile.segments
            before = sum(piece.length for piece in pieces[: block.segment])
            first = (before + first * pieces[block.segment].length) / shape.profile.length
        places[here] = np.column_stack([first, second])
    if isinstance(shape, Plate):
        low, high = extent(shape.outline)
        return places if around else np.asarray((places - low) / (high - low))
    if not around:
        return np.asarray(places / [1.0, max(float(places[:, 1].max()), 1e-300)])
    assert isinstance(shape, Revolved)
    # A shell of revolution as a wheel: the hub is open unless the profile starts on the axis.
    share, angle = places.T
    pieces = shape.profile.segments
    ends = (pieces[0].start, pieces[-1].stop)
    top, bottom = (on_axis(point, shape.profile.length) for point in ends)
    radius = (1 - share) if bottom else share
    if not (top or bottom):
        radius = radius + 0.5
    return np.column_stack([radius * np.cos(angle), radius * np.sin(angle)])


def lobes(line: Array) -> int:
    """Half-waves of a line: lobes of alternating sign that are more than noise."""
    loud = line[np.abs(line) > _QUIET * np.abs(line).max()]
    return 1 + int(np.count_nonzero(np.diff(np.sign(loud))))


def _across(grid: Array, flat: bool) -> str:
    """Name a pattern over two coordinates from its half-waves.

    On plates these are x and y, on shells the profile and the length.
    """
    if not np.abs(grid).max() > 0:
        return "in-plane"
    first, strengths, second = np.linalg.svd(grid)
    if strengths[0] ** 2 < _SEPARABLE * np.sum(strengths**2):
        return "bending, mixed pattern"
    lines = first[:, 0], second[0]
    counts = [lobes(line) for line in lines]
    for here, name in ((0, "y"), (1, "x")) if flat else ():
        if counts[here] == 2 and _tilt(lines[here]) > _STRAIGHT:
            other = counts[1 - here]
            if other == 1 or _tilt(lines[1 - here]) > _STRAIGHT:
                return f"twist about {name}" if other == 1 else "twist"
            return f"twist about {name}, {other} half-waves"
    if flat:
        return f"bending, {counts[0]} × {counts[1]} half-waves"
    return f"bending, {counted(counts[1], 'half-wave')} along, {counts[0]} across"


def _tilt(line: Array) -> float:
    """Share of a line that is straight and through zero at its middle."""
    ramp = np.linspace(-1.0, 1.0, len(line))
    return float((line @ ramp) ** 2 / ((line @ line) * (ramp @ ramp)))


def _on_disc(
    mesh: SurfaceMesh, witness: SurfaceWitness, normal: Array, share: Array
) -> tuple[str, ...]:
    grid = _Grid(_coordinates(mesh, around=True), around=True)
    names: list[str] = []
    for values, out in zip(grid.read(normal), share, strict=True):
        if out < _IN_PLANE:
            names.append("in-plane")
            continue
        waves, profile = _strongest(values[None], grid.rings)
        circles = lobes(profile[0]) - 1
        names.append(
            f"bending, {counted(waves, 'nodal diameter')}, {counted(circles, 'nodal circle')}"
        )
    return tuple(names)


def counted(number: int, what: str) -> str:
    """A number of things, such as “2 half-waves”."""
    return f"{number} {what}" if number == 1 else f"{number} {what}s"


def _turned(mesh: SurfaceMesh, witness: SurfaceWitness, shapes: Array) -> tuple[str, ...]:
    """Kinds on a full shell of revolution, from its waves round the axis."""
    wall = mesh.surface
    return _about(_coordinates(mesh, around=True), wall.origin, wall.frame, witness, shapes)


def _about(
    places: Array, origin: Array, frame: Array, witness: SurfaceWitness, shapes: Array
) -> tuple[str, ...]:
    """The same about the z of a frame (axes as columns); ``places`` are laid out as a wheel."""
    grid = _Grid(places, around=True)
    own = (witness.positions - origin) @ frame
    out = own[:, :2] / np.maximum(np.linalg.norm(own[:, :2], axis=1, keepdims=True), 1e-12)
    around = np.column_stack([-out[:, 1], out[:, 0], np.zeros(len(out))]) @ frame.T
    along = np.cross(witness.normals, around)
    names: list[str] = []
    ways = np.stack([witness.normals, along, around])
    fields = np.einsum("mpd,wpd->mwp", shapes[..., :3], ways).reshape(-1, len(out))
    for parts in grid.read(fields).reshape(len(shapes), 3, *grid.form):
        waves, profiles = _strongest(parts, grid.rings)
        size = np.sum(profiles**2, axis=1)
        strongest = int(np.argmax(size))
        along_it = lobes(profiles[strongest])
        if waves == 0 and strongest == 2:
            names.append(f"twist about the axis, {counted(along_it, 'half-wave')}")
        elif waves == 0 and strongest == 1:
            names.append(f"moving along the axis, {counted(along_it, 'half-wave')}")
        elif waves == 1:
            names.append(f"bending as a tube ({along_it}, 1)")
        else:
            names.append(f"breathing ({lobes(profiles[0])}, {waves})")
    return tuple(names)


def _strongest(parts: Array, rings: Array) -> tuple[int, Array]:
    """The wave number with most motion in fields ``(k, rings, angles)``, and its profiles."""
    spectrum = np.fft.rfft(parts, axis=-1)
    power = np.einsum("krn,r->n", np.abs(spectrum) ** 2, np.maximum(rings, 1e-3 * rings.max()))
    power[1:] *= 2.0
    waves = int(np.argmax(power))
    chosen = spectrum[:, :, waves]
    # Turn each field's phase away; along the rings it changes by sign alone.
    angle = 0.5 * np.angle(np.sum(chosen**2, axis=1, keepdims=True))
    return waves, np.asarray(np.real(chosen * np.exp(-1j * angle)))
