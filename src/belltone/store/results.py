"""Results on disk: one SQLite file beside the sheet, each result under the key of its inputs.

A result belongs to exactly the inputs it was made from, so nothing here can be stale; every
result is committed as it comes, so a killed program loses at most the one in work.
"""

from __future__ import annotations

import contextlib
import hashlib
import io
import json
import os
import sqlite3
import threading
import time
import zipfile
from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass, fields
from pathlib import Path
from typing import Any, Final, Self

import numpy as np
import platformdirs
from pydantic import TypeAdapter

from belltone.mesh.discretisation import Discretisation
from belltone.modes.base_state import BaseState, Largest, Reaction
from belltone.modes.modeset import ModeSet
from belltone.modes.solve import ModeRequest
from belltone.sheet.document import Sheet

__all__ = ["ResultStore", "result_key", "store_path"]

_METHOD: Final = 6  # raise it when a change of method changes any number
_MOST_RESULTS: Final = 4000  # some hundred megabytes at the very most; the oldest go first

_MIGRATIONS: Final = (
    """
    CREATE TABLE results (
        key TEXT PRIMARY KEY,
        made REAL NOT NULL,
        payload BLOB NOT NULL
    ) WITHOUT ROWID;
    CREATE INDEX results_made ON results (made);
    """,
)


def result_key(
    sheet: Sheet,
    settings: Mapping[str, str],
    request: ModeRequest,
    discretisation: Discretisation | None,
) -> str:
    """The key of one result: all that decides it, and nothing else."""
    parts = (_METHOD, sheet.answer_hash(settings), request.key, repr(discretisation))
    return hashlib.sha256("\n".join(map(str, parts)).encode()).hexdigest()


def store_path(sheet_path: Path | None) -> Path:
    """Where results of a sheet are kept: beside it, or in the user's cache if that is read-only."""
    if sheet_path is not None:
        folder = sheet_path.resolve().parent
        if os.access(folder, os.W_OK):
            return folder / f"{sheet_path.stem}.results.sqlite"
    cache = Path(platformdirs.user_cache_dir("belltone"))
    cache.mkdir(parents=True, exist_ok=True)
    if sheet_path is None:
        return cache / "unsaved.results.sqlite"
    name = hashlib.sha256(str(sheet_path.resolve()).encode()).hexdigest()[:16]
    return cache / f"{sheet_path.stem}-{name}.results.sqlite"


class ResultStore:
    """Mode sets by key. One process writes at a time; threads may share one store."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._lock = threading.Lock()
        try:
            self._connection = _open(path)
        except sqlite3.DatabaseError as error:
            if isinstance(error, sqlite3.OperationalError) and "locked" in str(error):
                raise
            # Results can always be made again; the unreadable file is kept for whoever asks.
            os.replace(path, path.with_name(f"{path.name}.damaged"))
            self._connection = _open(path)

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Close the file."""
        self._connection.close()

    def __len__(self) -> int:
        with self._lock:
            return int(self._connection.execute("SELECT count(*) FROM results").fetchone()[0])

    def get(self, key: str) -> ModeSet | None:
        """Return the result under a key, or ``None``; an unreadable one counts as absent."""
        with self._lock:
            row = self._connection.execute(
                "SELECT payload FROM results WHERE key = ?", (key,)
            ).fetchone()
        if row is None:
            return None
        try:
            return _unpack(row[0])
        except (ValueError, KeyError, OSError, zipfile.BadZipFile):
            return None

    def put(self, key: str, result: ModeSet) -> None:
        """Keep a result, committed before this returns."""
        payload = _pack(result)
        with self._lock, _transaction(self._connection):
            self._connection.execute(
                "INSERT OR REPLACE INTO results (key, made, payload) VALUES (?, ?, ?)",
                (key, time.time(), payload),
            )
            self._connection.execute(
                "DELETE FROM results WHERE key IN "
                "(SELECT key FROM results ORDER BY made DESC LIMIT -1 OFFSET ?)",
                (_MOST_RESULTS,),
            )


def _open(path: Path) -> sqlite3.Connection:
    connection = sqlite3.connect(path, timeout=30, isolation_level=None, check_same_thread=False)
    try:
        connection.execute("PRAGMA journal_mode = WAL")
        with _transaction(connection):
            version = int(connection.execute("PRAGMA user_version").fetchone()[0])
            for number, script in enumerate(_MIGRATIONS[version:], start=version + 1):
                for statement in filter(str.strip, script.split(";")):
                    connection.execute(statement)
                connection.execute(f"PRAGMA user_version = {number}")
    except BaseException:
        connection.close()
        raise
    return connection


@contextlib.contextmanager
def _transaction(connection: sqlite3.Connection) -> Iterator[None]:
    connection.execute("BEGIN IMMEDIATE")
    try:
        yield
    except BaseException:
        connection.execute("ROLLBACK")
        raise
    connection.execute("COMMIT")


_DISCRETISATION: Final = TypeAdapter(Discretisation)

_ARRAYS: Final = (
    "frequencies",
    "errors",
    "energies",
    "modal_masses",
    "effective",
    "part_energies",
    "shapes",
    "densities",
    "signatures",
)
_SINGLE: Final = (
    "shapes",
    "densities",
    "signatures",
)  # seven digits are plenty for pictures and matching


_BASE_ARRAYS: Final = ("positions", "displacements", "forces", "stresses", "shapes")


@dataclass(frozen=True)
class _Told:
    """What of a base state is no array."""

    reactions: tuple[Reaction, ...]
    imbalance: float
    factors: tuple[float, ...]
    factor_error: float | None
    largest: tuple[Largest, ...]
    large: bool
    scale: float
    snapped: float | None
    steps: tuple[float, ...]

    @classmethod
    def of(cls, base: BaseState) -> Self:
        return cls(*(getattr(base, name) for name in _TOLD))


_TOLD: Final = tuple(field.name for field in fields(_Told))
_BASE: Final = TypeAdapter(_Told)


def _pack(result: ModeSet) -> bytes:
    arrays: dict[str, Any] = {name: getattr(result, name) for name in _ARRAYS}
    for name in _SINGLE:
        arrays[name] = arrays[name].astype(np.float32)
    rest = {
        "rigid_names": result.rigid_names,
        "kinds": result.kinds,
        "part_names": result.part_names,
        "point_counts": result.point_counts,
        "energy_names": result.energy_names,
        "discretisation": asdict(result.discretisation),
        "unknowns": result.unknowns,
        "complete": result.complete,
        "mass": result.mass,
        "skipped": result.skipped,
        "waves": result.waves,
        "base": None,
    }
    if result.lagging is not None:
        arrays["lagging"] = result.lagging.astype(np.float32)
    if result.base is not None:
        stated = _BASE.dump_python(_Told.of(result.base), mode="json")
        rest["base"] = stated
        arrays |= {f"base_{name}": getattr(result.base, name) for name in _BASE_ARRAYS}
    stream = io.BytesIO()
    np.savez_compressed(stream, rest=np.frombuffer(json.dumps(rest).encode(), np.uint8), **arrays)
    return stream.getvalue()


def _unpack(payload: bytes) -> ModeSet:
    with np.load(io.BytesIO(payload), allow_pickle=False) as stored:
        rest = json.loads(stored["rest"].tobytes())
        arrays = {name: stored[name].astype(np.float64) for name in _ARRAYS}
        if "lagging" in stored:
            arrays["lagging"] = stored["lagging"].astype(np.float64)
        base = None
        if rest["base"] is not None:
            told = _BASE.validate_python(rest["base"])
            read = {name: stored[f"base_{name}"] for name in _BASE_ARRAYS}
            base = BaseState(**read, **{name: getattr(told, name) for name in _TOLD})
    return ModeSet(
        rigid_names=tuple(rest["rigid_names"]),
        kinds=tuple(rest["kinds"]),
        part_names=tuple(rest["part_names"]),
        point_counts=tuple(rest["point_counts"]),
        energy_names=tuple(rest["energy_names"]),
        discretisation=_DISCRETISATION.validate_python(rest["discretisation"]),
        unknowns=rest["unknowns"],
        complete=rest["complete"],
        mass=rest["mass"],
        skipped=rest["skipped"],
        waves=tuple(rest["waves"]),
        base=base,
        **arrays,
    )
