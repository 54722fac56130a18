"""Sheets from mesh files: faces become walls, lines members of a frame."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.exchange.arrivals import Arrival, part_name, plural, quoted
from belltone.geometry.mesh_files import MeshFile
from belltone.geometry.received_meshes import FaceSet, MeshFileError, read_faces, read_lines
from belltone.reading.family import evaluate
from belltone.reading.meshes import UNITS
from belltone.sheet.document import Sheet
from belltone.sheet.plain import plain_value
from belltone.sheet.units import DIMENSIONS, format_number
from belltone.system.contacts import contacts
from belltone.vectors import cross

__all__ = ["guessed_unit", "mesh_arrival", "mesh_choices"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]

_LIKELY: Final = (0.02, 4.0)  # m; so large are most components
_MOST_MEMBERS: Final = 300
_MOST_NODES: Final = 10_000  # a mesh is solved as it is and with its edges cut in two
_STRAIGHT: Final = 1 - 1e-6  # cosine between lines that go on straight
_SECTION: Final = '{ shape = "round tube", diameter = "20 mm", wall = "2 mm" }'


def mesh_choices(path: Path) -> tuple[str, ...]:
    """The data of a file's faces that could tell regions apart; raises `MeshFileError`."""
    return tuple(read_lines(path).face_labels)


def guessed_unit(path: Path) -> tuple[str, str]:
    """The unit that makes a mesh a likely component, and why; raises `MeshFileError`."""
    points = read_lines(path).points
    size = float(np.linalg.norm(np.ptp(points, axis=0)))
    fitting = [unit for unit in UNITS if _LIKELY[0] <= size * UNITS[unit] <= _LIKELY[1]]
    unit = "mm" if not fitting or "mm" in fitting else ("m" if "m" in fitting else fitting[0])
    shown = format_number(size, 4)
    real = format_number(1e3 * size * UNITS[unit], 4)
    return unit, (
        f"the file states no unit; {shown} from corner to corner is {real} mm if it counts in "
        f"{unit}"
    )


def mesh_arrival(
    path: Path,
    unit: str,
    thickness: str,
    material: str,
    folder: Path | None,
    by: str | None = None,
    file: str | None = None,
    told: tuple[str, ...] = (),
    sew: str | None = None,
) -> Arrival:
    """The sheet of a mesh file; ``file`` is how it names it, from a ``folder``; ``told`` of it.

    Raises `MeshFileError`, and ``SheetError`` where a value is none.
    """
    raw = read_lines(path)
    base = part_name(path.stem)
    lines = ["belltone = 1", f"title = {quoted(path.stem)}"]
    found: list[str] = []
    doubts: list[str] = list(told)
    reach = 0.0 if sew is None else plain_value(sew, DIMENSIONS["length"]) / UNITS[unit]
    walls = read_faces(path, by, reach) if len(raw.faces) or not len(raw.lines) else None
    coarser = 0.0 if walls is None else _coarser(walls)
    if walls is not None and coarser:
        fine, walls = walls, read_faces(path, by, reach, coarser)
        found.append(f"{len(fine.faces)} faces, more than can be solved with their error")
    if walls is not None:
        lines += ["", "[knobs]", f"thickness = {{ value = {quoted(thickness)} }}"]
        lines += ["", *_mesh(base, file or path.name, unit, material, by)]
        if sew is not None:
            lines.append(f"sew = {quoted(sew)}")
        if coarser:
            lines.append(f'coarser = "{format_number(coarser, 3)} {unit}"')
        found += _walls_found(walls, unit)
        doubts += walls.findings
        doubts.append(f"how thick it is: {thickness} stands for it until you say")
    if len(raw.lines):
        frame = base if walls is None else f"{base}_members"
        nodes, members = _members(raw, UNITS[unit])
        lines += ["", *_frame(frame, nodes, members, material)]
        regions = sorted({region for _, _, region in members})
        found.append(
            f"“{frame}”: {plural(len(members), 'straight member')} between "
            f"{plural(len(nodes), 'node')}"
            + (f", in regions {', '.join(regions)}" if len(regions) > 1 else "")
        )
        doubts.append(f"the section of “{frame}”: a round tube 20 × 2 mm until you say")
        if walls is not None:
            welds = list(_welds("\n".join(lines) + "\n", folder, base))
            for member in welds:
                lines += ["", "[[joints]]", f"between = [{quoted(base)}, {quoted(member)}]"]
                lines += ['how = "welded"']
            found.append(f"{plural(len(welds), 'member')} welded to the walls they touch")
    return Arrival("\n".join(lines) + "\n", tuple(found), tuple(doubts))


def _coarser(walls: FaceSet) -> float:
    """How large faces must be for the mesh to be solved, in the file's unit; 0 as they are."""
    if len(walls.points) <= _MOST_NODES:
        return 0.0
    corners = walls.points[walls.faces]
    ways = corners[:, 2] - corners[:, 0], corners[:, 3] - corners[:, 1]
    area = 0.5 * float(np.linalg.norm(cross(*ways), axis=1).sum())
    # Walls that stand aslant in the cubes nodes are gathered in take up to twice as many.
    return float(f"{np.sqrt(2 * area / _MOST_NODES):.2g}")


def _welds(text: str, folder: Path | None, walls: str) -> Iterator[str]:
    """The members that touch the walls."""
    for pair in contacts(evaluate(Sheet.from_text(text, folder))):
        if pair.touches and walls in (pair.first, pair.second):
            yield pair.second if pair.first == walls else pair.first


def _mesh(name: str, file: str, unit: str, material: str, by: str | None) -> list[str]:
    lines = [f"[parts.{name}]", 'kind = "mesh"', f"file = {quoted(file)}", f'unit = "{unit}"']
    lines += [f"material = {quoted(material)}", 'thickness = "thickness"']
    return lines if by is None else [*lines, f"regions_by = {quoted(by)}"]


def _walls_found(walls: FaceSet, unit: str) -> Iterator[str]:
    size = np.ptp(walls.points, axis=0)
    extent = " × ".join(format_number(1e3 * float(each) * UNITS[unit], 4) for each in size)
    yield f"{len(walls.faces)} faces, {extent} mm"
    if walls.curved_cells:
        yield f"{walls.curved_cells} curved cells, each followed by flat faces on its nodes"
    if walls.regions:
        names = list(walls.regions)
        more = f" and {len(names) - 12} more" if len(names) > 12 else ""
        yield f"{plural(len(names), 'region')}: {', '.join(names[:12])}{more}"
    if len(walls.choices) > 1:
        yield f"regions could be told by {', '.join(walls.choices)}"
    yield f"{plural(len(walls.rims), 'rim')}, {plural(len(walls.folds), 'fold')}"


def _members(raw: MeshFile, scale: float) -> tuple[dict[str, Array], list[tuple[str, str, str]]]:
    """Nodes (m) and straight members (from, to, region) of lines put end to end.

    Raises `MeshFileError` where there are too many.
    """
    labels = next(iter(raw.line_labels.values()), np.full(len(raw.lines), ""))
    lines, labels = _once(raw.points, raw.lines, labels)
    at: dict[int, list[int]] = {}
    for number, line in enumerate(lines.tolist()):
        for end in line:
            at.setdefault(end, []).append(number)

    def goes_on(node: int) -> bool:
        """Whether two lines of one region pass straight through a node."""
        if len(at[node]) != 2 or labels[at[node][0]] != labels[at[node][1]]:
            return False
        ways = []
        for number in at[node]:
            a, b = lines[number]
            other = b if a == node else a
            way = raw.points[other] - raw.points[node]
            ways.append(way / max(float(np.linalg.norm(way)), 1e-300))
        return float(ways[0] @ ways[1]) < -_STRAIGHT

    left = set(range(len(lines)))
    runs: list[tuple[int, int, str]] = []
    while left:
        start = min(left)
        left.discard(start)
        ends = [int(each) for each in lines[start]]
        for side in (0, 1):
            while goes_on(ends[side]):
                ahead = [number for number in at[ends[side]] if number in left]
                if not ahead:
                    break
                left.discard(ahead[0])
                a, b = (int(each) for each in lines[ahead[0]])
                ends[side] = b if a == ends[side] else a
        runs.append((ends[0], ends[1], str(labels[start])))
    if len(runs) > _MOST_MEMBERS:
        raise MeshFileError(
            f"its lines make {len(runs)} straight members, and at most {_MOST_MEMBERS} are taken; "
            "curved members of many short lines are better described as paths"
        )
    numbers = sorted({node for start, stop, _ in runs for node in (start, stop)})
    names = {node: f"n{place}" for place, node in enumerate(numbers, start=1)}
    nodes = {names[node]: raw.points[node] * scale for node in numbers}
    return nodes, [(names[start], names[stop], region) for start, stop, region in runs]


def _once(
    points: Array, lines: IntArray, labels: NDArray[np.str_]
) -> tuple[IntArray, NDArray[np.str_]]:
    """Lines each once, between nodes that are one where they stand at one place."""
    size = float(np.linalg.norm(np.ptp(points, axis=0)))
    grid = np.round(points / (1e-6 * max(size, 1e-300))).astype(np.int64)
    _, first, number = np.unique(grid, axis=0, return_index=True, return_inverse=True)
    lines = first[number.ravel()[lines]]
    lines, labels = lines[lines[:, 0] != lines[:, 1]], labels[lines[:, 0] != lines[:, 1]]
    _, once = np.unique(np.sort(lines, axis=1), axis=0, return_index=True)
    return lines[np.sort(once)], labels[np.sort(once)]


def _frame(
    name: str, nodes: dict[str, Array], members: list[tuple[str, str, str]], material: str
) -> list[str]:
    lines = [f"[parts.{name}]", 'kind = "frame"', f"material = {quoted(material)}"]
    lines += [f"section = {_SECTION}", "", f"[parts.{name}.nodes]"]
    for node, place in nodes.items():
        texts = (quoted(f"{format_number(1e3 * float(x) + 0.0, 9)} mm") for x in place)
        lines.append(f"{node} = [{', '.join(texts)}]")
    regions = {region for _, _, region in members}
    lines += ["", f"[parts.{name}.members]"]
    several = len(regions) > 1
    counts: dict[str, int] = {}
    for start, stop, region in members:
        stem = f"{part_name(region)}_" if several and region else "m"
        counts[stem] = counts.get(stem, 0) + 1
        section = f", section = {_SECTION}" if several else ""
        lines.append(f'{stem}{counts[stem]} = {{ from = "{start}", to = "{stop}"{section} }}')
    return lines
