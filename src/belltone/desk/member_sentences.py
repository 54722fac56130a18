"""A straight member in sentences: its length and section."""

from __future__ import annotations

from collections.abc import Callable
from typing import Final

from belltone.desk.card import Act, Choice, Number, Sentence
from belltone.desk.sheet_card import SheetCard
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.sheet.part_models import SECTION_SHAPES, Member

__all__ = ["member_sentences"]

Pieces = list[str | Number | Choice | Act]

_FIRST_DIMENSIONS: Final = {
    "solid rectangle": {"width": "40 mm", "height": "20 mm"},
    "solid round": {"diameter": "30 mm"},
    "round tube": {"diameter": "40 mm", "wall": "3 mm"},
    "rectangular hollow": {"width": "50 mm", "height": "30 mm", "wall": "3 mm"},
}


def member_sentences(
    card: SheetCard, name: str, part: Member, *more: tuple[str, Callable[[], object]]
) -> list[Sentence]:
    """The member's sentences; ``more`` is what else can be done with it."""
    base: Path = ("parts", name)
    first: Pieces = [f"A straight member “{name}”,"]
    if part.length is not None:
        first += [Number((*base, "length"), "length"), "long."]
    else:
        first += _points(base)
    second = ["Section:", *_section(card, (*base, "section"), part.section.shape, True)]
    result: list[Sentence] = [first, [*second, "."]]
    if part.section_at_end is None:
        same = part.section.model_dump(exclude_none=True)
        taper = (
            "taper it: give the far end its own size",
            lambda: card.edit("a taper", lambda s: s.with_value((*base, "section_at_end"), same)),
        )
        result[-1] = [*second, ".", card.more(taper, *more)]
        return result
    third = [
        "At its end:",
        *_section(card, (*base, "section_at_end"), part.section.shape, False),
    ]
    even = card.more(
        (
            "make it even: both ends alike",
            lambda: card.edit("no taper", lambda s: s.without((*base, "section_at_end"))),
        ),
        *more,
    )
    return [*result, [*third, ".", even]]


def _points(base: Path) -> Pieces:
    """The two end points, x y z each."""
    pieces: Pieces = []
    for key, mark in (("from", ","), ("to", ".")):
        pieces.append(key)
        pieces += [Number((*base, key, axis), f"{key}, {'xyz'[axis]}") for axis in range(3)]
        pieces.append(mark)
    return pieces


def _section(card: SheetCard, path: Path, shape: str, choose: bool) -> Pieces:
    options = tuple((name, _reshape(card, path, name)) for name in SECTION_SHAPES)
    pieces: Pieces = []
    if choose:
        pieces += [Choice(shape, options, "shape of the section")]
    if "round" in shape:
        pieces += [Number((*path, "diameter"), "diameter"), "across"]
    else:
        pieces += [Number((*path, "width"), "width"), "wide,"]
        pieces += [Number((*path, "height"), "height"), "high"]
    if shape in ("round tube", "rectangular hollow"):
        pieces += [", wall", Number((*path, "wall"), "wall")]
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
