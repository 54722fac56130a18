"""CAD files read once: what is found in them is kept in the user's cache, under their content.

The CAD kernel runs in a process of its own, which a damaged file may take down with it.
"""

from __future__ import annotations

import contextlib
import hashlib
import importlib.util
import json
import math
import os
import subprocess
import sys
import time
from collections.abc import Iterator
from dataclasses import asdict, dataclass
from functools import cache, lru_cache
from pathlib import Path
from typing import Any, Final

import numpy as np
import platformdirs

from belltone.files import FileError, writing
from belltone.geometry.received_files import file_digest
from belltone.geometry.solids.kernel import CadFileError, read_solids
from belltone.geometry.solids.members import BarNote, bar_of
from belltone.geometry.solids.skins import ReceivedSkin, received_skin
from belltone.geometry.solids.walls import find_walls
from belltone.progress import Progress

__all__ = ["BodyNote", "ReceivedPart", "bodies_of_file", "is_known", "read_received"]

_MOST_KEPT: Final = 300  # files in the cache; the oldest go first
_MOST_BODIES: Final = 60
_LONGEST: Final = 300.0  # s; a file that takes longer is given up
_LOOKS: Final = 0.05  # s between looks at the process
_MISSING: Final = (
    "reading CAD files needs the CAD kernel, which is not installed here; "
    "`pip install belltone[cad]` adds it"
)


@dataclass(frozen=True)
class BodyNote:
    """One body: volume (m³), share of it the walls hold, or why it has none; a bar it is."""

    name: str
    volume: float
    pieces: int
    share: float
    trouble: str = ""
    bar: BarNote | None = None


@dataclass(frozen=True, eq=False)
class ReceivedPart:
    """All that is in a CAD file."""

    bodies: tuple[BodyNote, ...]
    skins: tuple[ReceivedSkin, ...]

    def skin(self, body: int, piece: int) -> ReceivedSkin | None:
        """One skin, both counted from 1."""
        return next((each for each in self.skins if (each.body, each.piece) == (body, piece)), None)


def is_known(path: Path) -> bool:
    """Whether a file has been read before, so that it is there at once."""
    with contextlib.suppress(CadFileError, FileError):
        return _place(_digest(path)).is_file()
    return False


def read_received(path: Path, progress: Progress | None = None) -> ReceivedPart:
    """What is in a CAD file; raises `CadFileError`, and what ``progress`` raises when stopped."""
    digest = _digest(path)
    try:
        return _kept(digest)
    except FileNotFoundError:
        pass
    if importlib.util.find_spec("OCP") is None:
        raise CadFileError(_MISSING)
    place = _place(digest)
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        with writing(place) as target:
            _convert(path, target, progress)
        _tidy(place.parent)
    except OSError as error:
        raise CadFileError(
            f"what is read from “{path.name}” cannot be kept in “{place.parent}”: {error.strerror}"
        ) from error
    return _kept(digest)


def _digest(path: Path) -> str:
    try:
        return file_digest(path)
    except FileError as error:
        raise CadFileError(str(error)) from error


def _place(digest: str) -> Path:
    return Path(platformdirs.user_cache_dir("belltone")) / "skins" / f"{digest}-{_maker()}.npz"


@cache
def _maker() -> str:
    """A hash of the code that reads: what other code kept is not used."""
    found = hashlib.sha256()
    here = Path(__file__).parent
    for path in sorted([*here.glob("*.py"), *here.parent.glob("*.py")]):
        found.update(path.read_bytes())
    return found.hexdigest()[:16]


def _tidy(folder: Path) -> None:
    """Take the oldest files away where there are very many."""
    kept = sorted(folder.glob("*.npz"), key=lambda path: path.stat().st_mtime)
    for path in kept[: max(0, len(kept) - _MOST_KEPT)]:
        path.unlink(missing_ok=True)


@lru_cache(maxsize=16)
def _kept(digest: str) -> ReceivedPart:
    with np.load(_place(digest), allow_pickle=False) as data:
        told = json.loads(str(data["told"]))
        skins = [
            ReceivedSkin.unpacked(
                {
                    key.split(".", 1)[1]: data[key]
                    for key in data.files
                    if key.startswith(f"{number}.")
                }
            )
            for number in range(told["skins"])
        ]
    bodies = tuple(BodyNote(**(each | {"bar": BarNote.of(each["bar"])})) for each in told["bodies"])
    return ReceivedPart(bodies, tuple(skins))


def _convert(path: Path, target: Path, progress: Progress | None) -> None:
    """Read a file in a process of its own, which ends with this one's patience."""
    quiet = {**os.environ, "OMP_NUM_THREADS": "1"}
    command = [sys.executable, "-m", "belltone.geometry.solids.received", path, target]
    began = time.monotonic()
    with subprocess.Popen(
        [str(each) for each in command],
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        stdin=subprocess.DEVNULL,
        env=quiet,
        text=True,
    ) as process:
        try:
            while process.poll() is None:
                time.sleep(_LOOKS)
                if progress is not None:
                    progress.check()
                if time.monotonic() - began > _LONGEST:
                    raise CadFileError(
                        f"“{path.name}” was given up after {_LONGEST:.0f} s; it holds too much, or "
                        "is damaged"
                    )
        finally:
            process.kill()
        said = (process.stdout.read() if process.stdout else "").strip()
    if process.returncode == 2 and said:
        raise CadFileError(said)
    if process.returncode:
        raise CadFileError(f"“{path.name}” is damaged: reading it failed")


def bodies_of_file(path: Path) -> Iterator[tuple[BodyNote, list[ReceivedSkin]]]:
    """Every body of a file with its skins, read here and now; raises `CadFileError`."""
    solids = read_solids(path)
    if len(solids) > _MOST_BODIES:
        raise CadFileError(
            f"“{path.name}” holds {len(solids)} bodies, and at most {_MOST_BODIES} are taken; "
            "send what matters alone"
        )
    for number, solid in enumerate(solids, start=1):
        try:
            walls, pieces = find_walls(solid)
            skins = [
                received_skin(walls, piece, number, count)
                for count, piece in enumerate(pieces, start=1)
            ]
        except CadFileError as error:
            yield (
                BodyNote(solid.name, solid.volume, 0, 0.0, str(error), bar_of(solid)),
                [],
            )
            continue
        held = sum(skin.volume() for skin in skins)
        share = held / solid.volume if solid.closed and solid.volume > 0 else math.nan
        yield BodyNote(solid.name, solid.volume, len(skins), share), skins


def _write(path: Path, target: Path) -> None:
    found = list(bodies_of_file(path))
    skins = [skin for _, own in found for skin in own]
    arrays: dict[str, Any] = {
        f"{number}.{key}": value
        for number, skin in enumerate(skins)
        for key, value in skin.packed().items()
    }
    told = {"bodies": [asdict(note) for note, _ in found], "skins": len(skins)}
    with target.open("wb") as stream:
        np.savez_compressed(stream, told=np.array(json.dumps(told)), **arrays)


def main() -> None:
    """Read one file and write what is in it; a reason goes to standard output, with code 2."""
    try:
        _write(Path(sys.argv[1]), Path(sys.argv[2]))
    except CadFileError as error:
        print(error)
        sys.exit(2)


if __name__ == "__main__":
    main()
