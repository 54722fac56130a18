"""Values that go in pairs: the two ends of a band."""

from __future__ import annotations

from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.sheet.expressions import ExpressionError, parse
from belltone.sheet.units import format_number

__all__ = ["with_other_end"]

_ENDS = {"from": "to", "to": "from"}


def with_other_end(sheet: Sheet, path: Path, text: str) -> dict[Path, str] | None:
    """Both ends of a band whose one end is typed beyond the other, which goes along.

    ``None`` where it is no end of a band, or either is no plain number of the same unit.
    """
    if path[:2] != ("excitation", "bands") or path[-1] not in _ENDS:
        return None
    there: Path = (*path[:-1], _ENDS[str(path[-1])])
    old, other = sheet.value(path), sheet.value(there)
    try:
        typed, before, partner = (parse(str(each)).literal for each in (text, old, other))
    except ExpressionError:
        return None
    if typed is None or before is None or partner is None:
        return None
    if not typed[1] == before[1] == partner[1]:
        return None
    moved = typed[0] + partner[0] - before[0]
    if moved <= 0:
        return None
    return {path: text, there: f"{format_number(moved, 9)} {typed[1]}"}
