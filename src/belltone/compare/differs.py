"""What differs between two sheets, in words and numbers: from their content, not their lines."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.sheet.expressions import ExpressionError, parse
from belltone.sheet.formulas import evaluated
from belltone.sheet.units import UnitError, format_number

__all__ = ["Difference", "differences", "in_brief"]

_ENTRIES: Final = {
    "knobs": "knob",
    "materials": "material",
    "parts": "part",
    "sites": "point",
    "joints": "joint",
    "patterns": "pattern",
    "supports": "support",
    "masses": "mass",
    "bands": "band",
    "sources": "source",
    "targets": "target",
    "forces": "force",
    "pressures": "pressure",
    "pulls": "pull",
    "moves": "set displacement",
    "turns": "set turn",
    "warmths": "temperature change",
    "ribs": "rib",
    "holes": "hole",
    "plies": "ply",
}
"""What one entry of a table or list of the sheet is called."""

_HEADS: Final = {
    "preload": "preload",
    "excitation": "excitation",
    "accuracy": "accuracy",
    "modes": "modes",
}
_NAMING: Final = ("name", "site", "between", "of", "mode", "part", "material")
"""Keys that tell one entry of a list from another, in this order."""

_EQUAL: Final = 1e-12  # relative


@dataclass(frozen=True)
class Difference:
    """One thing that differs: what it is, and what stands there in both sheets (or nothing).

    ``ratio`` is the second value over the first, where both are numbers of one sort.
    """

    what: str
    before: str | None
    after: str | None
    path: Path
    ratio: float | None = None

    @property
    def words(self) -> str:
        """In one line, such as ``wall: 3 mm → 4 mm (+33.3 %)``."""
        if self.before is None:
            return f"added: {self.what}" + (f" ({self.after})" if self.after else "")
        if self.after is None:
            return f"removed: {self.what}" + (f" ({self.before})" if self.before else "")
        share = "" if self.ratio is None else f" ({100 * (self.ratio - 1):+.3g} %)"
        return f"{self.what}: {self.before} → {self.after}{share}"


def differences(before: Sheet, after: Sheet) -> tuple[Difference, ...]:
    """Everything in which the second sheet differs from the first, in the order of a sheet.

    The order of entries, comments, the way a value is written and the units values are shown in
    make no difference.
    """
    one, two = (_content(sheet, whole=True) for sheet in (before, after))
    stated = [_content(sheet, whole=False) for sheet in (before, after)]
    return tuple(_with_stated(each, *stated) for each in _of_tables(one, two, (), ""))


def _content(sheet: Sheet, whole: bool) -> dict[str, Any]:
    """What a sheet holds as plain data; not the ``whole`` leaves out what nobody need state."""
    return sheet.content.model_dump(
        mode="json",
        by_alias=True,
        exclude_none=True,
        exclude_defaults=not whole,
        exclude={"shown_in"},
    )


def _with_stated(found: Difference, one: Any, two: Any) -> Difference:
    """What is added or removed is told by what its author stated."""
    if found.before is None:
        return replace(found, after=_summary(_at(two, found.path)))
    if found.after is None:
        return replace(found, before=_summary(_at(one, found.path)))
    return found


def _at(data: Any, path: Path) -> Any:
    for step in path:
        data = data[step]
    return data


def in_brief(found: Sequence[Difference], most: int = 2) -> str:
    """Differences in one short line; “the same” where there are none."""
    if not found:
        return "the same"
    words = [each.words for each in found[:most]]
    more = len(found) - len(words)
    return "; ".join(words) + (f"; and {more} more" if more else "")


def _of_tables(
    one: Mapping[str, Any], two: Mapping[str, Any], path: Path, within: str
) -> Iterable[Difference]:
    keys = [*one, *(key for key in two if key not in one)]
    for key in keys:
        here = (*path, key)
        first, second = one.get(key), two.get(key)
        if first == second:
            continue
        if key in _ENTRIES and _is_list_of_tables(first, second):
            yield from _of_lists(first or [], second or [], here, key, within)
        elif key in _ENTRIES and len(path) < 2 and _are(dict, first, second):
            yield from _of_named(first or {}, second or {}, here, _ENTRIES[key])
        else:
            yield from _of_values(first, second, here, _joined(within, _head(key)))


def _are(kind: type, *values: Any) -> bool:
    return all(value is None or isinstance(value, kind) for value in values)


def _is_list_of_tables(*values: Any) -> bool:
    return _are(list, *values) and all(
        isinstance(entry, dict) for value in values for entry in value or ()
    )


def _head(key: str) -> str:
    return _HEADS.get(key, key.replace("_", " "))


def _joined(within: str, what: str) -> str:
    return f"{within}, {what}" if within else what


def _of_named(
    one: Mapping[str, Any], two: Mapping[str, Any], path: Path, what: str
) -> Iterable[Difference]:
    """Entries of a table, each known by its name."""
    for name in [*one, *(name for name in two if name not in one)]:
        here = (*path, name)
        label = f"{what} “{name}”"
        if name not in two:
            yield Difference(label, _summary(one[name]), None, here)
        elif name not in one:
            yield Difference(label, None, _summary(two[name]), here)
        elif what == "knob":
            yield from _of_knob(one[name], two[name], here, name)
        elif _are(dict, one[name], two[name]):
            yield from _of_tables(one[name], two[name], here, label)
        else:
            yield from _of_values(one[name], two[name], here, label)


def _of_knob(
    one: Mapping[str, Any], two: Mapping[str, Any], path: Path, name: str
) -> Iterable[Difference]:
    """A knob's value is told under its bare name."""
    for found in _of_tables(one, two, path, f"knob “{name}”"):
        own = found.path[-1] == "value"
        yield (
            found
            if not own
            else Difference(name, found.before, found.after, found.path, found.ratio)
        )


def _of_lists(
    one: Sequence[Mapping[str, Any]],
    two: Sequence[Mapping[str, Any]],
    path: Path,
    key: str,
    within: str,
) -> Iterable[Difference]:
    """Entries of a list, each known by what it is about; the first of that in both are the same."""
    what = _ENTRIES[key]
    pairs, added = _partnered(one, two)
    for place, partner in enumerate(pairs):
        here = (*path, place)
        label = _joined(within if within not in _HEADS.values() else "", _label(one[place], what))
        if partner is None:
            yield Difference(label, _summary(one[place]), None, here)
        else:
            yield from _of_tables(one[place], two[partner], here, label)
    for place in added:
        label = _joined(within if within not in _HEADS.values() else "", _label(two[place], what))
        yield Difference(label, None, _summary(two[place]), (*path, place))


def _partnered(
    one: Sequence[Mapping[str, Any]], two: Sequence[Mapping[str, Any]]
) -> tuple[list[int | None], list[int]]:
    """For each entry of the first list its partner in the second, and what is left there."""
    left = list(range(len(two)))
    pairs: list[int | None] = [None] * len(one)
    for told in (dict, _naming):
        for place, entry in enumerate(one):
            if pairs[place] is not None:
                continue
            own = told(entry)
            partner = next((other for other in left if told(two[other]) == own), None)
            if partner is not None:
                pairs[place] = partner
                left.remove(partner)
    return pairs, left


def _naming(entry: Mapping[str, Any]) -> Any:
    """What an entry is about."""
    found = next(((key, entry[key]) for key in _NAMING if entry.get(key)), None)
    if found is not None and isinstance(found[1], dict):
        return found[0], tuple(sorted(map(str, found[1].items())))
    if found is not None and isinstance(found[1], list):
        return found[0], tuple(map(str, found[1]))
    return found


def _label(entry: Mapping[str, Any], what: str) -> str:
    named = next((entry[key] for key in _NAMING if entry.get(key)), None)
    if named is None or isinstance(named, dict):
        return what
    if isinstance(named, list):
        return f"{what} between {' and '.join(f'“{name}”' for name in named)}"
    return f"{what} “{named}”"


def _of_values(first: Any, second: Any, path: Path, what: str) -> Iterable[Difference]:
    if isinstance(first, dict) and isinstance(second, dict):
        # Of another sort altogether: told whole, not key by key.
        kinds = [entry.get("kind") or entry.get("shape") for entry in (first, second)]
        if kinds[0] == kinds[1] and isinstance(kinds[0], str | None):
            yield from _of_tables(first, second, path, what)
            return
    if isinstance(first, dict) and second is None:
        yield Difference(what, _summary(first), None, path)
        return
    if isinstance(second, dict) and first is None:
        yield Difference(what, None, _summary(second), path)
        return
    if first is None or second is None:
        yield Difference(
            what,
            "nothing" if first is None else _text(first),
            "nothing" if second is None else _text(second),
            path,
        )
        return
    ratio = _ratio(first, second)
    if ratio is not None and abs(ratio - 1) <= _EQUAL:
        return
    yield Difference(what, _text(first), _text(second), path, ratio)


def _ratio(first: Any, second: Any) -> float | None:
    """How many times the first value the second is, where both are numbers of one sort."""
    if isinstance(first, bool) or isinstance(second, bool):
        return None
    try:
        if any(parse(str(value)).names for value in (first, second)):
            return None
        one, two = (evaluated(str(value)) for value in (first, second))
    except (ExpressionError, UnitError, ValueError):
        return None
    if one.unit.dimensionality != two.unit.dimensionality or one.base == 0:
        return 1.0 if one.base == two.base else None
    return two.base / one.base


def _text(value: Any) -> str:
    if isinstance(value, dict):
        return _summary(value)
    if isinstance(value, list):
        if len(value) > 8:
            return f"{len(value)} entries"
        return ", ".join(map(_text, value)) if value else "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return format_number(value)
    return str(value)


def _summary(entry: Any, most: int = 4) -> str:
    """An entry in a few words: its plain values, in the order of the sheet."""
    if not isinstance(entry, dict):
        return _text(entry)
    if set(entry) <= {"value", "from", "to", "step", "stock", "note"} and "value" in entry:
        return str(entry["value"])
    skipped = ("name", "note")
    words = []
    for key, value in entry.items():
        if key in skipped or isinstance(value, bool) or value in ("", [], {}):
            continue
        plain = isinstance(value, str | int | float) or (
            isinstance(value, list) and all(isinstance(each, str | int | float) for each in value)
        )
        if plain:
            text = _text(value)
            words.append(text if key in ("kind", "site", "how", "hold") else f"{_head(key)} {text}")
    return ", ".join(words[:most])
