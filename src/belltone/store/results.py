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
import zlib
from collections.abc import Callable, Iterator, Mapping
from dataclasses import asdict, dataclass, fields
from pathlib import Path
from typing import Any, Final, Self, TypeVar

import numpy as np
import platformdirs
from pydantic import TypeAdapter

from belltone.mesh.discretisation import Discretisation
from belltone.modes.base_state import BaseState, Largest, Reaction
from belltone.modes.modeset import ModeSet
from belltone.modes.shares import EnergyShares
from belltone.modes.solve import ModeRequest
from belltone.reduce.model import ReducedModel
from belltone.reduce.packing import double, pack_model, single, unpack_model
from belltone.sheet.document import Sheet

__all__ = ["ResultStore", "method_version", "model_key", "result_key", "store_path"]

Kept = TypeVar("Kept")

_METHOD: Final = 82  # raise it when a change of method changes any number
_PATIENCE: Final = 5.0  # s; who holds the file longer than that may go on holding it
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
    # Rows without a checksum were made by another method and would never be asked for again.
    """
    DELETE FROM results;
    ALTER TABLE results ADD COLUMN checksum BLOB;
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


def model_key(
    sheet: Sheet,
    ends: Mapping[str, tuple[float, float]],
    request: ModeRequest,
    discretisation: Discretisation,
    bound: float,
) -> str:
    """The key of the model of knobs, by their ends (base units): all that decides it.

    That is everything but the values the knobs have.
    """
    told = f"model of {dict(ends)!r} within {bound!r}"
    rest = sheet.answer_hash(dict.fromkeys(ends, ""))
    parts = (_METHOD, rest, request.key, repr(discretisation), told)
    return hashlib.sha256("\n".join(map(str, parts)).encode()).hexdigest()


def method_version() -> int:
    """The version of what decides numbers; results of another are never used."""
    return _METHOD


def store_path(sheet_path: Path | None) -> Path:
    """Where results of a sheet are kept: beside it, or in the user's cache if that is read-only."""
    if sheet_path is not None:
        folder = sheet_path.resolve().parent
        if os.access(folder, os.W_OK):
            return folder / f"{sheet_path.stem}.results.sqlite"
    cache = Path(platformdirs.user_cache_dir("belltone"))
    with contextlib.suppress(OSError):  # the store itself will say that it cannot be kept there
        cache.mkdir(parents=True, exist_ok=True)
    if sheet_path is None:
        return cache / "unsaved.results.sqlite"
    name = hashlib.sha256(str(sheet_path.resolve()).encode()).hexdigest()[:16]
    return cache / f"{sheet_path.stem}-{name}.results.sqlite"


class ResultStore:
    """Mode sets and models by key. One process writes at a time; threads may share one store.

    Results can always be made again, so a store never costs an answer: what cannot be read is
    absent, what cannot be written is kept in memory for as long as the store is open. Only a file
    proven damaged, or made by something else, is set aside. ``notes`` says in words what happened,
    each thing once; ``told`` is called with each as it happens.
    """

    def __init__(self, path: Path, told: Callable[[str], None] | None = None) -> None:
        self.path = path
        self.notes: list[str] = []
        self._told = told
        self._lock = threading.RLock()
        self._here: dict[str, bytes] = {}
        self._connection = self._opened()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Close the file."""
        with self._lock:
            if self._connection is not None:
                self._connection.close()
                self._connection = None

    def __len__(self) -> int:
        with self._lock:
            rows = self._asked("SELECT count(*) FROM results")
            return len(self._here) + (int(rows[0][0]) if rows else 0)

    def get(self, key: str) -> ModeSet | None:
        """Return the result under a key, or ``None``; an unreadable one counts as absent."""
        return self._read(key, _unpack)

    def put(self, key: str, result: ModeSet) -> None:
        """Keep a result, committed before this returns where the disk can take it."""
        self._write(key, _pack(result))

    def get_model(self, key: str) -> ReducedModel | None:
        """Return the model of knobs under a key, or ``None``, as `get`."""
        return self._read(key, unpack_model)

    def put_model(self, key: str, model: ReducedModel) -> None:
        """Keep the model of knobs, as `put`."""
        self._write(key, pack_model(model))

    def _read(self, key: str, unpack: Callable[[bytes], Kept]) -> Kept | None:
        with self._lock:
            if key in self._here:
                return unpack(self._here[key])
            rows = self._asked("SELECT payload, checksum FROM results WHERE key = ?", key)
            if not rows:
                return None
            payload, checksum = rows[0]
            try:
                if checksum != _checksum(key, payload):
                    raise ValueError("the bytes are not those that were written")
                return unpack(payload)
            except (ValueError, KeyError, TypeError, OSError, zipfile.BadZipFile, zlib.error):
                self._note("a kept result was damaged and is solved again")
                self._asked("DELETE FROM results WHERE key = ?", key)
                return None

    def _write(self, key: str, payload: bytes) -> None:
        with self._lock:
            if self._connection is None:
                self._here[key] = payload
                return
            try:
                with _transaction(self._connection):
                    self._connection.execute(
                        "INSERT OR REPLACE INTO results (key, made, payload, checksum) "
                        "VALUES (?, ?, ?, ?)",
                        (key, time.time(), payload, _checksum(key, payload)),
                    )
                    self._connection.execute(
                        "DELETE FROM results WHERE key IN "
                        "(SELECT key FROM results ORDER BY made DESC LIMIT -1 OFFSET ?)",
                        (_MOST_RESULTS,),
                    )
            except _TROUBLE as error:
                self._here[key] = payload
                self._failed(error, "written")

    def _asked(self, question: str, *values: object) -> list[Any]:
        """Rows of an answer; none where the file gives none."""
        if self._connection is None:
            return []
        try:
            return self._connection.execute(question, values).fetchall()
        except _TROUBLE as error:
            self._failed(error, "read")
            return []

    def _failed(self, error: Exception, what: str) -> None:
        """Go on without the file, or with a new one where it is proven damaged."""
        if _damaged(error):
            assert self._connection is not None
            with contextlib.suppress(sqlite3.Error):
                self._connection.close()
            self._connection = self._opened()
        else:
            self._note(
                f"results cannot be {what} ({error}); “{self.path.name}” is left as it is, and "
                "what is solved is kept only while the program runs"
            )

    def _opened(self) -> sqlite3.Connection | None:
        for _ in range(2):
            try:
                return _open(self.path)
            except _TROUBLE as error:
                if not _damaged(error):
                    self._note(
                        f"results cannot be kept in “{self.path}”: {error}; what is solved is kept "
                        "only while the program runs"
                    )
                    return None
                if not self._set_aside():
                    return None
        return None

    def _set_aside(self) -> bool:
        """Give a file that is no store of ours another name; returns whether that could be done."""
        number = 1
        while (away := self.path.with_name(f"{self.path.name}.damaged-{number}")).exists():
            number += 1
        try:
            os.replace(self.path, away)
            for tail in ("-wal", "-shm"):
                beside = self.path.with_name(self.path.name + tail)
                if beside.exists():
                    os.replace(beside, away.with_name(away.name + tail))
        except OSError as error:
            self._note(f"“{self.path}” holds no results and cannot be moved: {error.strerror}")
            return False
        self._note(
            f"“{self.path.name}” was damaged or is of another program; it is now “{away.name}”, "
            "and results are solved again"
        )
        return True

    def _note(self, text: str) -> None:
        if text not in self.notes:
            self.notes.append(text)
            if self._told is not None:
                self._told(text)


class _ForeignError(sqlite3.DatabaseError):
    """A database that is not one of ours."""


def _damaged(error: Exception) -> bool:
    """Whether an error proves the file damaged or foreign: not full, locked or out of reach."""
    if isinstance(error, _ForeignError | UnicodeError):
        return True
    code = getattr(error, "sqlite_errorcode", None)
    # The low byte is the primary code; the rest tells kinds of it apart.
    return code is not None and code & 0xFF in (sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB)


def _checksum(key: str, payload: bytes) -> bytes:
    return hashlib.blake2b(payload, digest_size=16, key=key.encode()[:64]).digest()


def _open(path: Path) -> sqlite3.Connection:
    connection = sqlite3.connect(
        path, timeout=_PATIENCE, isolation_level=None, check_same_thread=False
    )
    try:
        version = int(connection.execute("PRAGMA user_version").fetchone()[0])
        tables = connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
        names = {str(row[0]) for row in tables.fetchall()}
        if version > len(_MIGRATIONS) or (version == 0 and names) or (version and not names):
            raise _ForeignError("this is a database of something else")
        connection.execute("PRAGMA journal_mode = WAL")
        if version < len(_MIGRATIONS):
            with _transaction(connection):
                version = int(connection.execute("PRAGMA user_version").fetchone()[0])
                for number, script in enumerate(_MIGRATIONS[version:], start=version + 1):
                    for statement in filter(str.strip, script.split(";")):
                        connection.execute(statement)
                    connection.execute(f"PRAGMA user_version = {number}")
        columns = connection.execute("PRAGMA table_info(results)").fetchall()
        if {"key", "made", "payload", "checksum"} - {str(column[1]) for column in columns}:
            raise _ForeignError("this is a database of something else")
    except BaseException:
        connection.close()
        raise
    return connection


@contextlib.contextmanager
def _transaction(connection: sqlite3.Connection) -> Iterator[None]:
    connection.execute("BEGIN IMMEDIATE")
    try:
        yield
        connection.execute("COMMIT")
    except BaseException:
        # A full disk has rolled back by itself already.
        with contextlib.suppress(sqlite3.Error):
            connection.execute("ROLLBACK")
        raise


_DISCRETISATION: Final = TypeAdapter(Discretisation)

_ARRAYS: Final = (
    "frequencies",
    "errors",
    "energies",
    "modal_masses",
    "effective",
    "shapes",
    "densities",
    "motion_densities",
    "signatures",
)
_SINGLE: Final = (
    "shapes",
    "densities",
    "motion_densities",
    "signatures",
)
_PIECES: Final = ("part_strain", "part_motion", "place_strain", "place_motion")
_ELEMENTS: Final = ("element_centres", "element_strain", "element_motion")


_TROUBLE: Final = (sqlite3.Error, OSError, UnicodeError)
"""What a file may answer with; the last where words of the library have damaged bytes in them."""
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
    spun: float
    gyroscopic: bool

    @classmethod
    def of(cls, base: BaseState) -> Self:
        return cls(*(getattr(base, name) for name in _TOLD))


_TOLD: Final = tuple(field.name for field in fields(_Told))
_BASE: Final = TypeAdapter(_Told)


def _pack(result: ModeSet) -> bytes:
    arrays: dict[str, Any] = {name: getattr(result, name) for name in _ARRAYS}
    for name in _SINGLE:
        arrays[name] = single(arrays[name])
    arrays |= {f"held_{name}": getattr(result.held, name) for name in _PIECES}
    arrays |= {f"held_{name}": single(getattr(result.held, name)) for name in _ELEMENTS}
    rest = {
        "rigid_names": result.rigid_names,
        "kinds": result.kinds,
        "part_names": result.part_names,
        "held": {
            "parts": result.held.parts,
            "places": result.held.places,
            "place_pieces": result.held.place_pieces,
            "element_counts": result.held.element_counts,
        },
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
        arrays = {name: double(stored[name]) for name in _ARRAYS}
        shares = {name: double(stored[f"held_{name}"]) for name in (*_PIECES, *_ELEMENTS)}
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
        held=_unpacked_shares(rest["held"], shares),
        point_counts=tuple(rest["point_counts"]),
        energy_names=tuple(rest["energy_names"]),
        discretisation=_DISCRETISATION.validate_python(rest["discretisation"]),
        unknowns=rest["unknowns"],
        complete=rest["complete"],
        mass=rest["mass"],
        swings=arrays["effective"][:, :3] / rest["mass"],
        skipped=rest["skipped"],
        waves=tuple(rest["waves"]),
        base=base,
        **arrays,
    )


def _unpacked_shares(rest: dict[str, list[Any]], arrays: dict[str, Any]) -> EnergyShares:
    told: dict[str, Any] = {name: tuple(own) for name, own in rest.items()}
    return EnergyShares(**told, **arrays)
