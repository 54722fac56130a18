"""Members, turned solids, frames and ribs in sentences: where they run, and their sections."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final

from belltone.desk.cards.card import Act, Acts, Choice, Name, Number, Piece, Sentence
from belltone.desk.cards.sheet_card import SheetCard
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.sheet.part_models import (
    SECTION_SHAPES,
    Frame,
    Member,
    Rib,
    Turned,
)

__all__ = [
    "frame_sentences",
    "member_sentences",
    "member_summary",
    "rib_sentences",
    "section_words",
    "turned_sentences",
]

Pieces = list[Piece]

_FIRST_DIMENSIONS: Final[dict[str, dict[str, Any]]] = {
    "solid rectangle": {"width": "40 mm", "height": "20 mm"},
    "solid round": {"diameter": "30 mm"},
    "round tube": {"diameter": "40 mm", "wall": "3 mm"},
    "rectangular hollow": {"width": "50 mm", "height": "30 mm", "wall": "3 mm"},
    "ellipse": {"width": "40 mm", "height": "20 mm"},
    "i profile": {"width": "50 mm", "height": "80 mm", "web": "4 mm", "flange": "6 mm"},
    "channel": {"width": "40 mm", "height": "80 mm", "web": "4 mm", "flange": "6 mm"},
    "angle": {"width": "40 mm", "height": "40 mm", "wall": "4 mm"},
    "tee": {"width": "50 mm", "height": "50 mm", "web": "5 mm", "flange": "6 mm"},
    "thin-walled": {
        "profile": [
            {"at": ["20 mm", "20 mm"]},
            {"at": ["0 mm", "20 mm"]},
            {"at": ["0 mm", "-20 mm"]},
            {"at": ["20 mm", "-20 mm"]},
        ],
        "wall": "3 mm",
    },
    "solid outline": {
        "points": [["-20 mm", "-15 mm"], ["20 mm", "-15 mm"], ["10 mm", "15 mm"]],
    },
    "properties": {
        "area": "500 mm^2",
        "second_moment_y": "40000 mm^4",
        "second_moment_z": "20000 mm^4",
        "torsion_constant": "30000 mm^4",
    },
}
_SIZES: Final = {
    "diameter": "across",
    "width": "wide",
    "height": "high",
    "wall": "wall",
    "web": "web",
    "flange": "flange",
    "area": "of area",
    "second_moment_y": "about y",
    "second_moment_z": "about z",
    "torsion_constant": "in torsion",
}


def member_sentences(card: SheetCard, name: str, part: Member, *more: Act) -> list[Sentence]:
    """The member's sentences; ``more`` is what else can be done with it."""
    base: Path = ("parts", name)
    kind = "member" if part.path is not None else "straight member"
    first: Pieces = [f"A {kind}", Name(base, name), ","]
    if part.length is not None:
        first += [Number((*base, "length"), "length"), "long."]
    elif part.path is not None:
        closed = ", closed" if part.closed else ""
        first.append(f"along a path of {len(part.path)} points{closed}.")
    else:
        first += _points(base)
    second = ["Section:", *section_words(card, (*base, "section"), part.section.shape, True)]
    result: list[Sentence] = [first]
    if part.path is not None:
        result += _path(base, part)
    result.append([*second, "."])
    if part.mass_per_length is not None:
        result.append(["It carries", Number((*base, "mass_per_length"), "mass per length"), "."])
    if part.section_at_end is None:
        same = part.section.model_dump(exclude_none=True)
        taper = Act(
            "taper it",
            lambda: card.edit("a taper", lambda s: s.with_value((*base, "section_at_end"), same)),
            "Give the far end its own size",
        )
        loaded = Act(
            "load its length",
            card.set_to((*base, "mass_per_length"), "1 kg/m"),
            "Give it mass without stiffness",
        )
        result[-1] = [*result[-1], Acts((taper, loaded, *more))]
        return result
    third = [
        "At its end:",
        *section_words(card, (*base, "section_at_end"), part.section.shape, False),
    ]
    even = Act(
        "make it even",
        lambda: card.edit("no taper", lambda s: s.without((*base, "section_at_end"))),
        "Both ends alike",
    )
    return [*result, [*third, ".", Acts((even, *more))]]


def member_summary(card: SheetCard, name: str, part: Member) -> Sentence:
    """The member in one sentence: its length and its section."""
    base: Path = ("parts", name)
    first: Pieces = [f"“{name}”:"]
    if part.length is not None:
        first += [Number((*base, "length"), "length"), "of"]
    shape = part.section.shape
    first += [f"{shape},", *section_words(card, (*base, "section"), shape, False)]
    return [*first, ", tapered." if part.section_at_end is not None else "."]


def turned_sentences(card: SheetCard, name: str, part: Turned, *more: Act) -> list[Sentence]:
    """A solid of revolution: its contour point by point."""
    base: Path = ("parts", name)
    result: list[Sentence] = [["A turned member", Name(base, name), ".", Acts(more)]]
    for index, point in enumerate(part.contour):
        here: Path = (*base, "contour", index)
        pieces: Pieces = ["At", Number((*here, "at"), "place"), "its radius is"]
        pieces.append(Number((*here, "radius"), "radius"))
        if point.throat is not None:
            pieces += [", reached by a neck of", Number((*here, "throat"), "throat")]
        elif point.through is not None:
            pieces += [", reached by an arc over", Number((*here, "through", 0), "along")]
            pieces += [",", Number((*here, "through", 1), "radius")]
        result.append([*pieces, "."])
    if part.bore is not None:
        result.append(["A bore of", Number((*base, "bore"), "bore"), "runs through it."])
    return result


def frame_sentences(card: SheetCard, name: str, part: Frame, *more: Act) -> list[Sentence]:
    """A frame: what its members are, and where its nodes stand."""
    base: Path = ("parts", name)
    count = len(part.members)
    result: list[Sentence] = [
        [
            "A frame",
            Name(base, name),
            f"of {count} members, joined where they meet within",
            Number((*base, "tolerance"), "tolerance")
            if card.sheet.value((*base, "tolerance")) is not None
            else "1 mm",
            ".",
            Acts(more),
        ],
        ["Section:", *section_words(card, (*base, "section"), part.section.shape, True), "."],
    ]
    for node in part.nodes:
        at: Path = (*base, "nodes", node)
        result.append([f"{node} at", *(Number((*at, k), f"{node}, {'xyz'[k]}") for k in range(3))])
    for key, member in part.members.items():
        here: Path = (*base, "members", key)
        words: Pieces = [f"{key} from {member.start} to {member.stop}"]
        if member.section is not None:
            words += [":", *section_words(card, (*here, "section"), member.section.shape, True)]
        if member.hinged:
            words.append(", hinged at its " + " and ".join(member.hinged))
        result.append([*words, "."])
    return result


def rib_sentences(card: SheetCard, name: str, part: Rib, *more: Act) -> list[Sentence]:
    """A rib: where it runs, on which side, its section."""
    base: Path = ("parts", name)
    side = Choice(
        f"the {part.side} face",
        tuple((f"the {way} face", card.set_to((*base, "side"), way)) for way in ("outer", "inner")),
        "which face it stands on",
    )
    where: Pieces = ["A rib", Name(base, name), f"on “{part.on}”, on", side]
    if part.offset is not None:
        where += [", its centroid", Number((*base, "offset"), "offset"), "from the middle"]
    runs: Pieces = []
    for word, key, point in (("from", "from", part.start), ("to", "to", part.stop)):
        runs.append(word)
        for field in ("at", "profile", "around", "along"):
            value = getattr(point, field)
            paths: list[Path] = [(*base, key, field)]
            if field == "at":
                paths = [(*base, key, field, axis) for axis in (0, 1)]
            if value is not None:
                runs += [Number(path, f"{word}, {field}") for path in paths]
    section = ["Section:", *section_words(card, (*base, "section"), part.section.shape, True), "."]
    return [[*where, ".", Acts(more)], [*runs, "."], section]


def _path(base: Path, part: Member) -> list[Sentence]:
    """The points of a path, each with its bend or what it is reached over."""
    result: list[Sentence] = []
    for index, point in enumerate(part.path or ()):
        here: Path = (*base, "path", index)
        pieces: Pieces = ["To" if index else "From"]
        pieces += [Number((*here, "at", k), f"point {index + 1}, {'xyz'[k]}") for k in range(3)]
        if point.bend is not None:
            pieces += [", with a bend of", Number((*here, "bend"), "bend")]
        if point.through is not None:
            pieces.append(", by an arc over")
            pieces += [Number((*here, "through", k), f"over, {'xyz'[k]}") for k in range(3)]
        result.append([*pieces, "."])
    return result


def _points(base: Path) -> Pieces:
    """The two end points, x y z each."""
    pieces: Pieces = []
    for key, mark in (("from", ","), ("to", ".")):
        pieces.append(key)
        pieces += [Number((*base, key, axis), f"{key}, {'xyz'[axis]}") for axis in range(3)]
        pieces.append(mark)
    return pieces


def section_words(card: SheetCard, path: Path, shape: str, choose: bool) -> Pieces:
    """A section: its shape to choose, and its sizes as live numbers."""
    options = tuple((name, _reshape(card, path, name)) for name in SECTION_SHAPES)
    pieces: Pieces = []
    if choose:
        pieces += [Choice(shape, options, "shape of the section")]
    sizes = [key for key in _FIRST_DIMENSIONS[shape] if key in _SIZES]
    for key in sizes:
        mark = "" if key == sizes[-1] else ","
        pieces += [Number((*path, key), key.replace("_", " ")), _SIZES[key] + mark]
    return pieces


def _reshape(card: SheetCard, path: Path, shape: str) -> Callable[[], None]:
    def change(sheet: Sheet) -> Sheet:
        old = sheet.value(path) or {}
        fresh = {key: old.get(key, size) for key, size in _FIRST_DIMENSIONS[shape].items()}
        changed = sheet
        if sheet.value((*path[:-1], "section_at_end")) is not None:
            changed = changed.without((*path[:-1], "section_at_end"))
        return changed.with_value(path, {"shape": shape, **fresh})

    return lambda: card.edit(f"section {shape}", change)
