"""The 3-D scene of a component: its true section, relative motion in colour, what holds it.

Drawn by VTK into an off-screen picture. Arrays are written in place from frame to frame.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final
from weakref import WeakSet

import numpy as np
import vtkmodules.vtkRenderingOpenGL2  # noqa: F401  # registers the drawing back end
from numpy.typing import NDArray
from vtkmodules.util.numpy_support import vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkLookupTable, vtkUnsignedCharArray
from vtkmodules.vtkCommonDataModel import vtkPlane
from vtkmodules.vtkRenderingCore import (
    vtkActor,
    vtkRenderer,
    vtkRenderWindow,
)

from belltone.design.place import Place
from belltone.design.values import Design
from belltone.drawing.colours import Palette, ramp, rgb
from belltone.drawing.drawn import DrawnComponent
from belltone.drawing.eye import Eye, Heading
from belltone.drawing.glyphs import (
    ball,
    flaw_glyphs,
    joint_glyphs,
    spring_glyphs,
    support_glyphs,
)
from belltone.drawing.load_glyphs import load_glyphs
from belltone.drawing.options import SceneOptions
from belltone.drawing.skin import Skin
from belltone.modes.modeset import ModeSet
from belltone.system.kinds import location
from belltone.vectors import cross

__all__ = ["ASIDE", "Scene", "Spot"]

ASIDE: Final = tuple(
    ((column + 0.5) / 8 - 0.5, (row + 0.5) / 8 - 0.5)
    for column, row in enumerate((3, 6, 1, 4, 7, 2, 5, 0))
)
"""Parts of a pixel to draw aside by: no two share a column or a row, so slanted edges blend too."""


Array = NDArray[np.float64]

_SLANT: Final = (-0.26, 0.9, -0.33)
_SLANT_OF_WALL: Final = (-0.38, 0.72, -0.58)  # steeper: plates are looked down upon
_MOST_FAST: Final = 900_000  # pixels of a picture drawn while it moves
_REACH: Final = 0.13  # at amplitude 1 the most moving point is drawn this share of the size away


@dataclass(frozen=True, eq=False)
class Spot:
    """A place on the drawn component: its part, the least region it is in, and where (m)."""

    part: str
    region: str | None
    place: Array


class Scene:
    """Draws one design and one mode of it."""

    def __init__(self, palette: Palette) -> None:
        self.transparent = False  # whether pictures are see-through where nothing is drawn
        self._renderer = vtkRenderer()
        self._window = vtkRenderWindow()
        self._window.SetOffScreenRendering(1)
        self._window.AddRenderer(self._renderer)
        self._window.SetMultiSamples(4)
        self.eye = Eye(self._renderer, self._window)
        self._palette = palette
        self._table = vtkLookupTable()
        self._state_table = vtkLookupTable()
        self._of_state = False
        self._lagging: Array | None = None
        self._lagging_shape: Mapping[str, Array] = {}
        self._pixels = vtkUnsignedCharArray()
        self._design: Design | None = None
        self._modes: ModeSet | None = None
        self._masses: list[tuple[vtkActor, Array, Place, Array]] = []
        self._glyphs: list[vtkActor] = []
        self._shape: dict[str, Array] | None = None
        self._like: Scene | None = None
        self._linked: WeakSet[Scene] = WeakSet([self])
        self.options = SceneOptions()
        self.set_palette(palette)

    # -- contents -------------------------------------------------------------------------------

    def set_palette(self, palette: Palette) -> None:
        """Take a theme's colours."""
        self._palette = palette
        for table, names in ((self._table, palette.motion), (self._state_table, palette.state)):
            colours = ramp(names)
            table.SetNumberOfTableValues(len(colours))
            for index, (red, green, blue) in enumerate(colours / 255.0):
                table.SetTableValue(index, red, green, blue, 1.0)
            table.SetRange(0.0, 1.0)
        self._renderer.SetBackground(*rgb(palette.card))
        if self._design is not None:
            self.show_design(self._design, self._modes)

    def show_design(self, design: Design, modes: ModeSet | None = None) -> None:
        """Build the surface of a design, its supports and its masses, at rest.

        ``modes`` tells how the points of its shapes are laid out.
        """
        self._design, self._modes = design, modes
        self._renderer.RemoveAllViewProps()
        self.part = DrawnComponent(design, modes, outlined=modes is None)
        self.size = self.part.size
        self.skin = Skin(self.part, self._palette, self._table)
        for actor in self.skin.actors:
            self._renderer.AddActor(actor)
        self._add_glyphs()
        self._displacement = np.zeros_like(self.part.points)
        self._shape = None
        self._apply_options()

    def _add_glyphs(self) -> None:
        """What holds, joins and loads the component, and what hangs on it."""
        design = self._design
        assert design is not None
        self._glyphs = []
        for support in design.supports:
            parts = (design, support, self._depth(support.place.part), self.size)
            self._glyphs += support_glyphs(*parts, self._palette.muted)
            self._glyphs += spring_glyphs(*parts, self._palette.live)
        for joint in design.joints:
            if not joint.implied:
                self._glyphs += joint_glyphs(design, joint, self.size, self._palette.live)
        for part in design.meshes:
            self._glyphs += flaw_glyphs(part, self._palette.alarm)
        self._glyphs += load_glyphs(design, self.part, self._palette.load)
        self._add_masses()
        for actor in self._glyphs:
            actor.SetVisibility(self.options.clutter)
            self._renderer.AddActor(actor)

    def follow(self, design: Design, modes: ModeSet) -> bool:
        """Move what is drawn to a design with the same parts; returns whether that could be done.

        What holds it, hangs on it and loads it goes along.
        """
        before = self._design
        known = None if before is None else [part.name for part in before.parts]
        if self._modes is None or known != [part.name for part in design.parts]:
            return False
        if modes.point_counts != self._modes.point_counts:
            return False
        count = len(self.part.points)
        moved = self.part.follow(design)
        if len(self.part.points) != count:
            return False
        assert before is not None
        self._design = design
        if moved:
            self.skin.follow()
        if moved or before.places != design.places:
            for actor in self._glyphs:
                self._renderer.RemoveActor(actor)
            self._add_glyphs()
        return True

    def show_mode(self, modes: ModeSet, index: int) -> None:
        """Take one mode's motion."""
        self._take(modes.part_shapes(index))
        self._use(self._table, of_state=False)
        sizes = np.linalg.norm(self._displacement, axis=1)
        self._lagging = None
        if modes.lagging is not None and modes.waves[index]:
            self._lagging_shape = modes.by_part(modes.lagging[index])
            self._lagging = self.part.moved(self._lagging_shape) * self._motion_scale
            sizes = np.hypot(sizes, np.linalg.norm(self._lagging, axis=1))
            sizes /= sizes.max() or 1.0
        self._values = {
            "motion": sizes,
            "energy": self.part.spread(modes.part_densities(index)),
            "kinetic": self.part.spread(modes.part_motion_densities(index)),
        }
        self._finish()

    def show_state(self, modes: ModeSet, shape: Array, values: Array) -> None:
        """Take something the preload does: a shape, and values (0 to 1) at the modes' points."""
        self._take(modes.by_part(shape))
        self._use(self._state_table, of_state=True)
        self._lagging = None
        spread = self.part.spread(modes.by_part(values))
        self._values = dict.fromkeys(("motion", "energy", "kinetic"), spread)
        self._finish()

    def _use(self, table: vtkLookupTable, of_state: bool) -> None:
        """Colours of motion and of a loaded state are not the same, nor are its lines."""
        self._of_state = of_state
        self.skin.use(table)
        self.skin.show_nodal(self.options.nodal and not of_state)

    def _take(self, shape: Mapping[str, Array]) -> None:
        self._shape = dict(shape)
        moved = self.part.moved(self._shape)
        largest = float(np.linalg.norm(moved, axis=1).max()) or 1.0
        self._displacement = moved / largest
        self._motion_scale = 1.0 / largest

    def _finish(self) -> None:
        self.skin.find_nodal(self.options, self._displacement)
        self._colour()

    def _depth(self, name: str) -> float:
        """How thick a part is, as glyphs on it go by."""
        return min(self.part.parts[name].depth, 0.05 * self.size) or 0.01 * self.size

    def set_options(self, options: SceneOptions) -> None:
        """Take what is to be seen."""
        self.options = options
        if self._design is not None:
            self._apply_options()
            self._colour()

    def _colour(self) -> None:
        if self._shape is not None:
            values = self._values[self.options.colour]
            kept = (values >= self.options.least) & (values <= self.options.most)
            self.skin.paint(np.where(kept, values, 0.0))

    def _apply_options(self) -> None:
        self.skin.show(self.options)
        self.skin.show_nodal(self.options.nodal and not self._of_state)
        for actor in self._glyphs:
            actor.SetVisibility(self.options.clutter)
        self._cut()
        if self._shape is not None:
            self.skin.find_nodal(self.options)

    def _cut(self) -> None:
        """Take away what lies before the plane of the cut, as the component stands at rest."""
        axis = "xyz".find(self.options.cut) if self.options.cut else -1
        low, high = self.part.points.min(axis=0), self.part.points.max(axis=0)
        plane = vtkPlane()
        if axis >= 0:
            plane.SetOrigin(*(low + self.options.cut_at * (high - low)))
            camera = self._renderer.GetActiveCamera()
            ahead = np.array(camera.GetFocalPoint()) - np.array(camera.GetPosition())
            plane.SetNormal(*(np.eye(3)[axis] * (1.0 if ahead[axis] >= 0 else -1.0)))
        self.skin.cut(plane if axis >= 0 else None)

    def pose(self, swing: float, behind: float = 0.0) -> None:
        """Move everything to ``swing`` (-1 to 1, times the drawn amplitude) of the mode.

        Of a whirling mode ``behind`` is how much of the part a quarter turn later is seen.
        """
        if self._shape is None:
            return
        # What leads may not have been built yet.
        like = self if self._like is None or self._like._design is None else self._like
        size = like.size
        ahead, behind = swing * _REACH * size, behind * _REACH * size
        points = self.part.points + ahead * self._displacement
        if self._lagging is not None:
            points += behind * self._lagging
        self.skin.move(points)
        for actor, centre, place, offset in self._masses:
            at = ahead * self.part.body_motion(self._shape, place)
            if self._lagging is not None:
                at += behind * self.part.body_motion(self._lagging_shape, place)
            moved = at[:3] + cross(at[3:], offset)
            actor.SetPosition(*(centre + moved * self._motion_scale))

    def rest(self) -> None:
        """Show the component at rest, in the colour of what does not move."""
        self._shape = self._lagging = None
        self.skin.rest()
        for actor, centre, _, _ in self._masses:
            actor.SetPosition(*centre)

    # -- what is looked at ----------------------------------------------------------------------

    def resize(self, width: int, height: int) -> None:
        """Take the size of the picture (pixels)."""
        self.eye.wanted = width, height
        self._window.SetSize(width, height)

    def fit(self) -> None:
        """Bring everything into view from the present direction."""
        # What others look at through the same eye is to be seen as well.
        shown = [scene for scene in self._linked if scene._design is not None]
        if shown:
            self.eye.fit([each for scene in shown for each in scene._room()])

    def _room(self) -> list[tuple[Array, float]]:
        """Points to be seen, and how much room there must be about them."""
        reach = 0.5 * _REACH * self.size  # about what the amplitude starts with
        bodies = [(at[None], reach + size) for at, size in self._bodies()]
        return [(self.part.points, reach), *bodies]

    def _bodies(self) -> list[tuple[Array, float]]:
        """Centre and drawn radius of each hung body."""
        assert self._design is not None
        heaviest = max((hung.mass for hung in self._design.masses), default=0.0) or 1.0
        largest = max(0.6 * self.part.depth, 0.02 * self.size)
        return [
            (
                location(self._design, hung.place) + np.array(hung.offset),
                largest * max((hung.mass / heaviest) ** (1 / 3), 0.4),
            )
            for hung in self._design.masses
        ]

    def look(self, direction: str) -> None:
        """Look along an axis ("x", "y", "z") or at a slant ("corner")."""
        towards, up = {
            "x": ((-1, 0, 0), (0, 0, 1)),
            "y": ((0, 1, 0), (0, 0, 1)),
            "z": ((0, 0, -1), (0, 1, 0)),
            "corner": (_SLANT_OF_WALL if self._on_wall else _SLANT, (0, 0, 1)),
        }[direction]
        self.look_along((towards, up))

    def look_along(self, heading: Heading) -> None:
        """Look along a way, with another up on the picture; all is brought into view."""
        self.eye.head(heading)
        self.fit()

    @property
    def _on_wall(self) -> bool:
        return self._design is not None and (self._design.has_walls or len(self._design.parts) > 1)

    # -- picture --------------------------------------------------------------------------------

    def draw(self, width: int, height: int, fast: bool = False) -> NDArray[np.uint8]:
        """Draw the scene into pixels ``(height, width, 4)``; ``fast`` skips smoothing.

        The fourth value is how little one sees through, where the scene is ``transparent``. A
        large picture drawn fast has fewer pixels than asked for, to be drawn larger.
        """
        self.eye.wanted = width, height
        coarser = math.sqrt(max(1.0, width * height / _MOST_FAST)) if fast else 1.0
        return self._drawn(round(width / coarser), round(height / coarser), 0 if fast else 4)

    def _drawn(self, width: int, height: int, samples: int) -> NDArray[np.uint8]:
        self._window.SetMultiSamples(samples)
        self._window.SetAlphaBitPlanes(self.transparent)
        self._renderer.SetBackgroundAlpha(0.0 if self.transparent else 1.0)
        if tuple(self._window.GetSize()) != (width, height):
            self._window.SetSize(width, height)
        self._window.Render()
        self._window.GetRGBACharPixelData(0, 0, width - 1, height - 1, 1, self._pixels)  # type: ignore[call-overload]
        pixels = np.asarray(vtk_to_numpy(self._pixels), dtype=np.uint8)
        return pixels.reshape(height, width, 4)[::-1].copy()

    def draw_aside(self, width: int, height: int, number: int) -> NDArray[np.uint8]:
        """Draw quickly, moved aside by a part of a pixel: one of those the mean is taken of."""
        camera = self._renderer.GetActiveCamera()
        right, up = ASIDE[number]
        camera.SetWindowCenter(2 * right / width, 2 * up / height)
        try:
            return self._drawn(width, height, 0)
        finally:
            camera.SetWindowCenter(0.0, 0.0)

    def place_under(self, x: float, y: float, height: int) -> Spot | None:
        """What the surface at a place of the last picture is part of, and where that is at rest."""
        place = self.eye.point_under(x, y, height)
        if place is None:
            return None
        point = int(np.argmin(np.linalg.norm(self.skin.points - place, axis=1)))
        part, region = self.part.owner(point)
        rest = self.part.points[point] + place - self.skin.points[point]
        return Spot(part, region, rest)

    def share_eye(self, other: Scene) -> None:
        """Look from wherever another scene looks, and draw motions as large as it does."""
        self._like = other
        self._linked = other._linked
        self._linked.add(self)
        self.eye.share(other.eye)

    def close(self) -> None:
        """Give the drawing surface back; the scene cannot be drawn any more."""
        self._linked.discard(self)
        self._renderer.RemoveAllViewProps()
        self._window.RemoveRenderer(self._renderer)
        self._window.Finalize()

    # -- building -------------------------------------------------------------------------------

    def _add_masses(self) -> None:
        assert self._design is not None
        self._masses = []
        for hung, (centre, radius) in zip(self._design.masses, self._bodies(), strict=True):
            actor = ball(radius, self._palette.energy)
            actor.SetPosition(*centre)
            self._glyphs.append(actor)
            self._masses.append((actor, centre, hung.place, np.array(hung.offset)))
