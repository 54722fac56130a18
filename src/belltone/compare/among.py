"""Several designs beside the first of them: every mode of each, matched by shape."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from dataclasses import dataclass

from belltone.compare.likeness import Side
from belltone.compare.matched import Comparison, Match, compare, groups_of, told_as_one
from belltone.tune.bands import least_separation, verdict

__all__ = ["Among", "Row", "among", "standing_words"]


@dataclass(frozen=True)
class Row:
    """One mode of the first design, or one that only others have, in all of them.

    ``matches`` has an entry for each design after the first; ``None`` where it has no partner.
    """

    kind: str
    number: int | None
    frequency: float | None
    matches: tuple[Match | None, ...]

    @property
    def largest_change(self) -> float:
        """The largest relative change of all, without its sign."""
        changes = [abs(each.change) for each in self.matches if each and each.change is not None]
        return max(changes, default=float("inf"))


@dataclass(frozen=True, eq=False)
class Among:
    """Modes times designs."""

    sides: tuple[Side, ...]
    comparisons: tuple[Comparison, ...]
    rows: tuple[Row, ...]

    @property
    def entries(self) -> tuple[tuple[Row, ...], ...]:
        """The rows, those told as one together: modes that are equal ones everywhere."""
        here, *others = (groups_of(side.modes) for side in self.sides)

        def group(row: Row) -> Hashable | None:
            if row.number is None:
                return None
            there = zip(others, row.matches, strict=True)
            return (
                here[row.number],
                *(None if own is None else known[own.number_after] for known, own in there),
            )

        return told_as_one(self.rows, group)

    def by_change(self) -> tuple[Row, ...]:
        """The rows, what changes most first; what has no partner at all comes before."""
        return tuple(sorted(self.rows, key=lambda row: -row.largest_change))


def among(sides: Sequence[Side]) -> Among:
    """Hold two designs or more against the first."""
    first, *others = sides
    comparisons = tuple(compare(first, other) for other in others)
    rows: list[Row] = []
    for mode in first.modes.modes():
        if mode.rigid:
            continue
        found = [each.partner(mode.number) for each in comparisons]
        matches = tuple(each if each is not None and each.paired else None for each in found)
        rows.append(Row(mode.kind, mode.number, mode.frequency, matches))
    for place, each in enumerate(comparisons):
        for match in each.matches:
            if match.number is None:
                alone = tuple(match if at == place else None for at in range(len(comparisons)))
                rows.append(Row(match.kind_after, None, None, alone))
    return Among(tuple(sides), comparisons, tuple(rows))


def standing_words(side: Side) -> tuple[str, float | None]:
    """The verdict on a design in few words, and its least separation from any band."""
    design, modes = side.design, side.modes
    if not design.bands:
        return "no excitation stated", None
    found = verdict(modes, design.bands, design.margin)
    least = least_separation(modes, design.bands)
    if found.clear:
        return "all bands clear", least
    troubled = len({number for number, _ in (*found.inside, *found.margin)})
    where = "in a band" if found.inside and not found.margin else "in a band or its margin"
    if found.margin and not found.inside:
        where = "in a margin"
    return f"{troubled} mode{'s' if troubled > 1 else ''} {where}", least
