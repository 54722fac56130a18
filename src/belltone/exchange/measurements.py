"""Measured frequencies as they come: listed in a sheet, pasted, in a table, in a universal file."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path
from typing import Any, Final

import numpy as np

from belltone.compare.measured import Held, ModesAtPoints, joined
from belltone.errors import UserError
from belltone.exchange.tables import percent
from belltone.exchange.universal import read_universal
from belltone.exchange.workbooks import read_table, split_table
from belltone.sheet.document import Sheet
from belltone.sheet.plain import PlainValueError, plain_value
from belltone.sheet.shown_units import AS_TYPED, ShownUnits
from belltone.sheet.units import DIMENSIONS, UnitError

__all__ = [
    "MeasurementError",
    "held_columns",
    "held_data",
    "held_rows",
    "measured_of",
    "pasted",
    "read_measured",
    "spread_words",
]

_UNIVERSAL: Final = (".unv", ".uff")
_HEAD: Final = re.compile(r"\s*([^()\[\]]*?)\s*(?:[(\[]\s*([^()\[\]]*?)\s*[)\]])?\s*")
_MOTIONS: Final = ("motion x", "motion y", "motion z")


class MeasurementError(UserError):
    """Measured frequencies that cannot be read, in words for the user."""


def measured_of(sheet: Sheet) -> ModesAtPoints | None:
    """What a sheet says was measured: its own list, then its file.

    ``None`` where it says nothing. Raises `MeasurementError` and ``FileError``.
    """
    said = sheet.content.measured
    if said is None:
        return None
    frequencies = []
    for at, mode in enumerate(said.modes):
        try:
            frequencies.append(_hertz(mode.frequency, ""))
        except MeasurementError as error:
            raise MeasurementError(f"measured · modes {at + 1} · frequency: {error}") from error
    listed = ModesAtPoints(
        np.array(frequencies, float),
        np.zeros((0, 3)),
        np.zeros((len(frequencies), 0, 3)),
        tuple(mode.kind for mode in said.modes),
        tuple(mode.mode for mode in said.modes),
        tuple(mode.note for mode in said.modes),
    )
    if said.file is None:
        return listed
    return joined(listed, read_measured(sheet.file(said.file)))


def read_measured(path: Path) -> ModesAtPoints:
    """Measured frequencies from a universal file, a CSV file or a workbook.

    Raises `MeasurementError` and ``FileError``.
    """
    if path.suffix.lower() in _UNIVERSAL:
        return read_universal(path)
    try:
        return _from_rows(read_table(path))
    except MeasurementError as error:
        raise MeasurementError(f"“{path}”: {error}") from error


def pasted(text: str) -> ModesAtPoints:
    """Measured frequencies from text: a table with a head, or frequencies alone.

    Raises `MeasurementError` and ``FileError``.
    """
    rows = split_table(text)
    if rows and not any(isinstance(cell, str) and "freq" in cell.lower() for cell in rows[0]):
        words = re.split(r"[\n;\t]|,(?!\d)", text)
        rows = [["frequency (Hz)"], *([word.strip()] for word in words if word.strip())]
    return _from_rows(rows)


def _from_rows(rows: Sequence[Sequence[Any]]) -> ModesAtPoints:
    if len(rows) < 2:
        raise MeasurementError("there are no frequencies below a head such as “frequency (Hz)”")
    heads = [_head(cell) for cell in rows[0]]
    names = [name for name, _ in heads]
    if "frequency" not in names:
        told = ", ".join(f"“{name}”" for name in names if name) or "nothing"
        raise MeasurementError(
            f"a column “frequency (Hz)” is needed; the heads are {told}. “kind”, “mode” and “note” "
            "may stand beside it, or a point “x (mm)”, “y”, “z” with “motion x”, “motion y”, "
            "“motion z”"
        )
    if any(name in names for name in _MOTIONS):
        return _with_points(rows, heads)
    frequencies, kinds, numbers, notes = [], [], [], []
    unit = heads[names.index("frequency")][1]
    for line, row in enumerate(rows[1:], start=2):
        cells = dict(zip(names, row, strict=False))
        try:
            frequencies.append(_hertz(cells["frequency"], unit))
            numbers.append(_number(cells.get("mode")))
        except MeasurementError as error:
            raise MeasurementError(f"row {line}: {error}") from error
        kinds.append(str(cells.get("kind") or "").strip())
        notes.append(str(cells.get("note") or "").strip())
    return ModesAtPoints(
        np.array(frequencies),
        np.zeros((0, 3)),
        np.zeros((len(frequencies), 0, 3)),
        tuple(kinds),
        tuple(numbers),
        tuple(notes),
    )


def _with_points(rows: Sequence[Sequence[Any]], heads: Sequence[tuple[str, str]]) -> ModesAtPoints:
    """A row for each mode and point: the motion of the point in the mode of that frequency."""
    names = [name for name, _ in heads]
    units = dict(heads)
    if not all(axis in names for axis in "xyz"):
        raise MeasurementError("motions need their point: columns “x (mm)”, “y (mm)” and “z (mm)”")
    places: dict[tuple[float, ...], int] = {}
    modes: dict[float, dict[int, list[float]]] = {}
    for line, row in enumerate(rows[1:], start=2):
        cells = dict(zip(names, row, strict=False))
        try:
            frequency = _hertz(cells["frequency"], units["frequency"])
            unit = units["x"]
            place = tuple(_metres(cells[axis], units[axis] or unit) for axis in "xyz")
            motion = [_plain(cells.get(name)) for name in _MOTIONS]
        except MeasurementError as error:
            raise MeasurementError(f"row {line}: {error}") from error
        at = places.setdefault(place, len(places))
        modes.setdefault(frequency, {})[at] = motion
    order = sorted(modes)
    shapes = np.full((len(order), len(places), 3), np.nan)
    for shape, frequency in zip(shapes, order, strict=True):
        for at, motion in modes[frequency].items():
            shape[at] = motion
    positions = np.array(list(places), float)
    return ModesAtPoints(np.array(order), positions, shapes, ("",) * len(order))


def _head(cell: Any) -> tuple[str, str]:
    """A head's name and the unit in its brackets."""
    match = _HEAD.fullmatch(str(cell or ""))
    name, unit = (match[1].lower(), match[2] or "") if match else (str(cell).lower(), "")
    if name.startswith("freq") or name in ("f", "natural frequency"):
        name = "frequency"
    return name, unit


def _hertz(value: Any, unit: str) -> float:
    found = _measured(value, unit or "Hz", "frequency")
    if not found > 0:
        raise MeasurementError(f"“{value}” is no frequency above zero")
    return found


def _metres(value: Any, unit: str) -> float:
    if not unit and re.fullmatch(r"[+-]?[\d.,]+", str(value).strip()):
        raise MeasurementError("points need a unit in their head, such as “x (mm)”")
    return _measured(value, unit, "length")


def _measured(value: Any, unit: str, dimension: str) -> float:
    """A cell as a number in SI units; what has no unit of its own has that of its head."""
    text = str(value if value is not None else "").strip()
    if re.fullmatch(r"[+-]?(\d+,\d+|,\d+)", text):
        text = text.replace(",", ".")
    if re.fullmatch(r"[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?", text, re.IGNORECASE):
        text = f"{text} {unit}"
    try:
        return plain_value(text, DIMENSIONS[dimension])
    except (PlainValueError, UnitError) as error:
        raise MeasurementError(str(error)) from error


def _number(value: Any) -> int | None:
    text = str(value if value is not None else "").strip()
    if not text:
        return None
    try:
        number = int(float(text))
    except ValueError as error:
        raise MeasurementError(f"“{text}” is not the number of a mode") from error
    if number < 1:
        raise MeasurementError(f"“{text}” is not the number of a mode: they count from 1")
    return number


def _plain(value: Any) -> float:
    text = str(value if value is not None else "").strip()
    if not text:
        return float("nan")
    try:
        return float(text.replace(",", "."))
    except ValueError as error:
        raise MeasurementError(f"“{text}” is not a motion: relative numbers are needed") from error


def held_columns(units: ShownUnits = AS_TYPED) -> tuple[str, ...]:
    """Heads of a table of measured frequencies beside computed ones."""
    measured, computed = (units.head(each, "frequency") for each in ("measured", "computed"))
    return (measured, "mode", computed, "difference", "assurance", "kind", "note")


def held_rows(
    held: Sequence[Held], notes: Sequence[str] = (), units: ShownUnits = AS_TYPED
) -> list[tuple[str, ...]]:
    """One row of text for each measured frequency, under `held_columns`."""
    return [
        (
            units.number(each.measured, "frequency"),
            "" if each.number is None else str(each.number),
            "" if each.computed is None else units.number(each.computed, "frequency"),
            "" if each.difference is None else f"{100 * each.difference:+.3g} %",
            "" if each.assurance is None else f"{each.assurance:.2f}",
            each.kind,
            "; ".join(text for text in (notes[each.place] if notes else "", each.why) if text),
        )
        for each in held
    ]


def held_data(held: Sequence[Held]) -> list[dict[str, Any]]:
    """The same as plain data for JSON."""
    return [
        {
            "measured_hz": each.measured,
            "mode": each.number,
            "computed_hz": each.computed,
            "difference_relative": each.difference,
            "assurance": each.assurance,
            "kind": each.kind,
            "why_none": each.why or None,
        }
        for each in held
    ]


def spread_words(held: Sequence[Held]) -> str:
    """How far off the modes are altogether."""
    found = [each.difference for each in held if each.difference is not None]
    if not found:
        return "no measured frequency is that of a mode"
    root = float(np.sqrt(np.mean(np.square(found))))
    worst = max(found, key=abs)
    return (
        f"{len(found)} of {len(held)} measured frequencies are modes; computed ones are off by "
        f"{percent(root)} (root mean square), {percent(abs(worst))} at most"
    )
