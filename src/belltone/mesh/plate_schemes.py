"""Which way a plate is cut into blocks: chosen once, and kept while its dimensions change."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import suppress
from dataclasses import replace
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.halved_quads import halved_quads
from belltone.geometry.outlines import rim_distance
from belltone.geometry.quads import Quads, graded_quads, quads
from belltone.geometry.seams import Ring, Seam
from belltone.geometry.shapes import (
    Contour,
    ContourHole,
    Disc,
    Plate,
    Polygon,
    RoundedRectangle,
    RoundHole,
)
from belltone.geometry.triangles import OutlineError, triangulate
from belltone.mesh.plate_blocks import OPEN, PlateScheme, openness, plate_blocks, unfolded
from belltone.mesh.plate_costs import cost
from belltone.mesh.plate_rims import even_size, rim_curves, rim_points, rims, seam_stretches
from belltone.mesh.plate_rings import nests, opened, rings_and_lines

__all__ = ["plate_scheme"]

Array = NDArray[np.float64]

_FINER: Final = (1.0, 0.85, 0.7, 0.6, 0.5, 0.42, 0.35, 0.25)
_SCHEMES: Final = 64
_CUTS: Final = 128
_QUADS_TRIED: Final = 5
_SEAMS_TRIED: Final = 4
_MANY_HOLES: Final = 7
_BEST_OF: Final = 3  # where sizes grow, the width of strips decides how many pieces rims need
_STRIPS: Final = (0.25, 0.15, 0.1)  # of the spacing; widths of the strips along rims
_COMPARED: Final = (0.7, 0.5)  # sizes at which others may cost less than what is found first
_LAYERS: Final = 1.5  # thicknesses; strips so narrow are the elements that show the edge layer
_NARROWEST: Final = 0.02  # of the spacing; narrower strips would fold along arcs
_EVEN: Final = 13.0  # a cost of blocks of about one size; others hardly bring less
_REGULAR_ENOUGH: Final = 7.0  # the same of blocks round a hole
_ROOM: Final = 0.12  # of the spacing, between rims that are no crowd
_WORTH: Final = 0.85  # times the cost of what is found first
_SEAM_STRIPS: Final = (0.2,)
_OPEN_ENOUGH: Final = 0.15  # sine of an angle of a block where nothing better follows a rib
_WELL_OPEN: Final = 0.25  # the same when blocks are chosen: dimensions may change yet
_CONVEX: Final = 1e-6


@lru_cache(maxsize=_SCHEMES)
def plate_scheme(
    plate: Plate, thickness: float, seams: tuple[Seam | Ring, ...] = ()
) -> PlateScheme:
    """Choose how to cut a plate of a thickness (m); raises `OutlineError` where no mesh is found.

    Blocks end along seams where a mesh with such blocks is found.

    A search may take a second; who draws a plate and who solves it ask for the same one.
    """
    if seams:
        return (
            _round_rings(plate, thickness, seams)
            or _along_lines(plate, rings_and_lines(seams)[1])
            or plate_scheme(plate, thickness)
        )
    simple = _simple(plate)
    if simple is not None and not plate.holes:
        return simple
    chosen = simple or _first_found(plate, thickness)
    # What is found first may have few blocks much larger than the others, or two elements across
    # its strips, and those round a hole lean over where it is off centre: twice to five times the
    # unknowns.
    least = cost(plate_blocks(plate, chosen), thickness, regular=simple is not None)
    if least < (_EVEN if simple is None else _REGULAR_ENOUGH) or _crowded(plate):
        return chosen
    others = _with_layers(plate, thickness)
    if simple is None:
        least *= _WORTH
    elif least > _EVEN:
        others = itertools.chain(others, _irregular(plate, thickness))
    for scheme in others:
        blocks = plate_blocks(plate, scheme)
        if openness(blocks) > _WELL_OPEN and (own := cost(blocks, thickness)) < least:
            chosen, least = scheme, own
    return chosen


def _simple(plate: Plate) -> PlateScheme | None:
    """The scheme made for just such a plate, if there is one."""
    outline, holes = plate.outline, plate.holes
    if isinstance(outline, Disc) and not holes:
        return PlateScheme("ring" if outline.bore else "disc")
    if isinstance(outline, RoundedRectangle) and not holes:
        return PlateScheme("rounded")
    if isinstance(outline, Polygon) and not holes and _convex_quad(outline):
        return PlateScheme("quad")
    drawn = isinstance(outline, Contour) or any(isinstance(hole, ContourHole) for hole in holes)
    if len(holes) == 1 and not drawn and not (isinstance(outline, Disc) and outline.bore):
        around = PlateScheme("round hole" if isinstance(holes[0], RoundHole) else "square hole")
        fits = not isinstance(outline, RoundedRectangle) or isinstance(holes[0], RoundHole)
        fits = fits and (not isinstance(outline, Polygon) or _convex(outline))
        four = isinstance(outline, Disc) or len(rim_curves(plate)[0]) == 4
        if (
            fits
            and (four or isinstance(holes[0], RoundHole))
            and unfolded(plate_blocks(plate, around))
        ):
            return around
    return None


def _first_found(plate: Plate, thickness: float) -> PlateScheme:
    """The coarsest that is well open, or of a few whose sizes grow the one that costs least."""
    for scheme in _even(plate):
        if openness(plate_blocks(plate, scheme)) > _WELL_OPEN:
            return scheme
    found: list[tuple[float, PlateScheme]] = []
    barely: list[PlateScheme] = []
    for scheme in _graded(plate):
        blocks = plate_blocks(plate, scheme)
        open_by = openness(blocks)
        if open_by > _WELL_OPEN:
            found.append((cost(blocks, thickness), scheme))
            if len(found) == _BEST_OF:
                break
        barely += [scheme] if open_by > OPEN else []
    if found:
        return min(found, key=lambda each: each[0])[1]
    # Triangles are many, but follow changes far; quadrilaterals barely open would fold soon.
    for finer in _FINER:
        try:
            scheme = PlateScheme(
                "triangles", triangulate(rim_points(plate), finer * even_size(plate))
            )
        except OutlineError:
            break
        if unfolded(plate_blocks(plate, scheme)):
            return scheme
    if barely:
        return barely[0]
    raise OutlineError("no mesh was found for this outline and its holes; are two rims too close?")


def _round_rings(
    plate: Plate, thickness: float, seams: tuple[Seam | Ring, ...]
) -> PlateScheme | None:
    """A scheme of blocks that end along circles and lines inside; none where none is found."""
    within = nests(plate, seams)
    if not within:
        return None
    rings, lines = rings_and_lines(seams)
    rest = opened(plate, within, rings)
    ways = _following(rest, lines) if lines else _any_way(rest, thickness)
    return _most_open(plate, (replace(scheme, nests=within) for scheme in ways), seams)


def _any_way(plate: Plate, thickness: float) -> Iterator[PlateScheme]:
    with suppress(OutlineError):
        yield plate_scheme(plate, thickness)
    yield from _even(plate)
    yield from _graded(plate)


def _along_lines(plate: Plate, seams: Sequence[Seam]) -> PlateScheme | None:
    """A scheme of blocks that end along lines; none where all that are found are nearly shut."""
    return _most_open(plate, _following(plate, seams), seams)


def _following(plate: Plate, seams: Sequence[Seam]) -> Iterator[PlateScheme]:
    """Schemes of blocks that end along lines, the coarsest first."""
    lines = seam_stretches(plate, seams)
    if lines:
        yield from _ending_along(graded_quads, plate, lines)
        # Where pairs do not come out even: more blocks, but hardly ever none.
        yield from _ending_along(halved_quads, plate, lines)


def _most_open(
    plate: Plate, schemes: Iterable[PlateScheme], seams: Sequence[Seam | Ring]
) -> PlateScheme | None:
    """The first well open one of some schemes, or else that of the most open blocks."""
    best, most_open = None, _OPEN_ENOUGH
    for scheme in schemes:
        try:
            open_by = openness(plate_blocks(plate, scheme, seams))
        except ValueError:
            continue  # an odd number of pieces round a circle
        if open_by > _WELL_OPEN:
            return scheme
        if open_by > most_open:
            best, most_open = scheme, open_by
    return best


def _even(plate: Plate) -> Iterator[PlateScheme]:
    """Schemes of blocks of about one size, the coarsest first."""
    # Where holes are many, sizes have to change, and trying one costs seconds.
    tried = _QUADS_TRIED if len(plate.holes) < _MANY_HOLES else 0
    for finer, strip in itertools.product(_FINER[:tried], _STRIPS):
        yield from _cut(quads, plate, finer, strip)


def _graded(plate: Plate) -> Iterator[PlateScheme]:
    """Schemes whose sizes grow away from small holes, the coarsest first."""
    for finer, strip in _tried(()):
        yield from _cut(graded_quads, plate, finer, strip)


@lru_cache(maxsize=_CUTS)
def _cut(
    way: Callable[..., Quads | None], plate: Plate, finer: float, strip: float
) -> tuple[PlateScheme, ...]:
    """What a way of cutting comes to, if anything; what is tried for a plate is tried again.

    Sizes and widths of strips are shares of what is usual for the plate.
    """
    spacing = finer * even_size(plate)
    cut = way(rim_points(plate), spacing, strip * spacing)
    return () if cut is None else (PlateScheme("quads", quads=cut),)


def _crowded(plate: Plate) -> bool:
    """Whether rims come so near each other that comparing ways between them would take seconds."""
    if len(plate.holes) >= _MANY_HOLES:
        return True
    room = _ROOM * even_size(plate)
    pairs = itertools.permutations(rims(plate), 2)
    return any(rim_distance(one, other).min() < room for one, other in pairs)


def _with_layers(plate: Plate, thickness: float) -> Iterator[PlateScheme]:
    """Schemes whose strips are as narrow as the layer of shear along an edge."""
    layer = _LAYERS * thickness / even_size(plate)
    if layer < _NARROWEST:
        return
    for way, finer in itertools.product((quads, graded_quads), _COMPARED):
        yield from _cut(way, plate, finer, min(layer / finer, _STRIPS[0]))


def _irregular(plate: Plate, thickness: float) -> Iterator[PlateScheme]:
    """What would be found for a plate if there were no scheme for just such ones."""
    with suppress(OutlineError):
        yield _first_found(plate, thickness)


def _ending_along(
    way: Callable[..., Quads | None], plate: Plate, lines: Sequence[Array]
) -> Iterator[PlateScheme]:
    """Schemes of a way of cutting whose blocks end along lines, the coarsest first."""
    loops, spacing = rim_points(plate), even_size(plate)
    for finer, strip in _tried(lines):
        cut = way(loops, finer * spacing, strip * finer * spacing, lines)
        if cut is not None:
            yield PlateScheme("quads", quads=cut)


def _tried(lines: Sequence[Array]) -> Iterator[tuple[float, float]]:
    """Sizes and widths of strips to try; along lines strips are made to fit beforehand."""
    if lines:
        return itertools.product(_FINER[:_SEAMS_TRIED], _SEAM_STRIPS)
    return itertools.product(_FINER[:_QUADS_TRIED], _STRIPS)


def _convex(outline: Polygon) -> bool:
    corners = np.array(outline.corners)
    sides = np.roll(corners, -1, axis=0) - corners
    after = np.roll(sides, -1, axis=0)
    turns = sides[:, 0] * after[:, 1] - sides[:, 1] * after[:, 0]
    sizes = np.linalg.norm(sides, axis=1) * np.linalg.norm(after, axis=1)
    return bool(np.all(turns > _CONVEX * sizes))


def _convex_quad(outline: Polygon) -> bool:
    return len(outline.corners) == 4 and _convex(outline)
