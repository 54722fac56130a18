"""Designs side by side, as rows of text and as data."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any, Final

from belltone.compare.among import Among, Row, standing_words
from belltone.compare.differs import Difference
from belltone.compare.likeness import Side
from belltone.compare.matched import Comparison, Match
from belltone.exchange.sweep_tables import Cell, DesignTable, Head
from belltone.exchange.tables import kinds_text, numbers_text, percent
from belltone.sheet.shown_units import AS_TYPED, ShownUnits
from belltone.sheet.units import format_number

__all__ = [
    "MATCH_COLUMNS",
    "among_columns",
    "among_data",
    "among_rows",
    "among_table",
    "assurance_rows",
    "change_text",
    "comparison_data",
    "match_rows",
    "match_table",
    "variant_columns",
    "variant_row",
]

MATCH_COLUMNS: Final = (
    "mode",
    "frequency (Hz)",
    "is now mode",
    "at (Hz)",
    "change",
    "change (Hz)",
    "alike",
    "what becomes of it",
    "kind",
)


def change_text(match: Match) -> str:
    """The change of a frequency in percent, with its sign."""
    return "" if match.change is None else f"{100 * match.change:+.3g} %"


def match_rows(comparison: Comparison) -> list[tuple[str, ...]]:
    """One row for each entry of `Comparison.entries`, under `MATCH_COLUMNS`: a pair is one."""
    return [
        (
            _numbers([each.number for each in entry]),
            _hertz(entry[0].before),
            _numbers([each.number_after for each in entry]),
            _hertz(entry[0].after),
            change_text(entry[0]),
            "" if entry[0].difference is None else f"{entry[0].difference:+.4g}",
            f"{100 * _least(entry):.0f} %" if entry[0].paired else "",
            _words(entry),
            _kinds(entry),
        )
        for entry in comparison.entries
    ]


def _numbers(numbers: Sequence[int | None]) -> str:
    known = sorted(each for each in numbers if each is not None)
    return numbers_text(known) if known else ""


def _least(entry: Sequence[Match]) -> float:
    return min(each.assurance for each in entry)


def _words(entry: Sequence[Match]) -> str:
    """What becomes of modes that are told as one."""
    first = entry[0]
    if len(entry) == 1 or first.change is None:
        return first.words
    before, after = (
        _numbers(own)
        for own in ([each.number for each in entry], [each.number_after for each in entry])
    )
    return first.verb if before == after else f"{first.verb}, now modes {after}"


def _kinds(entry: Sequence[Match]) -> str:
    return kinds_text([each.kind or each.kind_after for each in entry])


def assurance_rows(comparison: Comparison) -> tuple[tuple[str, ...], list[tuple[str, ...]]]:
    """Heads and rows of modal assurances (0 to 1): modes of the first by those of the second."""
    first, second = comparison.first.modes, comparison.second.modes
    heads = ("mode", *(str(second.skipped + n + 1) for n in range(len(second.flexible))))
    rows = [
        (str(first.skipped + place + 1), *(f"{value:.2f}" for value in row))
        for place, row in enumerate(comparison.assurance)
    ]
    return heads, rows


def comparison_data(comparison: Comparison, differ: Sequence[Difference]) -> dict[str, Any]:
    """Two designs as plain data for JSON."""
    return {
        "first": comparison.first.name,
        "second": comparison.second.name,
        "differences": [_difference_data(each) for each in differ],
        "modes": [_match_data(each) for each in comparison.matches],
        "modal_assurance": [[round(float(v), 6) for v in row] for row in comparison.assurance],
    }


def _difference_data(each: Difference) -> dict[str, Any]:
    return {
        "what": each.what,
        "first": each.before,
        "second": each.after,
        "path": ".".join(map(str, each.path)),
    }


def _match_data(each: Match) -> dict[str, Any]:
    return {
        "mode": each.number,
        "frequency_Hz": each.before,
        "kind": each.kind or None,
        "second_mode": each.number_after,
        "second_frequency_Hz": each.after,
        "second_kind": each.kind_after or None,
        "change": each.change,
        "modal_assurance": each.assurance if each.paired else None,
        "words": each.words,
    }


def among_columns(found: Among) -> tuple[str, ...]:
    """Heads of a table of modes times designs."""
    first, *others = found.sides
    return (
        "mode",
        f"{first.name} (Hz)",
        *(head for side in others for head in (f"{side.name} (Hz)", "mode ", "change")),
        "kind",
    )


def among_rows(found: Among, by_change: bool = False) -> list[tuple[str, ...]]:
    """One row for each entry of `Among.entries`, under `among_columns`: a pair is one."""
    entries = found.entries
    if by_change:
        entries = tuple(sorted(entries, key=lambda entry: -entry[0].largest_change))
    return [
        (
            _numbers([row.number for row in entry]),
            _hertz(entry[0].frequency),
            *(text for at in range(len(found.sides) - 1) for text in _cell(_those(entry, at))),
            kinds_text([row.kind for row in entry]),
        )
        for entry in entries
    ]


def _those(entry: Sequence[Row], at: int) -> list[Match]:
    """What modes told as one become in one of the others; nothing where they are not known."""
    return [match for row in entry if (match := row.matches[at]) is not None]


def _cell(matches: Sequence[Match]) -> tuple[str, str, str]:
    if not matches:
        return "none", "", ""
    numbers = _numbers([each.number_after for each in matches])
    return _hertz(matches[0].after), numbers, change_text(matches[0])


def among_data(found: Among, differ: Sequence[Sequence[Difference]]) -> dict[str, Any]:
    """Several designs as plain data for JSON."""
    return {
        "designs": [side.name for side in found.sides],
        "differences": [[_difference_data(each) for each in own] for own in differ],
        "modes": [
            {
                "mode": row.number,
                "frequency_Hz": row.frequency,
                "kind": row.kind,
                "others": [None if each is None else _match_data(each) for each in row.matches],
            }
            for row in found.rows
        ],
    }


def variant_columns(units: ShownUnits = AS_TYPED) -> tuple[str, ...]:
    """Heads of a table of variants."""
    return ("variant", "differs by", units.head("mass", "mass"), "verdict", "least margin")


def variant_row(side: Side, differ: str, units: ShownUnits = AS_TYPED) -> tuple[str, ...]:
    """One design, under `variant_columns`."""
    words, least = standing_words(side)
    margin = "" if least is None else f"{'−' if least < 0 else ''}{percent(abs(least))}"
    return (side.name, differ, units.number(side.modes.mass, "mass", 5), words, margin)


def _hertz(value: float | None) -> str:
    return "" if value is None else format_number(value)


def match_table(comparison: Comparison) -> DesignTable:
    """Both designs as a table whose numbers are numbers, a row for each entry: a pair is one."""
    heads = (
        Head("mode", "", "output"),
        Head("from", "Hz", "output"),
        Head("now", "", "output"),
        Head("to", "Hz", "output"),
        Head("change", "%", "output"),
        Head("what becomes of it", "", "note"),
        Head("alike", "%", "output"),
        Head("change ", "Hz", "output"),
        Head("kind", "", "note"),
    )
    rows: list[tuple[Cell, ...]] = [
        (
            _mode([each.number for each in entry]),
            entry[0].before,
            _mode([each.number_after for each in entry]),
            entry[0].after,
            _rounded(entry[0].change, 100, 4),
            _words(entry),
            _rounded(_least(entry), 100, 3) if entry[0].paired else None,
            _rounded(entry[0].difference, 1, 4),
            _kinds(entry),
        )
        for entry in comparison.entries
    ]
    return DesignTable(heads, tuple(rows))


def among_table(found: Among) -> DesignTable:
    """Modes times designs as a table whose numbers are numbers."""
    first, *others = found.sides
    heads = [Head("mode", "", "output"), Head(first.name, "Hz", "output")]
    for side in others:
        heads += [
            Head(side.name, "Hz", "output"),
            Head(f"{side.name}, mode", "", "output"),
            Head(f"{side.name}, change", "%", "output"),
        ]
    heads += [Head("largest change", "%", "output"), Head("kind", "", "note")]
    rows: list[tuple[Cell, ...]] = []
    for entry in found.entries:
        cells: list[Cell] = [_mode([row.number for row in entry]), entry[0].frequency]
        for at in range(len(others)):
            matches = _those(entry, at)
            if not matches:
                cells += [None, None, None]
            else:
                change = _rounded(matches[0].change, 100, 4)
                numbers = _mode([each.number_after for each in matches])
                cells += [matches[0].after, numbers, change]
        largest = entry[0].largest_change
        kind = kinds_text([row.kind for row in entry])
        cells += [_rounded(largest, 100, 4) if math.isfinite(largest) else None, kind]
        rows.append(tuple(cells))
    return DesignTable(tuple(heads), tuple(rows))


def _mode(numbers: Sequence[int | None]) -> Cell:
    """The number of a mode, or in words those of modes told as one."""
    if len(numbers) == 1:
        return None if numbers[0] is None else float(numbers[0])
    return _numbers(numbers)


def _rounded(value: float | None, times: float, digits: int) -> float | None:
    return None if value is None else float(f"{times * value:.{digits}g}")
