"""How long handing over takes: reports and a film, beside the solution they are of."""

from __future__ import annotations

import time
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime
from pathlib import Path
from tempfile import TemporaryDirectory

from belltone.drawing.display import prepare_display

prepare_display()

from belltone.drawing.stills import View, taking  # noqa: E402
from belltone.exchange.films import Reel, film_modes  # noqa: E402
from belltone.exchange.gathered import gather, solved, usual_parts  # noqa: E402
from belltone.exchange.report.html import as_html  # noqa: E402
from belltone.exchange.report.sections import pages  # noqa: E402
from belltone.progress import Progress  # noqa: E402
from belltone.reading.family import evaluate  # noqa: E402
from belltone.sheet.demo import demo_sheet  # noqa: E402
from belltone.sheet.document import read_sheet  # noqa: E402
from belltone.store.results import ResultStore  # noqa: E402

DEMOS = ("infeed_rail", "pump_cover", "guard_hood")
FRAMES = 60


def main() -> None:
    """A report of each demo after its solution, and a film of the rail."""
    print("\nReports after the solution (seconds, and in solutions' time; size in kB)")
    for name in DEMOS:
        row(name)
    film()


def row(name: str) -> None:
    """Print how long the solution took, its report, and how large that is."""
    sheet = read_sheet(demo_sheet(name))
    design = evaluate(sheet)
    with (
        TemporaryDirectory() as folder,
        ThreadPoolExecutor(1) as workers,
        ResultStore(Path(folder) / "r.sqlite") as store,
    ):
        begun = time.perf_counter()
        solved(sheet, design, store, Progress())
        solution = time.perf_counter() - begun
        begun = time.perf_counter()
        parts = usual_parts(sheet, design, pinned=False)
        found = gather(sheet, None, parts, workers, store, Progress(), quick=True)
        text = as_html(pages(found, Progress(), datetime.now()))
        report = time.perf_counter() - begun
    size = len(text) / 1e3
    print(f"{name:14} solution {solution:6.2f}  report {report:6.2f}  "
          f"ratio {report / solution:6.1f}  {size:6.0f} kB")  # fmt: skip


def film() -> None:
    """Print what a film costs beside drawing its frames one by one."""
    sheet = read_sheet(demo_sheet("infeed_rail"))
    design = evaluate(sheet)
    with TemporaryDirectory() as folder:
        with ResultStore(Path(folder) / "r.sqlite") as store:
            modes = solved(sheet, design, store, Progress())
        reel = Reel(View(), FRAMES)
        begun = time.perf_counter()
        film_modes(design, modes, [2], reel, Path(folder) / "film.mp4", Progress())
        whole = time.perf_counter() - begun
    with taking(design, modes, reel.view) as still:
        begun = time.perf_counter()
        for number in range(FRAMES):
            still.mode(2, number / FRAMES)
        drawn = time.perf_counter() - begun
    print(f"film of {FRAMES} frames, 1280 x 720: {whole:.1f} s; drawing every frame / film: "
          f"{drawn / whole:.2f}")  # fmt: skip


if __name__ == "__main__":
    main()
