"""The pattern of a wall's motion: half-waves, waves round an axis, twist, in-plane motion.

Patterns are read off the witness points, laid out on an even grid of the wall's own coordinates.
"""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.shapes import Disc, Extruded, Lofted, Plate, Revolved, extent, on_axis
from belltone.geometry.skins import Skin
from belltone.mesh.surface import SurfaceMesh, witness_points
from belltone.modes.face_words import IN_PLANE, Faces, face_kinds
from belltone.modes.grids import Grid, across, counted, lobes
from belltone.modes.round_words import about, strongest
from belltone.system.witness import SurfaceWitness
from belltone.vectors import cross

__all__ = ["wall_kinds"]

Array = NDArray[np.float64]

_LONG: Final = 4.0  # times the radius of gyration of its sections, from where a shell is a beam
_KEPT: Final = 0.85  # share of the motion across by which sections move as they are


def wall_kinds(mesh: SurfaceMesh, witness: SurfaceWitness, shapes: Array) -> tuple[str, ...]:
    """Say what kind of motion each shape ``(modes, points, 6)`` of a wall is."""
    shape = mesh.surface.shape
    normal = np.einsum("mpd,pd->mp", shapes[..., :3], witness.normals)
    moving = np.sum(shapes[..., :3] ** 2, axis=-1) @ witness.masses
    share = (normal**2 @ witness.masses) / np.where(moving > 0, moving, 1.0)
    if not len(shapes):
        return ()
    if isinstance(shape, Skin):
        return face_kinds(_faces_of_skin(mesh, shape, witness), shapes[..., :3])
    if isinstance(shape, Revolved) and shape.full:
        return _turned(mesh, witness, shapes)
    if isinstance(shape, Plate) and isinstance(shape.outline, Disc) and not shape.holes:
        return _on_disc(mesh, witness, normal, share)
    flat = isinstance(shape, Plate)
    grid = Grid(_coordinates(mesh, around=False))
    beams = [""] * len(shapes) if flat else _as_beams(grid, mesh, witness, shapes)
    return tuple(
        beam or ("in-plane" if out < IN_PLANE and flat else across(values, flat))
        for values, out, beam in zip(grid.read(normal), share, beams, strict=True)
    )


def _as_beams(grid: Grid, mesh: SurfaceMesh, witness: SurfaceWitness, shapes: Array) -> list[str]:
    """How a long shell moves whose cross-sections keep their shape; nothing where they do not."""
    if isinstance(mesh.surface.shape, Revolved):
        return [""] * len(shapes)
    places = grid.read(witness.positions.T).transpose(2, 1, 0)  # along, round, 3
    arms = places - places.mean(axis=1, keepdims=True)
    length = places[-1].mean(axis=0) - places[0].mean(axis=0)
    if np.linalg.norm(length) < _LONG * np.sqrt(np.mean(np.sum(arms**2, axis=2))):
        return [""] * len(shapes)
    axis = length / np.linalg.norm(length)
    round_it = cross(axis, arms)
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


def _on_disc(
    mesh: SurfaceMesh, witness: SurfaceWitness, normal: Array, share: Array
) -> tuple[str, ...]:
    grid = Grid(_coordinates(mesh, around=True), around=True)
    names: list[str] = []
    for values, out in zip(grid.read(normal), share, strict=True):
        if out < IN_PLANE:
            names.append("in-plane")
            continue
        waves, profile = strongest(values[None], grid.rings)
        circles = lobes(profile[0]) - 1
        names.append(
            f"bending, {counted(waves, 'nodal diameter')}, {counted(circles, 'nodal circle')}"
        )
    return tuple(names)


def _turned(mesh: SurfaceMesh, witness: SurfaceWitness, shapes: Array) -> tuple[str, ...]:
    """Kinds on a full shell of revolution, from its waves round the axis."""
    wall = mesh.surface
    placed = _coordinates(mesh, around=True), wall.origin, wall.frame
    return about(*placed, witness.positions, witness.normals, shapes[..., :3])


def _faces_of_skin(mesh: SurfaceMesh, skin: Skin, witness: SurfaceWitness) -> Faces:
    blocks = witness_points(mesh.blocks)[0]
    regions = skin.regions[[mesh.blocks.blocks[block].segment for block in blocks]]
    names = skin.names if len(skin.names) > 1 else ("",)
    return Faces(witness.positions, witness.normals, witness.masses, regions, tuple(names))
