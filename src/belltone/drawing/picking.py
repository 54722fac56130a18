"""Which named site stands under the mouse: points before edges, edges before faces."""

from __future__ import annotations

from collections.abc import Collection
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import MemberValue, MeshValue, SurfaceValue
from belltone.design.values import Design
from belltone.drawing.scene import Scene, Spot
from belltone.mesh.site_lines import face_outline
from belltone.system.kinds import place_lines

__all__ = ["SitePicker"]

Array = NDArray[np.float64]

_POINT_REACH: Final = 9.0  # pixels
_EDGE_REACH: Final = 7.0
_BEHIND: Final = 4e-3  # of the depth in view; what lies deeper than the surface is behind it


class SitePicker:
    """Finds sites of one design on the picture of one scene."""

    def __init__(self, design: Design, scene: Scene) -> None:
        self._scene, self._design = scene, design
        self.spot: Spot | None = None
        self._lines: dict[str, list[Array]] = {}
        self._sorts: dict[str, str] = {}
        for name, place in design.places.items():
            part = design.part_of(place.part)
            if place.feature == "axis":
                continue  # every place of a member is on it, and what is meant is seldom all of it
            if place.feature is not None:
                self._sorts[name] = part.features[place.feature].sort
            else:
                # A member's own ends are places along it, as a frame's nodes are.
                ends = name.endswith((".start", ".end"))
                self._sorts[name] = "end" if isinstance(part, MemberValue) and ends else "point"
            # What goes round a face is worked out when it is shown: of a large mesh that is felt.
            if self._sorts[name] != "face":
                self._lines[name] = place_lines(part, place)
        # Edges made of other edges (an outline) come after those they are made of.
        sizes = {name: sum(map(len, lines)) for name, lines in self._lines.items()}
        self._order = sorted(self._lines, key=lambda name: sizes[name])

    @property
    def names(self) -> Collection[str]:
        """The sites that can be marked."""
        return self._sorts.keys()

    def sort(self, name: str) -> str:
        """What a site is: point, corner, end, edge or face."""
        return self._sorts[name]

    def on_picture(self, name: str, height: int) -> list[list[tuple[float, float]]]:
        """A site's lines on the picture (pixels from its top left)."""
        return [
            [(float(x), float(y)) for x, y, _ in self._scene.eye.project(line, height)]
            for line in self._lines_of(name)
        ]

    def _lines_of(self, name: str) -> list[Array]:
        if name not in self._lines:
            place = self._design.places[name]
            part = self._design.part_of(place.part)
            around: list[Array] = []
            if isinstance(part, MeshValue | SurfaceValue) and place.feature is not None:
                around = face_outline(part, place.feature)
            self._lines[name] = around or place_lines(part, place)
        return self._lines[name]

    def at(self, x: float, y: float, height: int) -> str | None:
        """The site under a place of the picture, or ``None``; of a face, its ``spot`` is kept."""
        self.spot = None
        best: tuple[int, float, str] | None = None
        for name in self._order:
            rank = 1 if self._sorts[name] == "edge" else 0
            away = min(self._distance(line, x, y, height) for line in self._lines[name])
            reach = _EDGE_REACH if rank else _POINT_REACH
            if away <= reach and (best is None or (rank, away) < (best[0], best[1] - 0.5)):
                best = (rank, away, name)
        if best is not None:
            return best[2]
        spot = self._scene.place_under(x, y, height)
        if spot is None:
            return None
        faces = (f"{spot.part}.{spot.region}", f"{spot.part}.face")
        self.spot = spot
        return next((face for face in faces if self._sorts.get(face) == "face"), None)

    def _distance(self, line: Array, x: float, y: float, height: int) -> float:
        """How far a line is from a place of the picture, parts behind the surface left out."""
        flat = self._scene.eye.project(line, height)
        places, depth = flat[:, :2], flat[:, 2]
        target = np.array([x, y])
        if len(places) == 1:
            near, at_depth = places[0], depth[0]
        else:
            along = np.diff(places, axis=0)
            lengths = np.maximum(np.sum(along**2, axis=1), 1e-12)
            share = np.clip(np.sum((target - places[:-1]) * along, axis=1) / lengths, 0, 1)
            points = places[:-1] + share[:, None] * along
            piece = int(np.argmin(np.sum((points - target) ** 2, axis=1)))
            near = points[piece]
            at_depth = depth[piece] + share[piece] * (depth[piece + 1] - depth[piece])
        away = float(np.linalg.norm(near - target))
        if away <= _POINT_REACH:
            surface = self._scene.eye.depth_at(float(near[0]), float(near[1]), height)
            if at_depth > surface + _BEHIND:
                return np.inf
        return away
