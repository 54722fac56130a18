"""A newer revision of a received file in place of the old one, with what hangs on it kept.

Sites are matched by place and shape, so names that count (“hole 2”) are followed when they count
otherwise in the new file. What has no partner is told, with what it took along.
"""

from __future__ import annotations

import os
import tomllib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path as FilePath
from typing import Any, Final

import numpy as np
import scipy
import tomlkit
from numpy.typing import NDArray

from belltone.design.parts import MeshValue
from belltone.errors import UserError
from belltone.exchange.arrivals import plural
from belltone.geometry.solids.received import ReceivedPart, read_received
from belltone.geometry.solids.skins import FeatureNote, ReceivedSkin
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.sheet.part_models import MeshPart
from belltone.sheet.part_models import ReceivedPart as FilePart

__all__ = ["Revised", "RevisionError", "revisable", "revised"]

_FAR: Final = 0.1  # of the part's size; a site has not moved further
_GROWN: Final = 0.7  # logarithm of a size; a site is not twice as large or half
_NO: Final = 1e6
_GROUPS: Final = ("regions", "holes")  # of a part, by the names of its sites


class RevisionError(UserError):
    """A file that cannot take the place of another."""


@dataclass(frozen=True)
class Revised:
    """The sheet with the new file, and what there is to say."""

    sheet: Sheet
    told: tuple[str, ...]


def revisable(sheet: Sheet, new: FilePath) -> tuple[str, ...]:
    """The files a sheet is made of that a new one of its sort could take the place of."""
    files = dict.fromkeys(
        part.file
        for part in sheet.content.parts.values()
        if isinstance(part, FilePart) and _sort(FilePath(part.file)) == _sort(new)
    )
    return tuple(files)


def _sort(path: FilePath) -> str:
    from belltone.exchange.arriving import kind_of

    return str(kind_of(path))


def revised(sheet: Sheet, old: str, new: FilePath, progress: Progress | None = None) -> Revised:
    """A sheet with a new file in place of an old one it names.

    Supports, masses, joints and loads follow their sites; thicknesses by region, too. Raises
    `RevisionError`, and what reading either file raises.
    """
    if old not in revisable(sheet, new):
        known = ", ".join(f"“{each}”" for each in revisable(sheet, new)) or "none"
        raise RevisionError(
            f"“{old}” is no file of this sheet that “{new.name}” could take the place of; there "
            f"is {known}"
        )
    folder = (sheet.folder or FilePath()).resolve()
    name = os.path.relpath(new.resolve(), folder)
    values: dict[Path, Any] = {}
    lost: list[Path] = []
    told: list[str] = []
    received = None if _sort(new) != "solids" else read_received(new, progress)
    data = tomllib.loads(sheet.text)
    for title, part in sheet.content.parts.items():
        if not isinstance(part, FilePart) or part.file != old:
            continue
        base: Path = ("parts", title)
        values[(*base, "file")] = name
        if isinstance(part, MeshPart):
            mesh = _alone(sheet, title, old)
            size = mesh.size
            before: Mapping[str, FeatureNote] = _mesh_notes(mesh)
            after: Mapping[str, FeatureNote] = _mesh_notes(_alone(sheet, title, name))
        else:
            assert received is not None
            found = read_received(sheet.file(old), progress).skin(part.body, part.piece)
            if found is None:
                raise RevisionError(f"“{title}” is not in “{old}” any more")
            skin = _same_skin(found, received)
            if skin is None:
                raise RevisionError(f"“{new.name}” holds no walls “{title}” could be")
            for key, count, was in (
                ("body", skin.body, part.body), ("piece", skin.piece, part.piece)
            ):  # fmt: skip
                if count != was:
                    values[(*base, key)] = count
            size = _size(found)
            before, after = found.notes, skin.notes
        names = _matched(before, after, size)
        told += _told(title, names, after)
        _follow(data, title, names, values, lost)
    regions = [path for path in values if len(path) == 4 and path[2] in _GROUPS]
    renamed = {path: values.pop(path) for path in regions}
    changed = sheet.with_values(values)
    for path, fresh in renamed.items():
        changed = changed.renamed(path, f"{fresh} (new)")
    for path, fresh in renamed.items():
        changed = changed.renamed((*path[:3], f"{fresh} (new)"), fresh)
    for gone in sorted(set(lost), reverse=True, key=str):
        told.append(f"taken out, since its site is gone: {_entry_words(data, gone)}")
        changed = changed.without(gone)
    return Revised(changed, tuple(told))


def _same_skin(old: ReceivedSkin, new: ReceivedPart) -> ReceivedSkin | None:
    """The skin of a new file that an old one is nearest to, by place and area."""

    def middle(skin: ReceivedSkin) -> NDArray[np.float64]:
        return np.asarray(skin.places.reshape(-1, 3).mean(axis=0))

    size = _size(old)
    away = [
        (float(np.linalg.norm(middle(skin) - middle(old))) / size, number)
        for number, skin in enumerate(new.skins)
    ]
    return new.skins[min(away)[1]] if away else None


def _size(skin: ReceivedSkin) -> float:
    return float(np.linalg.norm(np.ptp(skin.places.reshape(-1, 3), axis=0)))


def _alone(sheet: Sheet, title: str, file: str) -> MeshValue:
    """A mesh as the sheet reads it, of a file: sewn, coarser and placed; walls by region left out.

    Raises ``SheetError`` where it cannot be read.
    """
    data = tomllib.loads(sheet.text)
    part = data["parts"][title] | {"file": file}
    part.pop("regions", None)
    kept = {key: data[key] for key in ("belltone", "knobs", "materials") if key in data}
    text = tomlkit.dumps(kept | {"parts": {title: part}})
    mesh = evaluate(Sheet.from_text(text, sheet.folder)).part_of(title)
    assert isinstance(mesh, MeshValue)
    return mesh


def _mesh_notes(mesh: MeshValue) -> dict[str, FeatureNote]:
    """Sites of a mesh with their lengths and middles (m)."""
    found: dict[str, FeatureNote] = {}
    for name, chain in mesh.lines.items():
        ends = mesh.points[mesh.edges[chain]]
        lengths = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
        x, y, z = (lengths @ ends.mean(axis=1) / lengths.sum()).tolist()
        found[name] = FeatureNote("edge", float(lengths.sum()), (x, y, z))
    for name, chosen in mesh.areas.items():
        x, y, z = mesh.points[mesh.faces[chosen]].mean(axis=(0, 1)).tolist()
        found[name] = FeatureNote("named", 1.0, (x, y, z))
    return found


def _matched(
    before: Mapping[str, FeatureNote], after: Mapping[str, FeatureNote], size: float
) -> dict[str, str | None]:
    """The new name of every old site of a part of a size; ``None`` where none is like it.

    Named regions keep their names.
    """
    found: dict[str, str | None] = {
        name: name if name in after else None
        for name, note in before.items()
        if note.sort == "named"
    }
    for sort in sorted({_sort_of(name, note) for name, note in before.items()} - {"named"}):
        old = [name for name, note in before.items() if _sort_of(name, note) == sort]
        new = [name for name, note in after.items() if _sort_of(name, note) == sort]
        cost = np.full((len(old), len(new)), _NO)
        for row, one in enumerate(old):
            for column, two in enumerate(new):
                away = float(np.linalg.norm(np.subtract(before[one].centre, after[two].centre)))
                grown = abs(float(np.log(before[one].size / after[two].size)))
                if away < _FAR * size and grown < _GROWN:
                    cost[row, column] = away / size + grown
        pairs: dict[int, int] = {}
        if old and new:
            rows, columns = scipy.optimize.linear_sum_assignment(cost)
            pairs = dict(zip(rows.tolist(), columns.tolist(), strict=True))
        for row, one in enumerate(old):
            partner = pairs.get(row, -1)
            fits = partner >= 0 and cost[row, partner] < _NO
            found[one] = new[partner] if fits else None
    return found


def _sort_of(name: str, note: FeatureNote) -> str:
    return note.sort if note.sort == "named" else name.rsplit(" ", 1)[0]


def _told(
    title: str,
    names: Mapping[str, str | None],
    after: Mapping[str, FeatureNote],
) -> Iterator[str]:
    kept = sum(new is not None for new in names.values())
    yield f"“{title}”: {kept} of {plural(len(names), 'site')} found again"
    for old, new in names.items():
        if new is None:
            yield f"“{title}.{old}” is gone, or no longer like it was"
        elif new != old:
            yield f"“{title}.{old}” is “{title}.{new}” now"
    fresh = [name for name in after if name not in set(names.values())]
    if fresh:
        yield f"new on “{title}”: {', '.join(fresh)}"


def _follow(
    data: Mapping[str, Any],
    title: str,
    names: Mapping[str, str | None],
    values: dict[Path, Any],
    lost: list[Path],
) -> None:
    """Note new names where the sheet refers to old ones, and what refers to those that are gone."""
    for path, text in _texts(data):
        site = text.removeprefix(f"{title}.")
        if site == text or site not in names:
            continue
        new = names[site]
        if new is None:
            ends = [place for place, step in enumerate(path) if isinstance(step, int)]
            lost.append(path[: (ends[0] if ends else len(path) - 1) + 1])
        elif new != site:
            values[path] = f"{title}.{new}"
    for group in _GROUPS:
        for known in data["parts"][title].get(group, {}):
            new = names.get(known, known)
            base: Path = ("parts", title, group, known)
            if new is None:
                lost.append(base)
            elif new != known:
                values[base] = new


def _texts(node: Any, path: Path = ()) -> Iterator[tuple[Path, str]]:
    if isinstance(node, Mapping):
        for key, value in node.items():
            yield from _texts(value, (*path, key))
    elif isinstance(node, Sequence) and not isinstance(node, str):
        for place, value in enumerate(node):
            yield from _texts(value, (*path, place))
    elif isinstance(node, str):
        yield path, node


def _entry_words(data: Any, path: Path) -> str:
    node = data
    for step in path:
        node = node[step]
    words = str(node)
    if isinstance(node, Mapping):
        words = ", ".join(f"{key} {value}" for key, value in node.items())
    steps = " ".join(str(step + 1) if isinstance(step, int) else step for step in path)
    return f"{steps}: {words}"
