"""How a plate or shell is cut into blocks, and how many elements stand along their edges."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from types import MappingProxyType
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import SurfaceValue
from belltone.geometry.outlines import rim_distance
from belltone.geometry.seams import Ring, Seam
from belltone.geometry.shapes import Extruded, Lofted, Plate, Revolved
from belltone.geometry.skins import Skin
from belltone.mesh.blocks import ALONG_SIDES, SIDES, Block, Blocks, EdgeClasses, side_lengths
from belltone.mesh.corners import ends_at_sharp_corners
from belltone.mesh.discretisation import SurfacePlan, Towards
from belltone.mesh.edge_division import RIM_WIDTH
from belltone.mesh.edge_layers import ends_at_folds
from belltone.mesh.grading import Cut, Gauge, HardPlace, graded, plan_cuts
from belltone.mesh.plate_blocks import PlateScheme, openness, plate_blocks
from belltone.mesh.plate_rims import rims
from belltone.mesh.plate_schemes import plate_scheme
from belltone.mesh.shell_blocks import drawn_blocks, revolved_blocks, skin_blocks
from belltone.mesh.surface import block_slopes, chart_scale, located

__all__ = ["edge_lengths", "gauge_of", "plan_surface", "seams_of", "surface_blocks"]

Array = NDArray[np.float64]

_AIMED: Final = 4.0  # elements over the whole area at one division, unless blocks ask for more
_LIGHT: Final = 0.1  # of the wall's mass
_NEARLY_SHUT: Final = 0.05  # sine of an angle of a block; wedges hardly bend
_CLEARANCE: Final = 0.6  # of the way to the next rim, half way to the next place
_MOST_COUNT: Final = 12  # along one block edge; longer strips are better described as members


def plan_surface(
    surface: SurfaceValue,
    places: Sequence[HardPlace] = (),
    held: Mapping[str, bool] = MappingProxyType({}),
    joined: Collection[str] = (),
) -> SurfacePlan:
    """Choose how a surface is cut, and element counts that make its elements about square.

    Blocks become smaller towards ``places``, elements towards corners between ``held`` edges, by
    their names, of which some are hinged, and on curved walls towards folds and edges ``joined`` to
    other walls. Raises ``ValueError`` where an outline cannot be meshed.
    """
    scheme: PlateScheme | None = None
    spots: tuple[tuple[int, float], ...] = ()
    if isinstance(surface.shape, Plate):
        scheme = plate_scheme(surface.shape, surface.thickness.mean, seams_of(places))
    blocks, cuts = _cut(surface, scheme, places)
    # In one block all over, lines across it part places with fewer blocks.
    irregular = scheme is not None and scheme.name != "quad"
    if irregular and cuts and openness(blocks) < _NEARLY_SHUT:
        assert isinstance(surface.shape, Plate)
        around = _around_places(surface, places)
        other = plate_scheme(surface.shape, surface.thickness.mean, seams_of(places, around))
        if other.nests:
            better, fewer = _cut(surface, other, places, around)
            if openness(better) > openness(blocks):
                scheme, spots, blocks, cuts = other, around, better, fewer
    classes = blocks.edge_classes()
    lengths, area = edge_lengths(surface, blocks, classes)
    wished = math.sqrt(area / _AIMED)
    counts = [min(max(1, round(length / wished)), _MOST_COUNT) for length in lengths]
    towards: dict[tuple[int, bool], float] = {}
    for number, at_start, size in (
        *ends_at_sharp_corners(surface, blocks, classes, held),
        *ends_at_folds(surface, blocks, classes, lengths, joined),
    ):
        towards[number, at_start] = min(size, towards.get((number, at_start), math.inf))
    sizes = sorted(
        Towards(*end, size, lengths[end[0]] / surface.thickness.mean)
        for end, size in towards.items()
    )
    return SurfacePlan(scheme, tuple(counts), cuts, towards=tuple(sizes), spots=spots)


def _cut(
    surface: SurfaceValue,
    scheme: PlateScheme | None,
    places: Sequence[HardPlace],
    spots: Sequence[tuple[int, float]] = (),
) -> tuple[Blocks, tuple[Cut, ...]]:
    """Blocks that lead down to places, and the cuts that make them."""
    blocks = surface_blocks(surface, scheme, places, spots)
    area = edge_lengths(surface, blocks, blocks.edge_classes())[1]
    light = _LIGHT * area * surface.layup.density * surface.thickness.mean
    gauge = gauge_of(surface)
    cuts = plan_cuts(blocks, places, gauge, light)
    return graded(blocks, cuts, places, gauge), cuts


def _around_places(
    surface: SurfaceValue, places: Sequence[HardPlace]
) -> tuple[tuple[int, float], ...]:
    """Circles of a plate round the places its blocks are to be cut for, clear of all else."""
    shape = surface.shape
    assert isinstance(shape, Plate)
    loops = rims(shape)
    found: list[tuple[int, float]] = []
    for number, place in enumerate(places):
        at = np.array(place.at)
        clear = [float(rim_distance(at[None], loop)[0]) for loop in loops]
        for other, beside in enumerate(places):
            if other != number and beside.cut:
                clear.append(0.5 * math.dist(place.at, beside.at))
            if isinstance(beside.seam, Ring):
                away = math.dist(place.at, beside.seam.centre) - beside.seam.radius
                clear.append(abs(away))
        radius = _CLEARANCE * min(clear)
        if place.cut and place.seam is None and radius > place.size:
            found.append((number, radius))
    return tuple(found)


def gauge_of(surface: SurfaceValue) -> Gauge:
    """What tells how large blocks of a wall are."""

    def spread(block: Block, uv: Array) -> Array:
        return block_slopes(surface, block, *uv)

    return Gauge(chart_scale(surface), spread, RIM_WIDTH * surface.thickness.mean)


def edge_lengths(
    surface: SurfaceValue, blocks: Blocks, classes: EdgeClasses
) -> tuple[list[float], float]:
    """Mean length of the edges of each class, and the area, both roughly (m, m²)."""
    lengths: dict[int, list[float]] = {}
    area = 0.0
    places = located(surface, [(block, *ALONG_SIDES) for block in blocks.blocks])[0]
    steps = side_lengths(places.reshape(len(blocks.blocks), -1, 3))
    for block, sizes in zip(blocks.blocks, steps.tolist(), strict=True):
        area += 0.25 * (sizes[0] + sizes[2]) * (sizes[1] + sizes[3])
        for (a, b), size in zip(SIDES, sizes, strict=True):
            number, _ = classes.of(block.vertices[a], block.vertices[b])
            lengths.setdefault(number, []).append(size)
    return [float(np.mean(lengths[number])) for number in range(classes.count)], area


def seams_of(
    places: Sequence[HardPlace], spots: Sequence[tuple[int, float]] = ()
) -> tuple[Seam | Ring, ...]:
    """The lines and circles at places, along which the blocks of a plate should end."""
    around = [Ring(places[number].at, radius) for number, radius in spots]
    return (*(place.seam for place in places if place.seam is not None), *around)


def surface_blocks(
    surface: SurfaceValue,
    scheme: PlateScheme | None,
    places: Sequence[HardPlace] = (),
    spots: Sequence[tuple[int, float]] = (),
) -> Blocks:
    """The blocks of a surface by a plate's scheme, or by the shell's own shape.

    Raises ``ValueError`` where a scheme was made for places with other seams.
    """
    shape = surface.shape
    if isinstance(shape, Revolved):
        return revolved_blocks(shape)
    if isinstance(shape, Extruded | Lofted):
        return drawn_blocks(shape)
    if isinstance(shape, Skin):
        return skin_blocks(shape)
    assert scheme is not None
    return plate_blocks(shape, scheme, seams_of(places, spots))
