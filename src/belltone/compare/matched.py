"""Which mode of one design is which of another, and what became of it."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass, replace
from typing import Final, TypeVar

import numpy as np
from numpy.typing import NDArray

from belltone.compare.likeness import Side, aligned, likeness
from belltone.modes.matching import paired
from belltone.modes.modeset import ModeSet
from belltone.sheet.units import format_number
from belltone.system.kinds import kind_of

__all__ = ["Comparison", "Match", "compare", "groups_of", "told_as_one"]

T = TypeVar("T")
Array = NDArray[np.float64]

_ALIKE: Final = 0.3  # assurance; less is another mode
_NOTHING: Final = 1e-4  # relative; a frequency that moves less stays
_MOSTLY: Final = 0.5  # share of a mode's motion that is said to be what it is of
_MOVES: Final = 0.25  # of what moves most; a site that moves so far holds a mode when it is held
_NEAR_END: Final = 0.8  # of the highest frequency found; a partner may lie beyond it


@dataclass(frozen=True)
class Match:
    """One mode in both designs: numbers and frequencies (Hz), and how alike its shapes are.

    A mode that has no partner among those found on the other side has ``None`` there, and
    ``reason`` says why where that is known. ``swapped`` is the number of the mode it changed
    places with.
    """

    number: int | None
    before: float | None
    number_after: int | None
    after: float | None
    assurance: float = 0.0
    kind: str = ""
    kind_after: str = ""
    swapped: int | None = None
    reason: str = ""

    @property
    def paired(self) -> bool:
        """Whether the mode is known on both sides."""
        return self.number is not None and self.number_after is not None

    @property
    def change(self) -> float | None:
        """Relative change of the frequency, where both are known."""
        if self.before is None or self.after is None:
            return None
        return self.after / self.before - 1 if self.before else 0.0

    @property
    def difference(self) -> float | None:
        """Change of the frequency (Hz), where both are known."""
        if self.before is None or self.after is None:
            return None
        return self.after - self.before

    @property
    def verb(self) -> str:
        """Stays, stiffens or softens."""
        assert self.change is not None
        if abs(self.change) < _NOTHING:
            return "stays"
        return "stiffens" if self.change > 0 else "softens"

    @property
    def words(self) -> str:
        """What became of it, in words."""
        if self.change is None:
            return "has no partner" + (f": {self.reason}" if self.reason else "")
        if self.number_after == self.number:
            return self.verb
        if self.swapped is not None:
            return f"{self.verb}, changed places with mode {self.swapped}"
        return f"{self.verb}, now mode {self.number_after}"


@dataclass(frozen=True, eq=False)
class Comparison:
    """Two designs with all their modes matched by shape.

    Both sides are turned so that partners look the same: pairs as subspaces, signs alike.
    ``assurance`` (m, n) is between all flexible modes. ``matches`` run by number in the first; what
    only the second has comes last.
    """

    first: Side
    second: Side
    assurance: Array
    matches: tuple[Match, ...]

    @property
    def entries(self) -> tuple[tuple[Match, ...], ...]:
        """The matches, those told as one together: equal modes that stay equal ones."""
        one, two = (groups_of(side.modes) for side in (self.first, self.second))
        return told_as_one(
            self.matches,
            lambda each: (one[each.number], two[each.number_after]) if each.paired else None,
        )

    def partner(self, number: int) -> Match | None:
        """What became of a mode of the first design."""
        return next((each for each in self.matches if each.number == number), None)


def groups_of(modes: ModeSet) -> dict[int | None, int]:
    """Which entry of the list each mode is told in, by its number."""
    entries = enumerate(modes.entries())
    return {modes.mode(place).number: at for at, entry in entries for place in entry}


def told_as_one(
    rows: Sequence[T], group: Callable[[T], Hashable | None]
) -> tuple[tuple[T, ...], ...]:
    """Rows in order, those of one group together where its first one stands; None is alone."""
    found: dict[Hashable, list[T]] = {}
    for at, row in enumerate(rows):
        name = group(row)
        found.setdefault((at,) if name is None else ("group", name), []).append(row)
    return tuple(tuple(own) for own in found.values())


def compare(first: Side, second: Side) -> Comparison:
    """Match the flexible modes of two designs by shape; none is left out."""
    found = likeness(first, second)
    one, two = first.modes, second.modes
    alike = found.assurance
    partners, certainty = paired(alike, two.flexible, one.flexible)
    partners[certainty < _ALIKE] = -1
    first, second, found = aligned(first, second, partners, found)
    alike = found.assurance
    matches = [
        _match(first, second, place, int(partner), float(alike[place, partner]))
        for place, partner in enumerate(partners)
        if partner >= 0
    ]
    told = {each.number: each for each in _with_swaps(matches)}
    for place in np.flatnonzero(partners < 0):
        reason = _reason(first, second, int(place), float(found.lone[place]), alike[place])
        mode = one.mode(one.rigid_count + int(place))
        told[mode.number] = Match(
            mode.number, mode.frequency, None, None, 0.0, mode.kind, reason=reason
        )
    rows = [told[number] for number in sorted(number for number in told if number is not None)]
    for place in np.flatnonzero(~np.isin(np.arange(len(two.flexible)), partners)):
        lone = float(found.second_lone[place])
        reason = _reason(second, first, int(place), lone, alike[:, place])
        mode = two.mode(two.rigid_count + int(place))
        rows.append(
            Match(None, None, mode.number, mode.frequency, 0.0, kind_after=mode.kind, reason=reason)
        )
    return Comparison(first, second, alike, tuple(rows))


def _match(first: Side, second: Side, place: int, partner: int, sure: float) -> Match:
    one = first.modes.mode(first.modes.rigid_count + place)
    two = second.modes.mode(second.modes.rigid_count + partner)
    return Match(
        one.number, one.frequency, two.number, two.frequency, min(sure, 1.0), one.kind, two.kind
    )


def _with_swaps(matches: list[Match]) -> list[Match]:
    now = {each.number: each.number_after for each in matches}
    return [
        replace(each, swapped=each.number_after)
        if each.number != each.number_after and now.get(each.number_after) == each.number
        else each
        for each in matches
    ]


def _reason(side: Side, other: Side, place: int, lone: float, alike: Array) -> str:
    """Why a mode of one side has no partner on the other, where that is known."""
    modes = side.modes
    index = modes.rigid_count + place
    if lone > _MOSTLY:
        own = {part.name for part in side.design.solid_parts}
        missing = own - {part.name for part in other.design.solid_parts}
        names = ", ".join(f"“{name}”" for name in sorted(missing))
        return f"it moves mostly in {names}, which “{other.name}” has not"
    held = _newly_held(side, other, index)
    if held:
        return f"it moves at {held}, held in “{other.name}”"
    if len(other.modes.flexible) == 0:
        return f"“{other.name}” has no flexible mode among those found"
    if modes.flexible[place] > _NEAR_END * other.modes.flexible[-1]:
        top = format_number(float(other.modes.flexible[-1]), 4)
        return f"its partner may lie above {top} Hz, the highest found in “{other.name}”"
    near = int(np.argmax(alike)) if len(alike) else 0
    if len(alike) and alike[near] > 0.1:
        mode = other.modes.mode(other.modes.rigid_count + near)
        return (
            f"most like mode {mode.number} of “{other.name}”, by {100 * alike[near]:.0f} %, which "
            "is too little"
        )
    return f"nothing in “{other.name}” moves like it"


def _newly_held(side: Side, other: Side, index: int) -> str:
    """Sites held on the other side alone at which a mode moves."""
    before = {support.place.site for support in side.design.supports}
    shapes = side.modes.part_shapes(index)
    whole = max(float(np.abs(own[:, :3]).max(initial=0.0)) for own in shapes.values())
    found: list[str] = []
    for support in other.design.supports:
        place = support.place
        if place.site in before or place.part not in shapes:
            continue
        moved = _motion_at(side, other, place.site, shapes)
        if whole > 0 and moved > _MOVES * whole:
            found.append(f"“{place.site}”")
    return " and ".join(found)


def _motion_at(side: Side, other: Side, site: str, shapes: dict[str, Array]) -> float:
    """How far a site of the other design moves in a mode of this one, roughly."""
    place = next(s.place for s in other.design.supports if s.place.site == site)
    part = next((each for each in side.design.parts if each.name == place.part), None)
    if part is None:
        return 0.0
    at = side.design.parts.index(part)
    points = side.witness.parts[at].positions
    theirs = other.design.part_of(place.part)
    lines = np.concatenate(kind_of(theirs).lines(theirs, place))
    away = np.linalg.norm(points[:, None] - lines[None], axis=2).argmin(axis=0)
    return float(np.linalg.norm(shapes[part.name][np.unique(away), :3], axis=1).max())
