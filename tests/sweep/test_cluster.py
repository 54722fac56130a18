"""Points solved by the workers of a scheduler, on this machine, with workers that go."""

import os
import signal
import threading
import time
from collections.abc import Callable, Iterator
from itertools import chain
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from belltone.design.values import Design
from belltone.progress import Cancelled
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.sweep import cluster
from belltone.sweep.cluster import cluster_workers
from belltone.sweep.plan import SweepPlan, parse_plan
from belltone.sweep.pool import SweepError, start_workers
from belltone.sweep.runner import run_sweep
from belltone.sweep.several import Plan, grid_plan
from belltone.sweep.stopping import give_up, here
from belltone.sweep.survey import run_survey
from tests.assemblies import held, text_of
from tests.conftest import STEEL, Run
from tests.geometry.test_received_meshes import flat, part, written

distributed = pytest.importorskip("distributed")


@pytest.fixture(scope="module")
def local() -> Iterator[Any]:
    """A scheduler with two workers, each a process of its own that is begun again when it ends."""
    with distributed.LocalCluster(
        n_workers=2, threads_per_worker=1, processes=True, dashboard_address=":0"
    ) as found:
        yield found


def plan_of(design: Design, *texts: str) -> Plan:
    return grid_plan([parse_plan(text, design) for text in texts], design)


def pressed(deflection: str) -> Sheet:
    """A clamped plate under pressure, with its thickness and the pressure as knobs."""
    edges = "".join(held(f"wall.{edge}") for edge in ("west", "east", "south", "north"))
    text = f"""{STEEL}
[parts.wall]
kind = "plate"
outline = {{ shape = "rectangle", width = "400 mm", height = "300 mm" }}
thickness = "t"
material = "steel"
{edges}
[preload]
deflection = "{deflection}"
pressures = [{{ site = "wall.face", pressure = "p", on = "inner" }}]
[accuracy]
divisions = 1
order = 3
"""
    return Sheet.from_text(
        f'belltone = 1\n{text}\n[knobs]\nt = {{ value = "2 mm" }}\np = {{ value = "0.2 bar" }}\n'
    )


@pytest.mark.parametrize("name", ["rail", "small", "large"])
def test_a_cluster_says_what_processes_say_to_the_bit(local: Any, rail: Sheet, name: str) -> None:
    sheet, over = rail, ("wall=2.5 mm, 3 mm", "post_at=1.5 m, 1.55 m, 1.6 m")
    if name != "rail":
        sheet, over = pressed(name), ("t=1.9 mm, 2 mm",)
    plan = plan_of(evaluate(sheet), *over)
    with start_workers(2) as processes:
        here = run_survey(sheet, plan, processes)
    others = []
    if name != "large":  # one is enough of what takes long
        with start_workers(1) as process:
            others.append(run_survey(sheet, plan, process))
    with cluster_workers(local.scheduler_address, sheet) as workers:
        others.append(run_survey(sheet, plan, workers))
    for told in others:
        for one, other in zip(here.sets, told.sets, strict=True):
            assert one is not None
            assert other is not None
            assert one.frequencies.tobytes() == other.frequencies.tobytes()
            assert one.signatures.tobytes() == other.signatures.tobytes()
        assert [track.places for track in here.tracks] == [track.places for track in told.tracks]


def _until_stopped(begun: Path, ended: Path) -> None:
    """Go on until told to stop, by files that say so."""
    begun.touch()
    deadline = time.monotonic() + 60
    try:
        while time.monotonic() < deadline:
            here().check()
            time.sleep(0.01)
    except Cancelled:
        ended.touch()
        raise


@pytest.mark.parametrize("where", ["processes", "cluster"])
def test_a_stop_reaches_what_is_under_way(
    local: Any, rail: Sheet, tmp_path: Path, where: str
) -> None:
    begun, ended = tmp_path / "begun", tmp_path / "ended"
    with (
        start_workers(1)
        if where == "processes"
        else cluster_workers(local.scheduler_address, rail) as workers
    ):
        asked = workers.submit(_until_stopped, begun, ended)
        _until(begun.exists)
        other = workers.submit(abs, -2)
        give_up([asked])
        _until(ended.exists)
        assert other.result(timeout=60) == 2  # it alone
        assert workers.submit(abs, -3).result(timeout=60) == 3


def test_a_received_mesh_travels_and_a_lost_worker_costs_no_point(
    local: Any, tmp_path: Path
) -> None:
    points, quads = flat(8, 6)
    written(tmp_path, "sent.vtu", points, [("quad", quads)])
    thick = part("sent.vtu").replace('"4 mm"', '"t"') + '[knobs.t]\nvalue = "4 mm"\n'
    sheet = Sheet.from_text(text_of(thick, held("m.rim 1")), tmp_path)
    lost: list[int] = []

    def end_one() -> None:
        with distributed.Client(local.scheduler_address, set_as_default=False) as client:
            process = next(iter(client.run(os.getpid).values()))
        os.kill(process, signal.SIGKILL)
        lost.append(process)

    with cluster_workers(local.scheduler_address, sheet) as workers:
        # Workers have a folder of their own, in which the file came to them.
        assert workers.submit(str, tmp_path).result(timeout=60) != str(tmp_path)
        assert workers.submit(os.listdir, tmp_path).result(timeout=60) == ["sent.vtu"]
        ending = threading.Timer(2.0, end_one)
        ending.start()
        values = tuple(np.linspace(3.0, 5.0, 9).tolist())
        found = run_sweep(sheet, SweepPlan("t", values), workers)
        ending.join()
    assert lost
    assert not found.failures
    assert set(values) <= set(found.values.tolist())
    first = found.branches[0].frequencies
    assert np.all(np.diff(first) > 0)


def test_what_is_cancelled_is_not_begun(local: Any, rail: Sheet, tmp_path: Path) -> None:
    marks = [tmp_path / f"begun {number}" for number in range(6)]
    with (
        distributed.Client(local.scheduler_address, set_as_default=False) as client,
        cluster_workers(local.scheduler_address, rail) as workers,
    ):
        gate = distributed.Event(client=client)
        machines = list(client.scheduler_info(n_workers=-1)["workers"])
        # One for each machine by name: left to itself, the scheduler may give both to one of them.
        busy = [client.submit(gate.wait, workers=[each], pure=False) for each in machines]
        _until(lambda: {each.key for each in busy} <= set(chain(*client.processing().values())))
        waiting = [workers.submit(Path.touch, mark) for mark in marks]
        _until(lambda: _calls_known(client) == len(marks))
        for each in waiting:
            each.cancel()
        _until(lambda: _calls_known(client) == 0)
        gate.set()
        client.gather(busy)
        assert workers.submit(abs, -3).result(timeout=60) == 3
    assert not any(mark.exists() for mark in marks)


def _calls_known(client: Any) -> int:
    """How many calls the scheduler knows of that are neither over nor cancelled."""
    tasks = client.run_on_scheduler(lambda dask_scheduler: list(map(str, dask_scheduler.tasks)))
    return sum("_at_worker" in each for each in tasks)


def _until(holds: Callable[[], bool]) -> None:
    deadline = time.monotonic() + 60
    while not holds():
        assert time.monotonic() < deadline
        time.sleep(0.05)


def test_a_worker_of_another_version_is_told(
    local: Any, rail: Sheet, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(cluster, "method_version", lambda: -1)
    with (
        cluster_workers(local.scheduler_address, rail) as workers,
        pytest.raises(SweepError, match="another version"),
    ):
        workers.submit(abs, 1).result(timeout=60)


def test_a_scheduler_that_is_not_there_is_told(
    run: Run, rail_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(cluster, "_ANSWERS_WITHIN", "1s")
    over = ("--over", "wall=2 mm, 3 mm")
    code, out, err = run("sweep", rail_path, *over, "--scheduler", "tcp://127.0.0.1:9")
    assert (code, out) == (1, "")
    assert "no scheduler answers at “tcp://127.0.0.1:9”" in err
    code, _, err = run("sweep", rail_path, *over, "--scheduler", "tcp://x:1", "--workers", "2")
    assert code == 1
    assert "all workers are taken" in err


def test_the_command_line_sweeps_on_a_cluster(local: Any, run: Run, rail_path: Path) -> None:
    code, out, _ = run(
        "sweep", rail_path, "--over", "wall=2 mm:6 mm:5", "--scheduler", local.scheduler_address
    )
    assert code == 0
    assert "clear intervals of wall: 4.98" in out


@pytest.mark.parametrize("name", ["/etc/hosts", "../other.vtu"])
def test_a_file_outside_the_folder_does_not_travel(name: str) -> None:
    with pytest.raises(SweepError, match="outside the sheet's folder"):
        cluster._inside(name)
