"""Pictures of one design with no window: at rest, in a mode, in its loaded state."""

from __future__ import annotations

import math
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import Design
from belltone.drawing.colours import LIGHT, Palette
from belltone.drawing.eye import Heading
from belltone.drawing.options import SceneOptions
from belltone.drawing.scene import Scene
from belltone.drawing.shown import Shown, state_values
from belltone.modes.modeset import ModeSet

__all__ = ["DIRECTIONS", "Still", "View", "plain", "swing_at", "taking"]

Array = NDArray[np.float64]
Pixels = NDArray[np.uint8]

DIRECTIONS: Final = ("corner", "x", "y", "z")


@dataclass(frozen=True)
class View:
    """How a picture is taken: size (pixels), from where (by name, or a heading), what is seen.

    ``turned`` (degrees) goes round the upright axis from ``direction``. ``amplitude`` is how far
    the most moving point is drawn, relative to the usual; ``headroom`` pixels stay clear on top,
    and the component takes a share ``filled`` of the rest.
    """

    width: int = 1280
    height: int = 720
    direction: str | Heading = "corner"
    turned: float = 0.0
    amplitude: float = 0.6
    headroom: int = 0
    filled: float = 0.9
    transparent: bool = False
    options: SceneOptions = field(default_factory=SceneOptions)


def swing_at(share: float, half: bool = False) -> tuple[float, float]:
    """Where a mode is at a share of its cycle: its swing, and that of a quarter turn later.

    Of half a cycle one side only is seen, there and back.
    """
    swing = math.cos(2 * math.pi * share)
    if half:
        return 0.5 * (1 + swing), 0.5 * math.sin(2 * math.pi * share)
    return swing, math.sin(2 * math.pi * share)


class Still:
    """Takes pictures of one design; to be closed, which `taking` does."""

    def __init__(
        self, design: Design, modes: ModeSet | None, view: View, palette: Palette = LIGHT
    ) -> None:
        self.view = view
        self._modes = modes
        self._scene = Scene(palette)
        self._scene.transparent = view.transparent
        self._scene.eye.headroom, self._scene.eye.filled = view.headroom, view.filled
        self._scene.resize(view.width, view.height)
        self._scene.show_design(design, modes)
        self._scene.set_options(view.options)
        if isinstance(view.direction, str):
            self._scene.look(view.direction)
        else:
            self._scene.look_along(view.direction)
        if view.turned:
            self.turn(view.turned)
        self._shown: object = None

    @property
    def scene(self) -> Scene:
        """The scene drawn."""
        return self._scene

    def close(self) -> None:
        """Give the drawing surface back."""
        self._scene.close()

    def turn(self, degrees: float) -> None:
        """Turn the view round the upright axis."""
        self._scene.eye.turn(degrees, 0.0)

    def take(self, design: Design, modes: ModeSet) -> None:
        """Go on with another design, seen from the same place."""
        if not self._scene.follow(design, modes):
            self._scene.show_design(design, modes)
        self._modes, self._shown = modes, None

    def rest(self) -> Pixels:
        """The component at rest ``(height, width, 4)``."""
        self._scene.rest()
        self._shown = None
        return self._draw()

    def mode(self, index: int, swing: float = 1.0, behind: float = 0.0) -> Pixels:
        """A mode by its place in the list, at a swing of its motion ``(height, width, 4)``."""
        assert self._modes is not None
        if self._shown != index:
            self._scene.show_mode(self._modes, index)
            self._shown = index
        self._scene.pose(swing * self.view.amplitude, behind * self.view.amplitude)
        return self._draw()

    def whirls(self, index: int) -> bool:
        """Whether a mode goes round, so that its way back is not its way there."""
        modes = self._modes
        assert modes is not None
        return modes.lagging is not None and bool(modes.waves[index])

    def state(self, shown: Shown) -> Pixels:
        """What the preload does, or a buckling shape ``(height, width, 4)``."""
        assert self._modes is not None
        base = self._modes.base
        assert base is not None
        if shown.of_state:
            values, _ = state_values(base, shown.kind)
            self._scene.show_state(self._modes, base.displacements, values / (values.max() or 1.0))
        else:
            assert shown.number is not None
            shape = base.shapes[shown.number]
            sizes = np.linalg.norm(shape[:, :3], axis=1)
            self._scene.show_state(self._modes, shape, sizes / (sizes.max() or 1.0))
        self._shown = shown
        self._scene.pose(self.view.amplitude)
        return self._draw()

    def _draw(self) -> Pixels:
        return self._scene.draw(self.view.width, self.view.height)


@contextmanager
def taking(
    design: Design, modes: ModeSet | None, view: View, palette: Palette = LIGHT
) -> Iterator[Still]:
    """A `Still` for as long as it is needed."""
    still = Still(design, modes, view, palette)
    try:
        yield still
    finally:
        still.close()


def plain(options: SceneOptions) -> SceneOptions:
    """Nothing but the component: no supports, masses, names or axes."""
    return replace(options, clutter=False, axes=False)
