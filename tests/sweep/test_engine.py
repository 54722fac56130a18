"""An engine: a process of its own that answers, keeps what it found, and stops when told."""

import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from belltone.errors import UserError
from belltone.progress import Cancelled, Progress
from belltone.store import failures
from belltone.sweep.engine import Engine, EngineError

_kept: list[int] = []


@pytest.fixture
def engine() -> Iterator[Engine]:
    made = Engine()
    yield made
    made.close()


def keep(number: int, *, progress: Progress) -> tuple[int, list[int]]:
    """Remember a number in the process; tells its own and all kept so far."""
    progress.report(1, 2, "kept")
    progress.announce("a large number")
    _kept.append(number)
    return os.getpid(), list(_kept)


def refuse(*, progress: Progress) -> None:
    """Say what is wrong."""
    raise UserError("no such thing")


def fail(*, progress: Progress) -> None:
    """Fail as nobody foresaw."""
    raise ZeroDivisionError("one over nothing")


def wait(look: bool, *, progress: Progress) -> None:
    """Work for minutes, and look whether to stop, or do not."""
    progress.report(1, 1, "begun")
    for _ in range(6000):
        time.sleep(0.02)
        if look:
            progress.check()


def stopped_once_begun(engine: Engine, look: bool) -> None:
    begun = threading.Event()
    progress = Progress(lambda *_: begun.set())
    threading.Thread(target=lambda: begun.wait(60) and progress.cancel(), daemon=True).start()
    with pytest.raises(Cancelled):
        engine.ask(wait, look, progress=progress)


def test_it_keeps_what_it_found_and_passes_progress_on(engine: Engine) -> None:
    heard: list[object] = []
    progress = Progress(lambda *told: heard.append(told), heard.append)
    first, _ = engine.ask(keep, 1, progress=progress)
    second, kept = engine.ask(keep, 2, progress=Progress())
    assert first == second != os.getpid()
    assert kept == [1, 2]
    assert heard == [(1, 2, "kept"), "a large number"]
    assert not _kept


def test_a_stop_that_is_heard_leaves_what_was_kept(engine: Engine) -> None:
    before, _ = engine.ask(keep, 1, progress=Progress())
    stopped_once_begun(engine, look=True)
    assert engine.ask(keep, 2, progress=Progress()) == (before, [1, 2])


def test_a_stop_that_is_not_heard_ends_the_process(engine: Engine) -> None:
    before, _ = engine.ask(keep, 1, progress=Progress())
    stopped_once_begun(engine, look=False)
    after, kept = engine.ask(keep, 2, progress=Progress())
    assert after != before
    assert kept == [2]
    with pytest.raises(ProcessLookupError):
        os.kill(before, 0)


def test_what_it_says_of_errors_arrives(
    engine: Engine, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setattr(failures.platformdirs, "user_state_dir", lambda _: str(tmp_path))
    with pytest.raises(EngineError, match=r"^no such thing$"):
        engine.ask(refuse, progress=Progress())
    with pytest.raises(EngineError, match=r"inside the program \(ZeroDivisionError"):
        engine.ask(fail, progress=Progress())
    assert "one over nothing" in (tmp_path / "failures.log").read_text(encoding="utf-8")
    # It goes on after both.
    assert engine.ask(keep, 3, progress=Progress())[1] == [3]


def test_a_lost_process_is_told_and_another_takes_its_place(engine: Engine) -> None:
    lost, _ = engine.ask(keep, 1, progress=Progress())

    def strike(*_: object) -> None:
        os.kill(lost, signal.SIGKILL)

    with pytest.raises(EngineError, match="process that was working on this was lost"):
        engine.ask(wait, True, progress=Progress(strike))
    assert engine.ask(keep, 2, progress=Progress())[1] == [2]


def test_one_that_is_closed_answers_no_more(engine: Engine) -> None:
    number, _ = engine.ask(keep, 1, progress=Progress())
    engine.close()
    with pytest.raises(ProcessLookupError):
        os.kill(number, 0)
    with pytest.raises(Cancelled):
        engine.ask(keep, 2, progress=Progress())


ORPHANED = """
import os
from belltone.progress import Progress
from belltone.sweep.engine import Engine
from tests.sweep.test_engine import keep

if __name__ == "__main__":
    print(Engine().ask(keep, 1, progress=Progress())[0], flush=True)
    os._exit(1)
"""


def test_it_ends_with_the_program_however_that_ends(tmp_path: Path) -> None:
    program = tmp_path / "program.py"
    program.write_text(ORPHANED, encoding="utf-8")
    root = str(Path(__file__).parents[2])
    ended = subprocess.run(
        [sys.executable, str(program)],
        capture_output=True,
        text=True,
        timeout=60,
        check=False,
        env={**os.environ, "PYTHONPATH": root},
    )
    number = int(ended.stdout)
    for _ in range(600):
        if not Path(f"/proc/{number}").exists():
            return
        time.sleep(0.05)
    pytest.fail("the engine outlives its program")
