"""From where a scene is looked at, and where what is seen falls on the picture."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray
from vtkmodules.vtkRenderingCore import vtkCamera, vtkCoordinate, vtkRenderer, vtkRenderWindow

from belltone.vectors import cross

__all__ = ["Eye", "Heading"]

Array = NDArray[np.float64]
Heading = tuple[tuple[float, float, float], tuple[float, float, float]]
"""Which way one looks, and which way is up on the picture."""

_FILLED: Final = 0.9
_LEAST_CLEAR: Final = 0.4  # of the height, however much a caption takes
_VIEW_ANGLE: Final = 20.0  # degrees; narrow, so that near and far parts look alike in size


class Eye:
    """Looks at what a renderer draws into a window.

    ``headroom`` and ``footroom`` are pixels at the top and the bottom that words need, ``filled``
    is the share of the picture that what is brought into view takes, ``wanted`` the size of the
    picture (pixels), of which the window has fewer where it is drawn fast.
    """

    def __init__(self, renderer: vtkRenderer, window: vtkRenderWindow) -> None:
        self.headroom = self.footroom = 0
        self.filled = _FILLED
        self.wanted = 600, 300
        self._renderer, self._window = renderer, window
        self._window.SetSize(*self.wanted)
        self._camera.SetViewAngle(_VIEW_ANGLE)

    @property
    def _camera(self) -> vtkCamera:
        return self._renderer.GetActiveCamera()

    def share(self, other: Eye) -> None:
        """Look from wherever another looks."""
        self._renderer.SetActiveCamera(other._camera)

    # -- where it is ----------------------------------------------------------------------------

    @property
    def heading(self) -> Heading:
        """Which way one looks, and which way is up on the picture: unit vectors."""
        towards = np.array(self._camera.GetFocalPoint()) - np.array(self._camera.GetPosition())
        towards /= np.linalg.norm(towards)
        x, y, z = (float(value) for value in towards)
        right, up, out = self._camera.GetViewUp()
        return (x, y, z), (float(right), float(up), float(out))

    def head(self, heading: Heading) -> None:
        """Look along a way, with another up on the picture."""
        towards, up = heading
        focus = np.array(self._camera.GetFocalPoint())
        self._camera.SetPosition(*(focus - np.array(towards, float)))
        self._camera.SetViewUp(*up)

    def fit(self, room: list[tuple[Array, float]]) -> None:
        """Bring points ``(k, 3)`` into view from the present direction, each with room about it."""
        camera = self._camera
        position, focus = np.array(camera.GetPosition()), np.array(camera.GetFocalPoint())
        ahead = (focus - position) / np.linalg.norm(focus - position)
        across = cross(ahead, np.array(camera.GetViewUp()))
        across /= np.linalg.norm(across)
        upward = cross(across, ahead)
        along = np.concatenate([at for at, _ in room]) @ np.column_stack([across, upward, -ahead])
        about = np.repeat([by for _, by in room], [len(at) for at, _ in room])
        sideways = about[:, None] * np.array([1.0, 1.0, 0.0])
        middle = 0.5 * ((along - sideways).min(axis=0) + (along + sideways).max(axis=0))
        width, height = self.wanted
        # Words need room; what is seen goes into the middle of what is left.
        above, below = (pixels / max(height, 1) for pixels in (self.headroom, self.footroom))
        clear = max(1 - above - below, _LEAST_CLEAR)
        lowered = (1 - clear) * (above - below) / max(above + below, 1e-12)
        half = np.tan(np.radians(camera.GetViewAngle() / 2)) * self.filled
        away = along - middle
        reach = np.abs(away) + sideways
        needed = np.maximum(reach[:, 0] * height / max(width, 1), reach[:, 1] / clear)
        distance = float((away[:, 2] + needed / half).max())
        centre = middle @ np.stack([across, upward, -ahead])
        lowered *= distance * np.tan(np.radians(camera.GetViewAngle() / 2))
        centre = centre + lowered * upward
        camera.SetFocalPoint(*centre)
        camera.SetPosition(*(centre - distance * ahead))
        camera.SetViewUp(*upward)
        self._renderer.ResetCameraClippingRange()

    def turn(self, right: float, up: float) -> None:
        """Turn the view by degrees; the sheet's z stays upright."""
        self._camera.Azimuth(-right)
        self._camera.Elevation(up)
        self._camera.OrthogonalizeViewUp()
        self._renderer.ResetCameraClippingRange()

    def shift(self, right: float, up: float) -> None:
        """Slide the view by shares of its height."""
        camera = self._camera
        position, focus = np.array(camera.GetPosition()), np.array(camera.GetFocalPoint())
        height = (
            2 * np.linalg.norm(position - focus) * np.tan(np.radians(camera.GetViewAngle() / 2))
        )
        across = cross(focus - position, np.array(camera.GetViewUp()))
        across /= np.linalg.norm(across)
        step = -(right * across + up * np.array(camera.GetViewUp())) * height
        camera.SetPosition(*(position + step))
        camera.SetFocalPoint(*(focus + step))
        self._renderer.ResetCameraClippingRange()

    def zoom(self, factor: float) -> None:
        """Come nearer (above 1) or go away."""
        self._camera.Dolly(factor)
        self._renderer.ResetCameraClippingRange()

    # -- what falls where -----------------------------------------------------------------------

    def on_picture(self, place: Array, height: int) -> tuple[float, float]:
        """Where a point in space falls on the picture (pixels, from its top left)."""
        coordinate = vtkCoordinate()
        coordinate.SetCoordinateSystemToWorld()
        coordinate.SetValue(*place)
        x, y = coordinate.GetComputedDoubleDisplayValue(self._renderer)
        larger = height / max(self._window.GetSize()[1], 1)
        return larger * x, height - larger * y

    def project(self, places: Array, height: int) -> Array:
        """Where points ``(k, 3)`` fall on the picture: pixels right and down, and depth 0 to 1."""
        found = np.column_stack([places, np.ones(len(places))]) @ self._projection.T
        found = found[:, :3] / found[:, 3:]
        wide, high = self._window.GetSize()
        larger = height / max(high, 1)
        x, y = 0.5 * (found[:, 0] + 1) * wide * larger, height * (0.5 - 0.5 * found[:, 1])
        return np.column_stack([x, y, found[:, 2]])

    def depth_at(self, x: float, y: float, height: int) -> float:
        """How deep the surface lies at a place of the last picture, 1 where there is none."""
        wide, high = self._window.GetSize()
        larger = height / max(high, 1)
        column, row = round(x / larger), round((height - y) / larger)
        if not (0 <= column < wide and 0 <= row < high):
            return 1.0
        return float(self._window.GetZbufferDataAtPoint(column, row))

    def point_under(self, x: float, y: float, height: int) -> Array | None:
        """The point in space (3,) of the surface at a place of the last picture, if there is."""
        depth = self.depth_at(x, y, height)
        if not depth < 1.0:
            return None
        wide, high = self._window.GetSize()
        across = x * high / (height * wide)
        flat = np.array([2 * across - 1, 1 - 2 * y / height, depth, 1.0])
        there = np.linalg.solve(self._projection, flat)
        return np.asarray(there[:3] / there[3])

    @property
    def axes(self) -> Array:
        """The sheet's x, y, z as they run on the picture: ``(3, 2)``, right and down."""
        matrix = self._camera.GetViewTransformMatrix()
        rows = np.array([[matrix.GetElement(row, column) for column in range(3)] for row in (0, 1)])
        return np.column_stack([rows[0], -rows[1]])

    @property
    def _projection(self) -> Array:
        wide, high = self._window.GetSize()
        matrix = self._camera.GetCompositeProjectionTransformMatrix(wide / max(high, 1), 0, 1)
        return np.array([[matrix.GetElement(i, j) for j in range(4)] for i in range(4)])
