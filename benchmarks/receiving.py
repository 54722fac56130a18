"""From a file that somebody sent to its picture: a large mesh, and the bracket of the demos."""

from __future__ import annotations

import time
from pathlib import Path
from tempfile import TemporaryDirectory

import meshio
import numpy as np

from belltone.drawing.display import prepare_display

prepare_display()

from belltone.drawing.colours import LIGHT  # noqa: E402
from belltone.drawing.options import SceneOptions  # noqa: E402
from belltone.drawing.scene import Scene  # noqa: E402
from belltone.exchange.arriving import Choices, arrived, choices_in  # noqa: E402
from belltone.geometry.solids import received  # noqa: E402
from belltone.reading.family import evaluate  # noqa: E402
from belltone.sheet.demo import examples_folder  # noqa: E402

SIDE = 318  # cells along a side: 101 124 faces


def main() -> None:
    """Times from the drop to what was found and to the picture, beside reading the file alone."""
    print("\nFrom a file to its picture (seconds, and in the time meshio takes for the file)")
    with TemporaryDirectory() as folder:
        path = large(Path(folder))
        begun = time.perf_counter()
        meshio.read(path)
        alone = time.perf_counter() - begun
        begun = time.perf_counter()
        choices_in(path)
        _, sheet = arrived(path, Choices(unit="mm"), None)
        found = time.perf_counter() - begun
        design = evaluate(sheet)
        scene = Scene(LIGHT)
        scene.resize(700, 500)
        scene.show_design(design)
        scene.look("corner")
        scene.draw(700, 500)
        drawn = time.perf_counter() - begun
        count = len(design.parts[0].faces)
        print(f"mesh of {count} faces: file alone {alone:.2f}  found "
              f"{found:.2f}  drawn {drawn:.2f}  ratio {drawn / alone:.1f}")  # fmt: skip
        begun = time.perf_counter()
        options = SceneOptions(hidden=frozenset({f"{design.parts[0].name}.region 1"}))
        scene.set_options(options)
        scene.draw(700, 500)
        print(f"one region hidden {time.perf_counter() - begun:.2f}")
        scene.close()
    bracket()


def bracket() -> None:
    """The bracket's walls, read by the CAD kernel."""
    path = examples_folder() / "cap_elevator_bracket.step"
    begun = time.perf_counter()
    list(received.bodies_of_file(path))
    print(f"bracket's walls and pieces {time.perf_counter() - begun:.2f}, with the kernel's start")


def large(folder: Path) -> Path:
    """A wavy sheet of quadrilaterals in four regions."""
    line = np.linspace(0, 600, SIDE + 1)
    x, y = (each.ravel() for each in np.meshgrid(line, line))
    z = 20 * np.sin(x / 60) * np.cos(y / 80)
    rows = np.arange((SIDE + 1) ** 2).reshape(SIDE + 1, SIDE + 1)
    quads = np.stack([rows[:-1, :-1], rows[:-1, 1:], rows[1:, 1:], rows[1:, :-1]], axis=-1)
    parts = (np.indices((SIDE, SIDE)) > SIDE // 2) * np.array([1, 2])[:, None, None]
    path = folder / "large.vtu"
    mesh = meshio.Mesh(
        np.column_stack([x, y, z]),
        [("quad", quads.reshape(-1, 4))],
        cell_data={"part": [1 + parts.sum(axis=0).ravel()]},
    )
    mesh.write(path)
    return path


if __name__ == "__main__":
    main()
