"""The sites a part has by itself: their names, their sorts, and where they lie on a shell."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from belltone.geometry.curved_quads import edge_key
from belltone.geometry.shapes import (
    SIDE_NAMES,
    Contour,
    Plate,
    Polygon,
    Revolved,
    RoundedRectangle,
    SurfaceShape,
    on_axis,
)
from belltone.geometry.skins import Skin

__all__ = [
    "AXIS",
    "END",
    "FACE",
    "FIRST_SIDE",
    "LAST_SIDE",
    "OUTLINE",
    "START",
    "Feature",
    "fold_name",
    "shape_features",
]

START: Final = "start"
END: Final = "end"
AXIS: Final = "axis"
FACE: Final = "face"
OUTLINE: Final = "outline"
FIRST_SIDE: Final = "first side"
LAST_SIDE: Final = "last side"


@dataclass(frozen=True)
class Feature:
    """A site that comes with a part.

    ``sort`` is end, axis, edge, corner, face or point. An edge of a shell either has a ``run``, the
    piece of the profile and the share of it at which it goes along the shell, or lies ``across``
    all of the profile at a share of the shell's depth. A ``whole`` one is made of others.
    """

    sort: str
    run: tuple[int, float] | None = None
    across: float | None = None
    whole: bool = False


def fold_name(shape: SurfaceShape, piece: int) -> str:
    """What the edge is called at which a piece of the profile begins."""
    return f"{'ring' if isinstance(shape, Revolved) else 'line'} {piece}"


def shape_features(shape: SurfaceShape) -> dict[str, Feature]:
    """The sites a shape has by itself, by name."""
    found = {FACE: Feature("face")}
    edge = Feature("edge")
    if isinstance(shape, Plate):
        outline = shape.outline
        if isinstance(outline, Polygon | Contour):
            found |= dict.fromkeys(outline.side_names, edge)
            found |= dict.fromkeys(outline.corner_names, Feature("corner"))
        elif isinstance(outline, RoundedRectangle):
            found |= dict.fromkeys(SIDE_NAMES, edge)
        else:
            found["rim"] = edge
            if outline.bore:
                found["bore"] = edge
        found[OUTLINE] = Feature("edge", whole=True)
        return found | dict.fromkeys((hole.name for hole in shape.holes), edge)
    if isinstance(shape, Skin):
        found |= dict.fromkeys(shape.names, Feature("face"))
        chains = {name: {edge_key(*pair) for pair in own} for name, own in shape.edges.items()}
        # A rim with corners is all of the edges between them.
        whole = {name for name, own in chains.items() if any(one < own for one in chains.values())}
        return found | {name: Feature("edge", whole=name in whole) for name in chains}
    profile = shape.profile
    last = len(profile.segments) - 1
    runs = {START: (0, 0.0), END: (last, 1.0)}
    sides = (FIRST_SIDE, LAST_SIDE)
    if not isinstance(shape, Revolved):
        found |= {START: Feature("edge", across=0.0), END: Feature("edge", across=1.0)}
        if not profile.closed:
            pairs = zip(sides, runs.values(), strict=True)
            found |= {side: Feature("edge", run) for side, run in pairs}
    elif not profile.closed:
        ends = (profile.segments[0].start, profile.segments[-1].stop)
        for (name, run), point in zip(runs.items(), ends, strict=True):
            # A closed top has no corner to hold, unless a part turn leaves one.
            if not on_axis(point, profile.length):
                found[name] = Feature("edge", run)
            elif not shape.full:
                found[name] = Feature("corner", run)
    found |= {
        fold_name(shape, piece): Feature("edge", (piece, 0.0)) for piece in range(1, last + 1)
    }
    if isinstance(shape, Revolved) and not shape.full:
        found |= {
            side: Feature("edge", across=at) for side, at in zip(sides, (0.0, 1.0), strict=True)
        }
    return found
