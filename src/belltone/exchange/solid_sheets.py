"""Sheets from CAD files: every body's walls become skins, bars become members."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.errors import UserError
from belltone.exchange.arrivals import (
    Arrival,
    millimetres,
    part_name,
    place_words,
    plural,
    quoted,
    triple,
    turned_along,
)
from belltone.geometry.solids.members import BarNote
from belltone.geometry.solids.received import ReceivedPart
from belltone.geometry.solids.skins import ReceivedSkin
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.sheet.units import format_number
from belltone.system.contacts import TOLERANCE, Contact, contacts

__all__ = ["NothingThinError", "solid_arrival"]

Array = NDArray[np.float64]

_EVEN: Final = 1e-6  # of a thickness; nearer ones are one
_STEP: Final = 1e-5  # of a bar's length; a step in its radius is a cone so short
_SHARE: Final = 0.02  # of a body's volume; walls that hold less or more are doubted


class NothingThinError(UserError):
    """A CAD file with neither walls nor bars in it."""


@dataclass(frozen=True)
class _Wall:
    """One skin with its name in the sheet."""

    name: str
    skin: ReceivedSkin


def solid_arrival(
    path: Path, received: ReceivedPart, material: str, folder: Path | None, file: str | None = None
) -> Arrival:
    """The sheet of a CAD file; ``file`` is how it names it, from a ``folder``.

    Raises `NothingThinError` where nothing can be made of any body, and ``SheetError``.
    """
    base = part_name(path.stem)
    walls = [_Wall(_named(base, received, skin), skin) for skin in received.skins]
    bars = [
        (_bar_name(base, received, number), body.bar)
        for number, body in enumerate(received.bodies, start=1)
        if body.bar is not None
    ]
    if not walls and not bars:
        raise NothingThinError(
            f"“{path.name}”: " + "; ".join(body.trouble for body in received.bodies)
        )
    knobs = _knobs(walls)
    lines = ["belltone = 1", f"title = {quoted(path.stem)}"]
    if knobs:
        lines += ["", "[knobs]"]
        lines += [f"{knob} = {{ value = {quoted(millimetres(t))} }}" for t, knob in knobs.items()]
    for wall in walls:
        lines += ["", *_skin(wall, file or path.name, material, knobs)]
    for name, bar in bars:
        lines += ["", *_bar(name, bar, material)]
    text = "\n".join(lines) + "\n"
    touching = _touching(text, folder) if len(walls) + len(bars) > 1 else ()
    welded = [pair for pair in touching if _one_body(pair, walls)]
    for pair in welded:
        lines += ["", "[[joints]]", f"between = [{quoted(pair.first)}, {quoted(pair.second)}]"]
        lines += ['how = "welded"']
        if _reach(pair, walls) > TOLERANCE:
            lines.append(f"tolerance = {quoted(millimetres(_reach(pair, walls), 4))}")
    found = [*_found(received, walls, knobs), *_joints(touching, welded)]
    doubts = [*_doubts(received, walls)]
    if path.suffix.lower() == ".brep":
        doubts.append("a BREP file states no unit; its numbers are taken for millimetres")
    return Arrival("\n".join(lines) + "\n", tuple(found), tuple(doubts))


def _named(base: str, received: ReceivedPart, skin: ReceivedSkin) -> str:
    name = base if len(received.bodies) == 1 else f"{base}_{skin.body}"
    if received.bodies[skin.body - 1].pieces > 1:
        name += f"_wall_{skin.piece}"
    return name


def _bar_name(base: str, received: ReceivedPart, number: int) -> str:
    return base if len(received.bodies) == 1 else f"{base}_{number}"


def _thickness_of(skin: ReceivedSkin) -> list[float | None]:
    """The one thickness of each region, ``None`` where it changes (m)."""
    found: list[float | None] = []
    for region in range(len(skin.names)):
        low, high = skin.thicknesses(region)
        even = math.isfinite(low) and high - low <= _EVEN * high
        found.append(round(0.5 * (low + high), 9) if even else None)
    return found


def _knobs(walls: list[_Wall]) -> dict[float, str]:
    """A knob for every thickness that walls have."""
    values = {thickness for wall in walls for thickness in _thickness_of(wall.skin) if thickness}
    ordered = sorted(values)
    if len(ordered) == 1:
        return {ordered[0]: "wall"}
    return {value: f"wall_{number}" for number, value in enumerate(ordered, start=1)}


def _skin(wall: _Wall, file: str, material: str, knobs: dict[float, str]) -> list[str]:
    skin = wall.skin
    lines = [f"[parts.{wall.name}]", 'kind = "skin"', f"file = {quoted(file)}"]
    if skin.body > 1:
        lines.append(f"body = {skin.body}")
    if skin.piece > 1:
        lines.append(f"piece = {skin.piece}")
    lines.append(f"material = {quoted(material)}")
    thicknesses = _thickness_of(skin)
    if not skin.measured:
        lines.append('thickness = "1 mm"')
    elif None not in thicknesses and len(set(thicknesses)) == 1:
        lines.append(f"thickness = {quoted(knobs[thicknesses[0] or 0.0])}")
    else:
        lines += [
            line
            for name, thickness in zip(skin.names, thicknesses, strict=True)
            if thickness is not None
            for line in (
                "",
                f"[parts.{wall.name}.regions.{quoted(name)}]",
                f"thickness = {quoted(knobs[thickness])}",
            )
        ]
    return lines


def _bar(name: str, bar: BarNote, material: str) -> list[str]:
    if bar.sort == "turned":
        way = np.subtract(bar.stop, bar.start)
        x, y, z = (way / np.linalg.norm(way)).tolist()
        points = ", ".join(
            f"{{ at = {quoted(millimetres(at, 9))}, radius = {quoted(millimetres(radius, 9))} }}"
            for at, radius in _contour(bar.sizes)
        )
        return [
            f"[parts.{name}]",
            'kind = "turned"',
            f"material = {quoted(material)}",
            f"contour = [{points}]",
            f"placement = {{ at = {triple(bar.start)}, turn = {turned_along((x, y, z))} }}",
        ]
    shapes = {
        "round": ("solid round", ("diameter",)),
        "tube": ("round tube", ("diameter", "wall")),
        "rectangular": ("solid rectangle", ("width", "height")),
    }
    shape, keys = shapes[bar.sort]
    sizes = ", ".join(
        f"{key} = {quoted(millimetres(size, 9))}" for key, size in zip(keys, bar.sizes, strict=True)
    )
    up = ", ".join(str(each) for each in bar.up)
    return [
        f"[parts.{name}]",
        'kind = "member"',
        f"material = {quoted(material)}",
        f"from = {triple(bar.start)}",
        f"to = {triple(bar.stop)}",
        f"up = [{up}]",
        f"section = {{ shape = {quoted(shape)}, {sizes} }}",
    ]


def _contour(sizes: tuple[float, ...]) -> Iterator[tuple[float, float]]:
    """Places along a turned bar and radii; steps become very short cones."""
    short = _STEP * sizes[-2]
    last = -math.inf
    for at, radius in zip(sizes[::2], sizes[1::2], strict=True):
        last = at if at > last + short else last + short
        yield last, radius


def _touching(text: str, folder: Path | None) -> tuple[Contact, ...]:
    return contacts(evaluate(Sheet.from_text(text, folder)))


def _found(received: ReceivedPart, walls: list[_Wall], knobs: dict[float, str]) -> Iterator[str]:
    count = len(received.bodies)
    yield f"{count} {'body' if count == 1 else 'bodies'} in the file"
    for wall in walls:
        skin = wall.skin
        thick = [each for each in _thickness_of(skin) if each is not None]
        extent = " × ".join(format_number(1e3 * float(each), 5) for each in _extent(skin))
        words = [f"{extent} mm", plural(len(skin.names), "face")]
        if thick:
            words.append(" and ".join(millimetres(each) for each in sorted(set(thick))) + " thick")
        for region, name in enumerate(skin.names):
            low, high = skin.thicknesses(region)
            if math.isfinite(low) and _thickness_of(skin)[region] is None:
                words.append(f"{name} from {millimetres(low, 4)} to {millimetres(high, 4)} thick")
        holes = [name for name in skin.edges if name.startswith("hole")]
        if holes:
            words.append(plural(len(holes), "hole"))
        folds = [name for name in skin.edges if name.startswith("fold")]
        if folds:
            words.append(plural(len(folds), "sharp fold"))
        yield f"“{wall.name}”: {', '.join(words)}"
        for name in holes:
            note = skin.notes[name]
            yield f"“{wall.name}.{name}” {note.words or 'not round'}, at {place_words(note.centre)}"
    for number, body in enumerate(received.bodies, start=1):
        if body.bar is not None:
            yield f"body {number} is a {_bar_words(body.bar)}; it becomes a member"
    for thickness, knob in knobs.items():
        yield f"the thickness {millimetres(thickness)} is the knob “{knob}”"


def _extent(skin: ReceivedSkin) -> Array:
    """The box round both sides of a wall (m)."""
    both = [skin.places]
    if skin.measured:
        both.append(skin.places - skin.thickness[..., None] * skin.normals)
    return np.asarray(np.ptp(np.concatenate(both).reshape(-1, 3), axis=0))


def _bar_words(bar: BarNote) -> str:
    length = millimetres(float(np.linalg.norm(np.subtract(bar.stop, bar.start))))
    words = {
        "round": "round bar",
        "tube": "tube",
        "rectangular": "rectangular bar",
        "turned": "turned bar",
    }
    return f"{words[bar.sort]}, {length} long"


def _reach(pair: Contact, walls: list[_Wall]) -> float:
    """How far apart walls of one body may meet: skins lie on one side of each (m)."""
    own = [wall.skin.thickness for wall in walls if wall.name in (pair.first, pair.second)]
    return max((float(np.nanmax(thickness)) for thickness in own), default=0.0)


def _one_body(pair: Contact, walls: list[_Wall]) -> bool:
    """Whether both are walls of one body that meet."""
    own = {wall.skin.body for wall in walls if wall.name in (pair.first, pair.second)}
    both = sum(wall.name in (pair.first, pair.second) for wall in walls)
    return both == 2 and len(own) == 1 and pair.gap <= max(_reach(pair, walls), TOLERANCE)


def _joints(touching: tuple[Contact, ...], welded: list[Contact]) -> Iterator[str]:
    for pair in touching:
        names = f"“{pair.first}” and “{pair.second}”"
        if pair in welded:
            where = pair.words if pair.touches else "where they meet"
            yield f"{names} are one body and are welded {where}"
        elif pair.touches:
            yield f"{names} touch {pair.words}; whether they are joined is for you to say"
        else:
            yield f"{names} are {pair.words} and not joined"


def _doubts(received: ReceivedPart, walls: list[_Wall]) -> Iterator[str]:
    for number, body in enumerate(received.bodies, start=1):
        if body.trouble and body.bar is None:
            yield f"{body.trouble}; it is left out"
        elif not body.trouble and math.isfinite(body.share) and abs(body.share - 1) > _SHARE:
            yield (
                f"the walls of body {number} hold {100 * body.share:.4g} % of its volume; what is "
                "thick, or cut aslant, is not as it is in the file"
            )
    for wall in walls:
        for name in wall.skin.uneven:
            yield (
                f"under “{wall.name}.{name}” the wall has steps or ribs; one mean thickness is "
                "taken"
            )
        if not wall.skin.measured:
            yield f"“{wall.name}” has no thickness in the file; 1 mm stands for it until you say"
