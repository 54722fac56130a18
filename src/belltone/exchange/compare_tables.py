"""Designs side by side, as rows of text and as data."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any, Final

from belltone.compare.among import Among, standing_words
from belltone.compare.differs import Difference
from belltone.compare.likeness import Side
from belltone.compare.matched import Comparison, Match
from belltone.exchange.sweep_tables import Cell, DesignTable, Head
from belltone.exchange.tables import percent
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
    """One row for each mode of either design, under `MATCH_COLUMNS`."""
    return [
        (
            _number(each.number),
            _hertz(each.before),
            _number(each.number_after),
            _hertz(each.after),
            change_text(each),
            "" if each.difference is None else f"{each.difference:+.4g}",
            f"{100 * each.assurance:.0f} %" if each.paired else "",
            each.words,
            each.kind or each.kind_after,
        )
        for each in comparison.matches
    ]


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
    """One row for each mode, under `among_columns`."""
    return [
        (
            _number(row.number),
            _hertz(row.frequency),
            *(text for match in row.matches for text in _cell(match)),
            row.kind,
        )
        for row in (found.by_change() if by_change else found.rows)
    ]


def _cell(match: Match | None) -> tuple[str, str, str]:
    if match is None:
        return "none", "", ""
    return _hertz(match.after), _number(match.number_after), change_text(match)


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


def _number(value: int | None) -> str:
    return "" if value is None else str(value)


def _hertz(value: float | None) -> str:
    return "" if value is None else format_number(value)


def match_table(comparison: Comparison) -> DesignTable:
    """Both designs as a table whose numbers are numbers, a row for each match."""
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
            _float(each.number),
            each.before,
            _float(each.number_after),
            each.after,
            _rounded(each.change, 100, 4),
            each.words,
            _rounded(each.assurance, 100, 3) if each.paired else None,
            _rounded(each.difference, 1, 4),
            each.kind or each.kind_after,
        )
        for each in comparison.matches
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
    for row in found.rows:
        cells: list[Cell] = [_float(row.number), row.frequency]
        for match in row.matches:
            if match is None:
                cells += [None, None, None]
            else:
                change = _rounded(match.change, 100, 4)
                cells += [match.after, _float(match.number_after), change]
        largest = row.largest_change
        cells += [_rounded(largest, 100, 4) if math.isfinite(largest) else None, row.kind]
        rows.append(tuple(cells))
    return DesignTable(tuple(heads), tuple(rows))


def _float(value: int | None) -> float | None:
    return None if value is None else float(value)


def _rounded(value: float | None, times: float, digits: int) -> float | None:
    return None if value is None else float(f"{times * value:.{digits}g}")
