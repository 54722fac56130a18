"""Exact points of a wall by one worker process, by two, and by a cluster on this machine.

``python -m benchmarks.workers``; the cluster needs the extra of that name.
"""

from __future__ import annotations

import time
from concurrent.futures import Executor, wait

import numpy as np

from belltone.design.values import Design
from belltone.modes.solve import request_for, solve
from belltone.reading.family import evaluate
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet, read_sheet
from belltone.sweep.cluster import cluster_workers
from belltone.sweep.pool import start_workers
from belltone.sweep.work import solve_point

DEMO, KNOB = "pump_cover", "thickness"
POINTS = 24


def main() -> None:
    """Print a table."""
    sheet = read_sheet(demo_sheet(DEMO))
    design = evaluate(sheet)
    level = solve(design, request_for(design)).modes.discretisation
    print(f"\n{POINTS} exact points of {DEMO}, {KNOB}")
    seconds = {}
    for count in (1, 2):
        with start_workers(count) as workers:
            seconds[f"{count} process{'es' * (count > 1)}"] = _taken(workers, sheet, design, level)
    try:
        from distributed import LocalCluster
    except ImportError:
        print("no cluster: its extra is not installed")
    else:
        for count in (1, 2):
            with (
                LocalCluster(
                    n_workers=count, threads_per_worker=1, dashboard_address=":0"
                ) as cluster,
                cluster_workers(cluster.scheduler_address, sheet) as workers,
            ):
                name = f"cluster of {count}"
                seconds[name] = _taken(workers, sheet, design, level)
    for name, taken in seconds.items():
        print(f"{name:<16}{taken:>8.2f} s{seconds['1 process'] / taken:>8.2f} times one process")


def _taken(workers: Executor, sheet: Sheet, design: Design, level: object) -> float:
    """Seconds for all points, everything being loaded."""
    knob, request = design.knobs[KNOB], request_for(design, 4)
    values = np.linspace(*knob.range, POINTS)
    like = knob.turned(float(values[POINTS // 2]))

    def ask(value: float):
        turned = knob.turned(value)
        asked = turned, request, level, sheet.folder, False, like
        return workers.submit(solve_point, sheet.text, *asked)

    wait([ask(value) for value in values[:4]])
    start = time.perf_counter()
    wait([ask(float(value)) for value in values])
    return time.perf_counter() - start


if __name__ == "__main__":
    main()
