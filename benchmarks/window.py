"""The window: how long until it can be used, and how smoothly a large shape moves.

Drawn without a screen; without a graphics card where there is none.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import time
from pathlib import Path
from tempfile import TemporaryDirectory

import meshio
import numpy as np

from belltone.modes.request import ModeRequest
from belltone.modes.solve import solve_modes
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet

_START = """
import gc, sys, time
gc.disable()  # as the command does
from PySide6.QtCore import QSettings
from belltone.desk.application import make_application
from belltone.desk.opening import Opening
application = make_application()
opening = Opening(QSettings())
opening.show()
opening.grab()
page = time.time()
opening.load()
from belltone.desk.windows import Windows
windows = Windows()
window = windows.begin(None, None)
application.processEvents()
window.grab()
opening.hand_over(window)
print(page - float(sys.argv[1]), time.time() - float(sys.argv[1]))
window.files.may_discard = lambda: True
window.close()
"""
_NOT_KEPT = "PYTHONDONTWRITEBYTECODE"  # what is compiled once stays compiled, as for users
_QUADS = 100  # along each side
_SHEET = """
belltone = 1
[parts.sheet]
kind = "mesh"
file = "sheet.vtu"
unit = "mm"
thickness = "3 mm"
material = "structural steel"
"""


def main() -> None:
    """Print both tables."""
    print("\nFrom the start of the program to the page to begin with, and to the window (s)")
    with TemporaryDirectory() as folder:
        # Nothing compiled yet and nothing cached, as after an installation.
        first = _started(Path(folder), PYTHONPYCACHEPREFIX=folder)
        again = [_started(Path(folder), PYTHONPYCACHEPREFIX=folder) for _ in range(3)]
    page, window = (statistics.median(times) for times in zip(*again, strict=True))
    told = "  ".join(f"{seconds:5.2f}" for seconds in (*first, page, window))
    print(f"  the first start, then afterwards: {told}")
    print("\nPictures a second while a shape moves, 700 x 500")
    print(f"  {_QUADS**2} quadrilaterals {_pictures_a_second():5.0f}")


def _started(home: Path, **also: str) -> tuple[float, float]:
    settings = {"XDG_CACHE_HOME": str(home / "cache"), "XDG_CONFIG_HOME": str(home / "config")}
    screenless = {
        "QT_QPA_PLATFORM": "offscreen",
        "VTK_DEFAULT_OPENGL_WINDOW": "vtkEGLRenderWindow",
    }
    usual = {name: value for name, value in os.environ.items() if name != _NOT_KEPT}
    done = subprocess.run(
        [sys.executable, "-c", _START, str(time.time())],
        env={**usual, **settings, **screenless, **also},
        capture_output=True,
        text=True,
        check=True,
    )
    page, window = done.stdout.splitlines()[-1].split()
    return float(page), float(window)


def _pictures_a_second() -> float:
    os.environ.setdefault("VTK_DEFAULT_OPENGL_WINDOW", "vtkEGLRenderWindow")
    from belltone.drawing.colours import LIGHT
    from belltone.drawing.scene import Scene

    shares = np.linspace(0.0, 1.0, _QUADS + 1)
    x, y = (grid.ravel() for grid in np.meshgrid(400 * shares, 300 * shares, indexing="ij"))
    points = np.column_stack([x, y, 20 * np.sin(x / 130)])
    at = np.arange((_QUADS + 1) ** 2).reshape(_QUADS + 1, -1)
    cells = np.stack([at[:-1, :-1], at[1:, :-1], at[1:, 1:], at[:-1, 1:]], axis=-1).reshape(-1, 4)
    with TemporaryDirectory() as folder:
        meshio.Mesh(points, [("quad", cells)]).write(Path(folder) / "sheet.vtu")
        design = evaluate(Sheet.from_text(_SHEET, Path(folder)))
        modes = solve_modes(design, ModeRequest(1, None, 0.5))
    scene = Scene(LIGHT)
    scene.show_design(design, modes)
    scene.look("corner")
    scene.show_mode(modes, modes.rigid_count)
    scene.draw(700, 500, fast=True)
    begun, count = time.perf_counter(), 60
    for number in range(count):
        scene.pose(0.6 * np.sin(0.3 * number))
        scene.draw(700, 500, fast=True)
    seconds = time.perf_counter() - begun
    scene.close()
    return count / seconds


if __name__ == "__main__":
    main()
