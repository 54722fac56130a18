"""A real kill: a sweep's process dies, its finished points do not."""

import os
import signal
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

from belltone.reading.family import evaluate
from belltone.sheet.document import read_sheet
from belltone.store.results import ResultStore, store_path
from belltone.sweep.plan import parse_plan
from belltone.sweep.several import grid_plan
from belltone.sweep.survey import run_survey
from tests.sweep.test_runner import Inline

POINTS = 40


SWEEP = (sys.executable, "-m", "belltone", "sweep")


def kept(path: Path) -> int:
    try:
        connection = sqlite3.connect(f"file:{path}?mode=ro", uri=True, timeout=5)
        try:
            return int(connection.execute("SELECT count(*) FROM results").fetchone()[0])
        finally:
            connection.close()
    except sqlite3.OperationalError:
        return 0


def test_a_killed_grid_loses_no_finished_point(rail_path: Path) -> None:
    path = store_path(rail_path)
    over = f"wall=2 mm:6 mm:{POINTS // 5}", "post_at=1.5 m:1.6 m:5"
    process = subprocess.Popen(
        [
            sys.executable,
            "-m",
            "belltone",
            "sweep",
            str(rail_path),
            "--over",
            over[0],
            "--over",
            over[1],
            "--exact",
        ],
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
        start_new_session=True,
    )
    try:
        end = time.monotonic() + 120
        while kept(path) < 6:
            assert process.poll() is None, "the sweep ended before it could be killed"
            assert time.monotonic() < end
            time.sleep(0.005)
    finally:
        os.killpg(process.pid, signal.SIGKILL)
        process.wait()
    before = kept(path)
    assert 6 <= before < POINTS
    sheet, inline = read_sheet(rail_path), Inline()
    design = evaluate(sheet)
    plan = grid_plan([parse_plan(text, design) for text in over], design)
    with ResultStore(path) as store:
        assert len(store) == before
        survey = run_survey(sheet, plan, inline, store)
        assert not survey.failures
        # Designs between neighbours are kept, too, where a mode was not surely known again.
        assert inline.calls == survey.solutions == len(store) - before


def test_a_killed_program_leaves_no_process(rail_path: Path) -> None:
    """Workers, the server they are forked from and its tracker all end with the program."""
    process = subprocess.Popen(
        [
            sys.executable,
            "-m",
            "belltone",
            "sweep",
            str(rail_path),
            "--over",
            "wall=2 mm:6 mm:900",
            "--exact",
        ],
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
        start_new_session=True,
    )
    path = store_path(rail_path)
    try:
        end = time.monotonic() + 120
        while kept(path) < 3:
            assert process.poll() is None
            assert time.monotonic() < end
            time.sleep(0.02)
        assert len(of_session(process.pid)) >= 4
        process.kill()
        process.wait()
        while of_session(process.pid):
            assert time.monotonic() < end, of_session(process.pid)
            time.sleep(0.05)
    finally:
        for left in of_session(process.pid):
            os.kill(left, signal.SIGKILL)


def of_session(leader: int) -> list[int]:
    """Processes of a session that still run."""
    found = []
    for entry in Path("/proc").iterdir():
        try:
            fields = (entry / "stat").read_text(encoding="utf-8").rpartition(")")[2].split()
        except (OSError, NotADirectoryError):
            continue
        if entry.name.isdigit() and int(fields[3]) == leader and fields[0] != "Z":
            found.append(int(entry.name))
    return found


def test_two_programs_share_one_results_file(rail_path: Path) -> None:
    command = [
        sys.executable,
        "-m",
        "belltone",
        "sweep",
        str(rail_path),
        "--exact",
        "--format",
        "csv",
    ]
    both = [
        subprocess.Popen(
            [*command, "--over", "wall=2 mm:6 mm:9"], stdout=subprocess.PIPE, stderr=subprocess.PIPE
        )
        for _ in range(2)
    ]
    said = [process.communicate(timeout=120) for process in both]
    assert [process.returncode for process in both] == [0, 0]
    assert said[0][0] == said[1][0]
    with ResultStore(store_path(rail_path)) as store:
        assert len(store) >= 9
        assert store.notes == []
