"""``make bench``: how fast, as ratios in one run, and how honest the error estimates are."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from concurrent.futures import Executor, Future
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
from scipy.sparse.linalg import eigsh

from belltone.mesh.discretisation import Discretisation
from belltone.mesh.line import line_mesh
from belltone.modes.solve import ModeRequest, request_for, solve_modes
from belltone.reading.family import evaluate
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet
from belltone.store.results import ResultStore
from belltone.sweep.plan import default_plan
from belltone.sweep.pool import start_workers
from belltone.sweep.runner import run_sweep
from belltone.system.assembly import assemble
from belltone.system.kinds import body_of
from belltone.system.lanczos import lowest_modes
from benchmarks import (
    assemblies,
    handing,
    looks,
    models,
    parametric,
    preload,
    receiving,
    tuning,
    walls,
    window,
    workers,
)

BAR = """
belltone = 1
[parts.bar]
kind = "member"
material = "structural steel"
length = "{length}"
section = {{ shape = "solid rectangle", width = "50 mm", height = "30 mm" }}
{rest}
"""
CLAMPED = '[[supports]]\nsite = "bar.start"\nhold = "clamped"\n'
BODY = '[[masses]]\nsite = "bar.end"\nmass = "2 kg"\noffset = ["0 mm", "20 mm", "0 mm"]\n'
CASES = {
    "stubby cantilever": BAR.format(length="0.3 m", rest=CLAMPED),
    "slender cantilever": BAR.format(length="3 m", rest=CLAMPED),
    "free bar": BAR.format(length="1 m", rest="[modes]\nfree = true\n"),
    "body off the axis": BAR.format(length="1 m", rest=CLAMPED + BODY),
    "tapered cantilever": BAR.format(length="1 m", rest=CLAMPED).replace(
        "[[supports]]",
        'section_at_end = { shape = "solid rectangle", width = "50 mm", height = "10 mm" }\n'
        "[[supports]]",
    ),
}


class Inline(Executor):
    """Runs everything at once, in this process."""

    def submit(self, fn: Callable[..., Any], /, *args: Any, **kwargs: Any) -> Future[Any]:
        """Run it now."""
        future: Future[Any] = Future()
        future.set_result(fn(*args, **kwargs))
        return future


def median(call: Callable[[], object], runs: int = 7) -> float:
    """Median seconds of a call, after one that warms up."""
    call()
    times = []
    for _ in range(runs):
        start = time.perf_counter()
        call()
        times.append(time.perf_counter() - start)
    return statistics.median(times)


def accuracy() -> None:
    """Print true error over estimate for each case."""
    print("\nTrue error / estimate, 12 modes, 0.1 % asked for")
    print(f"{'case':<22}{'largest estimate':>18}{'smallest':>10}{'median':>10}{'largest':>10}")
    for name, text in CASES.items():
        design = evaluate(Sheet.from_text(text))
        request = ModeRequest(12, None, 1e-3)
        found = solve_modes(design, request)
        exact = solve_modes(design, request, Discretisation(12, 8))
        start, stop = found.rigid_count, found.rigid_count + 12
        true = np.abs(found.frequencies[start:stop] / exact.frequencies[start:stop] - 1)
        estimates = found.errors[start:stop]
        share = true / estimates
        print(
            f"{name:<22}{100 * estimates.max():>16.2g} %{share.min():>10.2g}"
            f"{np.median(share):>10.2g}{share.max():>10.2g}"
        )


def order_pays() -> None:
    """High order against linear elements, both to 0.1 % on ten frequencies."""
    design = evaluate(Sheet.from_text(CASES["stubby cantilever"]))
    exact = solve_modes(design, ModeRequest(10, None, 1e-9), Discretisation(12, 8)).frequencies[:10]

    def solved(discretisation: Discretisation) -> np.ndarray[Any, Any]:
        system = assemble(design, discretisation)
        values = lowest_modes(system.stiffness, system.mass, system.rigid, 10).values
        return np.sqrt(values[:10]) / (2 * np.pi)

    divisions = 4
    while np.abs(solved(Discretisation(divisions, 1)) / exact - 1).max() > 1e-3:
        divisions *= 2
    high = solve_modes(design, ModeRequest(10, None, 1e-3)).discretisation
    slow = median(lambda: solved(Discretisation(divisions, 1)))
    fast = median(lambda: solved(high))
    print(
        f"linear elements ({6 * divisions} unknowns) / order {high.order} "
        f"({6 * high.divisions * high.order} unknowns), ten modes to 0.1 %: {slow / fast:.1f}"
    )


def eigensolver() -> None:
    """Against SciPy's shift-invert on the same matrices, 20 modes."""
    design = evaluate(Sheet.from_text(CASES["stubby cantilever"]))
    for divisions in (20, 200):
        system = assemble(design, Discretisation(divisions, 6))
        ours = median(lambda: lowest_modes(system.stiffness, system.mass, system.rigid, 20))  # noqa: B023
        theirs = median(
            lambda: eigsh(system.stiffness, 20, system.mass, sigma=0.0)  # noqa: B023
        )
        size = system.stiffness.shape[0]
        print(
            f"SciPy eigsh / ours with proof of completeness, {size} unknowns: {theirs / ours:.2f}"
        )


def element_work() -> None:
    """All elements at once against one call for each."""
    design = evaluate(Sheet.from_text(CASES["stubby cantilever"]))
    member = design.member
    assert member is not None
    whole = line_mesh(member, [], Discretisation(400, 4))
    single = [
        replace(
            whole,
            stretches=whole.stretches[[k]],
            connectivity=whole.connectivity[[k]],
            positions=whole.positions[[k]],
            ups=whole.ups[[k]],
        )
        for k in range(400)
    ]
    together = median(lambda: body_of(member, whole))
    one_by_one = median(lambda: [body_of(member, each) for each in single], 3)
    print(f"elements one by one / all 400 at once: {one_by_one / together:.0f}")


def sweeps() -> None:
    """Workers against one process, and a finished sweep against a fresh one."""
    sheet = Sheet.from_text(demo_sheet().read_text(encoding="utf-8"))
    design = evaluate(sheet)
    plan = default_plan(design.knobs["post_at"], 65)
    request = request_for(design)
    single = median(lambda: solve_modes(design, request, Discretisation(2, 8)))
    alone = median(lambda: run_sweep(sheet, plan, Inline()), 3)
    with start_workers() as workers, TemporaryDirectory() as folder:
        together = median(lambda: run_sweep(sheet, plan, workers), 3)
        with ResultStore(Path(folder) / "r.sqlite") as store:
            kept = median(lambda: run_sweep(sheet, plan, workers, store), 3)
    print(f"sweep of 65 points in one process / in workers: {alone / together:.2f}")
    print(f"sweep solved / read from the store: {together / kept:.1f}")
    print(f"sweep of 65 points in workers / one solution: {together / single:.0f}")


if __name__ == "__main__":
    print("Ratios of medians in this run")
    element_work()
    order_pays()
    eigensolver()
    sweeps()
    accuracy()
    walls.main()
    assemblies.main()
    preload.main()
    parametric.main()
    models.main()
    models.planes()
    workers.main()
    tuning.main()
    models.drag()
    looks.main()
    window.main()
    handing.main()
    receiving.main()
