import json
import subprocess
import sys
from pathlib import Path

from belltone.store.journal import Journal, abandoned


def gone_pid() -> int:
    process = subprocess.Popen([sys.executable, "-c", ""])
    process.wait()
    return process.pid


def test_a_living_program_keeps_its_own(tmp_path: Path) -> None:
    journal = Journal(tmp_path)
    journal.record(tmp_path / "rail.toml", "belltone = 1")
    assert len(list(tmp_path.glob("*.json"))) == 1
    assert abandoned(tmp_path) == []
    journal.clear()
    journal.clear()
    assert list(tmp_path.glob("*.json")) == []


def test_a_dead_programs_work_is_offered_back(tmp_path: Path) -> None:
    journal = Journal(tmp_path)
    journal.record(tmp_path / "rail.toml", "first")
    journal.record(tmp_path / "rail.toml", "second")
    file = next(tmp_path.glob("*.json"))
    data = json.loads(file.read_text(encoding="utf-8"))
    file.write_text(json.dumps({**data, "pid": gone_pid()}), encoding="utf-8")
    (tmp_path / "torn.json").write_text('{"pid": 1', encoding="utf-8")
    found = abandoned(tmp_path)
    assert [(entry.sheet_path, entry.text) for entry in found] == [
        (tmp_path / "rail.toml", "second")
    ]
    found[0].discard()
    assert abandoned(tmp_path) == []


def test_no_folder_is_no_work(tmp_path: Path) -> None:
    assert abandoned(tmp_path / "absent") == []
