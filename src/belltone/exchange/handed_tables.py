"""Everything of a sheet that is a table, with numbers as numbers: to workbooks, CSV, clipboard."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Final, Literal, get_args

import numpy as np

from belltone.compare.among import among
from belltone.compare.likeness import Side
from belltone.design.values import BandValue, Design
from belltone.exchange.compare_tables import among_table
from belltone.exchange.sweep_tables import Cell, DesignTable, Head
from belltone.exchange.tables import as_csv, standing_text
from belltone.exchange.workbooks import as_workbook_of
from belltone.files import write_bytes, write_text
from belltone.modes.modeset import ModeSet
from belltone.tune.bands import mode_standing
from belltone.tune.plane import Plane, least_margins
from belltone.tune.speed_diagram import SpeedDiagram
from belltone.tune.tolerances import Tolerances

__all__ = [
    "TABLES",
    "TableName",
    "as_tab_text",
    "as_tables_csv",
    "as_tables_workbook",
    "comparison_table",
    "crossing_table",
    "mode_table",
    "plane_table",
    "spread_table",
    "write_tables",
]

TableName = Literal["modes", "one knob", "two knobs", "comparison", "crossings", "tolerances"]
TABLES: Final[tuple[TableName, ...]] = get_args(TableName)

_HZ: Final = "Hz"


def mode_table(modes: ModeSet, design: Design) -> DesignTable:
    """A row for each flexible mode; equal ones have a row each."""
    heads = (
        Head("mode", "", "input"),
        Head("frequency", _HZ, "frequency"),
        Head("angular frequency", "rad/s", "output"),
        Head("speed", "rpm", "output"),
        Head("period", "ms", "output"),
        Head("error", "%", "output"),
        Head("kind", "", "output"),
        Head("nearest band", "", "output"),
        Head("from it", "%", "output"),
        Head("stands", "", "output"),
        *(Head(f"effective mass {axis}", "kg", "output") for axis in "xyz"),
        *(Head(f"strain energy in {name}", "%", "output") for name in modes.part_names),
    )
    rows: list[tuple[Cell, ...]] = []
    for at, mode in enumerate(modes.modes()):
        if mode.rigid:
            continue
        standing = mode_standing(mode, design)
        near = standing is not None and np.isfinite(standing.separation)
        rows.append(
            (
                float(mode.number),
                mode.frequency,
                mode.angular,
                mode.rpm,
                1e3 * mode.period,
                100 * mode.error,
                mode.kind,
                standing.band.name if standing is not None and near else "",
                100 * standing.separation if standing is not None and near else None,
                standing_text(standing),
                *mode.effective_mass,
                *(100 * float(share) for share in modes.held.part_strain[at]),
            )
        )
    return DesignTable(heads, tuple(rows))


def plane_table(plane: Plane, design: Design, bands: Sequence[BandValue]) -> DesignTable:
    """A row for each design of a map of two knobs."""
    knobs = [design.knobs[name] for name in plane.knobs]
    count = plane.frequencies.shape[2]
    heads = (
        *(Head(knob.name, knob.unit, "input") for knob in knobs),
        Head("least margin", "%", "output"),
        *(Head(f"frequency {number}", _HZ, "frequency") for number in range(1, count + 1)),
    )
    margins = least_margins(plane, bands)
    rows: list[tuple[Cell, ...]] = []
    for row, second in enumerate(plane.up):
        for column, first in enumerate(plane.across):
            margin = 100 * float(margins[row, column])
            frequencies = map(float, plane.frequencies[row, column])
            rows.append(
                (
                    float(first / knobs[0].scale),
                    float(second / knobs[1].scale),
                    margin if np.isfinite(margin) else None,
                    *(own if np.isfinite(own) else None for own in frequencies),
                )
            )
    return DesignTable(heads, tuple(rows))


def comparison_table(own: Side, variants: Sequence[Side]) -> DesignTable:
    """Every mode of a design and its partners in the variants."""
    return among_table(among([own, *variants]))


def crossing_table(diagram: SpeedDiagram) -> DesignTable:
    """A row for each crossing of an order and a track."""
    heads = (
        Head("speed", "rpm", "input"),
        Head("order", "", "input"),
        Head("frequency", _HZ, "frequency"),
        Head("track", "", "output"),
        Head("kind", "", "output"),
        Head("from the stated speed", "%", "output"),
    )
    rows = tuple(
        (
            each.speed,
            each.order,
            each.frequency,
            " and ".join(map(str, each.tracks)),
            each.kind,
            None if each.margin is None else 100 * each.margin,
        )
        for each in diagram.crossings
    )
    return DesignTable(heads, rows)


def spread_table(found: Tolerances) -> DesignTable:
    """A row for each mode over all designs within tolerances."""
    heads = (
        Head("mode", "", "input"),
        Head("kind", "", "output"),
        *(
            Head(name, _HZ, "frequency")
            for name in ("as drawn", "mean", "deviation", "99 % from", "99 % to")
        ),
        *(Head(f"variance by {knob.name}", "%", "output") for knob in found.knobs),
    )
    rows: tuple[tuple[Cell, ...], ...] = tuple(
        (
            float(each.number),
            each.kind,
            each.nominal,
            each.mean,
            each.deviation,
            each.low,
            each.high,
            *(100 * share for share in each.total.values()),
        )
        for each in found.spreads
    )
    return DesignTable(heads, rows)


def as_tables_workbook(tables: Mapping[str, DesignTable]) -> bytes:
    """One workbook, a sheet for each table."""
    return as_workbook_of([(name, table.heads, table.rows) for name, table in tables.items()])


def as_tables_csv(tables: Mapping[str, DesignTable]) -> str:
    """Tables one below the other, each under its name where there are several."""
    if len(tables) == 1:
        (table,) = tables.values()
        return as_csv(table.heads, table.texts)
    return "\n".join(
        f"{name}\n{as_csv(table.heads, table.texts)}" for name, table in tables.items()
    )


def write_tables(tables: Mapping[str, DesignTable], path: Path) -> None:
    """Write tables as CSV or, whatever else the ending says, a workbook; raises ``OSError``."""
    if path.suffix.lower() == ".csv":
        write_text(as_tables_csv(tables), path)
    else:
        write_bytes(as_tables_workbook(tables), path)


def as_tab_text(tables: Mapping[str, DesignTable]) -> str:
    """Tables as a spreadsheet takes them from the clipboard: cells parted by tabs."""
    parts = []
    for name, table in tables.items():
        lines = ["\t".join(row) for row in (table.heads, *table.texts)]
        parts.append("\n".join(lines if len(tables) == 1 else [name, *lines]))
    return "\n\n".join(parts) + "\n"
