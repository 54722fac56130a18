"""Hand checks as rows of text and as data."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from belltone.hand.check import HandCheck
from belltone.modes.modeset import ModeSet
from belltone.sheet.shown_units import AS_TYPED, ShownUnits

__all__ = ["hand_columns", "hand_data", "hand_rows"]

Told = tuple[tuple[HandCheck, ...], str]


def hand_columns(units: ShownUnits = AS_TYPED) -> tuple[str, ...]:
    """Heads of a table of textbook values."""
    here, by_hand = (units.head(each, "frequency") for each in ("frequency", "by hand"))
    return ("mode", here, by_hand, "difference", "formula", "source", "assumes")


def hand_rows(
    modes: ModeSet, checks: Sequence[Told], units: ShownUnits = AS_TYPED
) -> list[tuple[str, ...]]:
    """One row for each textbook value of the flexible modes, or for why there is none."""
    rows: list[tuple[str, ...]] = []
    for mode, (found, why) in zip(modes.modes(), checks, strict=True):
        if mode.rigid:
            continue
        head = str(mode.number), units.number(mode.frequency, "frequency", 7)
        rows += [
            (
                *head,
                units.number(each.frequency, "frequency", 7),
                f"{100 * each.difference:+.3g} %",
                each.formula,
                each.source,
                each.assumes,
            )
            for each in found
        ]
        if not found:
            rows.append((*head, "", "", f"none: {why}", "", ""))
    return rows


def hand_data(modes: ModeSet, checks: Sequence[Told]) -> dict[str, Any]:
    """The same as plain data for JSON."""
    return {
        "modes": [
            {
                "mode": mode.number,
                "frequency_Hz": mode.frequency,
                "by_hand": [asdict(each) for each in found],
                "none_because": why or None,
            }
            for mode, (found, why) in zip(modes.modes(), checks, strict=True)
            if not mode.rigid
        ]
    }
