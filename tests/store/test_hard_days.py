"""Results and journals on disks that are full, read-only, locked, foreign or damaged."""

import json
import sqlite3
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from belltone.design.values import Design
from belltone.modes.modeset import ModeSet
from belltone.modes.solve import ModeRequest, solve_modes
from belltone.store.failures import error_words
from belltone.store.journal import Journal, abandoned
from belltone.store.results import ResultStore


@pytest.fixture(scope="module")
def result() -> ModeSet:
    from belltone.reading.family import evaluate
    from belltone.sheet.document import Sheet
    from tests.conftest import bar_text

    design: Design = evaluate(Sheet.from_text(bar_text('shape = "solid round", diameter = "9 mm"')))
    return solve_modes(design, ModeRequest(2, None, 1e-2))


def test_a_full_disk_costs_no_answer(tmp_path: Path, result: ModeSet) -> None:
    path, told = tmp_path / "r.sqlite", []
    with ResultStore(path, told.append) as store:
        store.put("before", result)
        assert store._connection is not None
        pages = store._connection.execute("PRAGMA page_count").fetchone()[0]
        store._connection.execute(f"PRAGMA max_page_count = {pages}")
        for key in ("a", "b"):
            store.put(key, result)
            assert store.get(key) is not None
        assert len(told) == 1
        assert "cannot be written" in told[0]
    assert [entry.name for entry in tmp_path.iterdir() if "damaged" in entry.name] == []
    with ResultStore(path) as store:
        assert store.get("before") is not None
        assert store.get("a") is None


def test_an_unreadable_file_is_left_alone(
    tmp_path: Path, result: ModeSet, monkeypatch: pytest.MonkeyPatch
) -> None:
    def unreadable(*_: object, **__: object) -> sqlite3.Connection:
        error = sqlite3.OperationalError("disk I/O error")
        error.sqlite_errorcode = sqlite3.SQLITE_IOERR  # type: ignore[misc]
        raise error

    path = tmp_path / "r.sqlite"
    with ResultStore(path) as store:
        store.put("key", result)
    before = path.read_bytes()
    monkeypatch.setattr("belltone.store.results.sqlite3.connect", unreadable)
    with ResultStore(path) as store:
        store.put("other", result)
        assert store.get("other") is not None
        assert "disk I/O error" in store.notes[0]
    assert path.read_bytes() == before


def test_a_locked_file_is_left_alone(
    tmp_path: Path, result: ModeSet, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("belltone.store.results._PATIENCE", 0.05)
    path = tmp_path / "r.sqlite"
    with ResultStore(path) as store:
        store.put("key", result)
    holder = sqlite3.connect(path, isolation_level=None)
    holder.execute("PRAGMA journal_mode = DELETE")
    holder.execute("BEGIN EXCLUSIVE")
    with ResultStore(path) as store:
        store.put("other", result)
        assert store.get("other") is not None
        assert store.notes
    holder.execute("ROLLBACK")
    holder.close()
    with ResultStore(path) as store:
        assert store.get("key") is not None


@pytest.mark.parametrize(
    "script",
    [
        "CREATE TABLE songs (name TEXT)",
        "CREATE TABLE results (key TEXT); PRAGMA user_version = 2",
        "CREATE TABLE results (key TEXT); PRAGMA user_version = 99",
    ],
)
def test_another_programs_database_is_set_aside(
    tmp_path: Path, result: ModeSet, script: str
) -> None:
    path = tmp_path / "r.sqlite"
    for number in (1, 2):
        connection = sqlite3.connect(path)
        connection.executescript(script)
        connection.close()
        with ResultStore(path) as store:
            store.put("key", result)
            assert store.get("key") is not None
            assert f"damaged-{number}" in store.notes[0]
        path.unlink()
    assert (tmp_path / "r.sqlite.damaged-2").exists()


def test_a_flipped_bit_is_seen_and_solved_again(tmp_path: Path, result: ModeSet) -> None:
    path = tmp_path / "r.sqlite"
    with ResultStore(path) as store:
        store.put("key", result)
        assert store._connection is not None
        payload = bytearray(store._connection.execute("SELECT payload FROM results").fetchone()[0])
        payload[len(payload) // 2] ^= 4
        store._connection.execute("UPDATE results SET payload = ?", (bytes(payload),))
        assert store.get("key") is None
        assert len(store.notes) == 1
        store._connection.execute("UPDATE results SET payload = 'text'")
        store.put("key", result)
        assert store.get("key") is not None


@pytest.mark.fuzz
@settings(max_examples=settings.default.max_examples // 4, deadline=None)
@given(
    flips=st.lists(st.tuples(st.floats(0, 1), st.integers(1, 255)), min_size=1, max_size=30),
    cut=st.floats(0.0, 1.0),
)
def test_no_damage_stops_a_store(
    tmp_path_factory: pytest.TempPathFactory,
    result: ModeSet,
    flips: list[tuple[float, int]],
    cut: float,
) -> None:
    """Whatever became of the file: what is read is what was written, and work goes on."""
    path = tmp_path_factory.mktemp("damaged") / "r.sqlite"
    with ResultStore(path) as store:
        for key in ("a", "b"):
            store.put(key, result)
    data = bytearray(path.read_bytes())
    for share, mask in flips:
        data[int(share * (len(data) - 1))] ^= mask
    path.write_bytes(data[: int(len(data) * max(cut, 0.01))] if cut < 0.5 else data)
    with ResultStore(path) as store:
        for key in ("a", "b"):
            found = store.get(key)
            assert found is None or found.kinds == result.kinds
        store.put("c", result)
        again = store.get("c")
        assert again is not None
        assert again.flexible == pytest.approx(result.flexible)


@pytest.mark.parametrize("damaged", [b"CREATE TABL\xff results", b"CREATE TABLE result\xff"])
def test_words_that_cannot_be_read_are_damage(
    tmp_path: Path, result: ModeSet, damaged: bytes
) -> None:
    path = tmp_path / "r.sqlite"
    with ResultStore(path) as store:
        store.put("key", result)
    data = path.read_bytes()
    assert data.count(b"CREATE TABLE results") == 1
    path.write_bytes(data.replace(b"CREATE TABLE results", damaged))
    with ResultStore(path) as store:
        assert store.get("key") is None
        assert any("was damaged" in note for note in store.notes)
        store.put("key", result)
    with ResultStore(path) as store:
        assert store.get("key") is not None


def test_a_number_used_again_is_another_program(tmp_path: Path) -> None:
    journal = Journal(tmp_path)
    journal.record(None, "text")
    file = next(tmp_path.glob("*.json"))
    data = json.loads(file.read_text())
    assert abandoned(tmp_path) == []
    file.write_text(json.dumps({**data, "started": data["started"] - 1}))
    assert [entry.text for entry in abandoned(tmp_path)] == ["text"]
    file.write_text(json.dumps({**data, "pid": 10**30}))
    assert [entry.text for entry in abandoned(tmp_path)] == ["text"]


def test_a_state_folder_that_takes_nothing_says_nothing(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    def full(*_: object, **__: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(Path, "open", full)
    told = error_words(ValueError("x"))
    assert told == "an error inside the program (ValueError: x)"
    assert capsys.readouterr().err == ""
