"""Plans: a grid of knobs, knobs in step, speeds of a spin, or a table of designs."""

from __future__ import annotations

import itertools
import math
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.preload import RPM, SpinValue
from belltone.design.values import Design, KnobValue
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.sweep.plan import PlanError, SweepPlan, read_knob_value, read_values, turnable

__all__ = [
    "MOST_DESIGNS",
    "SLOWEST",
    "SPEED",
    "Column",
    "Plan",
    "grid_plan",
    "speed_plan",
    "step_plan",
    "table_plan",
    "usual_speeds",
    "with_knobs",
]

SPEED: Final = ("preload", "spin", "speed")

MOST_DESIGNS: Final = 10_000
_MOST_KNOBS: Final = 3  # in a grid
_MOST_COMPARED: Final = 2_000  # rows of a table; more are neighbours as they stand
_HEAD: Final = re.compile(r"\s*(.+?)\s*(?:\(([^()]*)\))?\s*")
SLOWEST: Final = 1e-3  # of the fastest
_SPEEDS: Final = 13
_OTHER: Final = 2.0  # how far apart choices are, where a knob's whole range is 1


@dataclass(frozen=True)
class Column:
    """What a plan changes: a knob, in its ``unit``, or whatever stands at a ``path`` of a sheet.

    What stands there may be turned as well: by a ``knob`` of that name, from what is ``stated``.
    """

    name: str
    unit: str = ""
    path: Path | None = None
    knob: str = ""
    stated: str = ""

    @property
    def turns(self) -> bool:
        """Whether it is a number to be turned, and no other choice."""
        return self.path is None or bool(self.knob)


@dataclass(frozen=True)
class Plan:
    """Designs to be looked at: ``rows`` of values under ``columns``.

    Knobs have numbers in their unit, other columns what the sheet shall say. ``shape`` is that of
    a grid, rows of the last knob running fastest; ``(rows,)`` where they follow one another, and
    ``()`` for a table in no order.
    """

    columns: tuple[Column, ...]
    rows: tuple[tuple[Any, ...], ...]
    shape: tuple[int, ...]

    def __len__(self) -> int:
        return len(self.rows)

    @property
    def one_sheet(self) -> bool:
        """Whether only numbers are turned."""
        return all(column.turns for column in self.columns)

    @property
    def is_grid(self) -> bool:
        """Whether each knob takes its values with every value of the others."""
        return bool(self.shape) and len(self.shape) == len(self.columns)

    @property
    def corners(self) -> tuple[int, ...]:
        """The rows at the ends of every knob, and of a table those with the ends of any."""
        if not self.shape:
            knobs = [at for at, column in enumerate(self.columns) if column.turns]
            numbers = range(len(self))
            ends = [
                end(numbers, key=lambda row: self.rows[row][at])
                for at in knobs
                for end in (min, max)
            ]
            return tuple(sorted(set(ends))) or (0,)
        grid = np.arange(len(self)).reshape(self.shape)
        corners = itertools.product(*((0, -1) for _ in self.shape))
        return tuple(sorted({int(grid[at]) for at in corners}))

    @property
    def middle(self) -> int:
        """The row in the middle."""
        numbers = np.arange(len(self)).reshape(self.shape or (-1,))
        return int(numbers[tuple(size // 2 for size in numbers.shape)])

    def edges(self) -> tuple[tuple[int, int], ...]:
        """Pairs of rows that are neighbours: in a grid along each knob, else the nearest ones."""
        if self.shape:
            numbers = np.arange(len(self)).reshape(self.shape)
            return tuple(
                (int(before), int(after))
                for axis in range(len(self.shape))
                for before, after in zip(
                    np.moveaxis(numbers, axis, 0)[:-1].ravel(),
                    np.moveaxis(numbers, axis, 0)[1:].ravel(),
                    strict=True,
                )
            )
        if len(self) > _MOST_COMPARED:
            return tuple((row, row + 1) for row in range(len(self) - 1))
        apart = self._apart()
        # Distances of next to nothing count as no link; as much more for all changes no tree.
        tree = scipy.sparse.csgraph.minimum_spanning_tree(apart + 1.0).tocoo()
        return tuple(
            sorted((int(min(i, j)), int(max(i, j))) for i, j in zip(*tree.coords, strict=True))
        )

    def _apart(self) -> NDArray[np.float64]:
        """How far each two rows are apart, every knob over its range and choices alike or not."""
        apart = np.zeros((len(self), len(self)))
        for number, column in enumerate(self.columns):
            values = [row[number] for row in self.rows]
            if column.turns:
                own = np.array(values, float)
                width = float(np.ptp(own)) or 1.0
                apart += (np.subtract.outer(own, own) / width) ** 2
            else:
                kinds = np.array([values.index(value) for value in values])
                apart += _OTHER**2 * (kinds[:, None] != kinds[None, :])
        return np.sqrt(apart)

    def cells(self) -> Iterator[tuple[int, int, int, int]]:
        """The smallest loops of a grid, four rows each in order round it."""
        if len(self.shape) < 2:
            return
        numbers = np.arange(len(self)).reshape(self.shape)
        for first, second in itertools.combinations(range(len(self.shape)), 2):
            plane = np.moveaxis(numbers, (first, second), (0, 1))
            around = plane[:-1, :-1], plane[1:, :-1], plane[1:, 1:], plane[:-1, 1:]
            for a, b, c, d in zip(*(own.ravel() for own in around), strict=True):
                yield int(a), int(b), int(c), int(d)


def grid_plan(parts: Sequence[SweepPlan], design: Design) -> Plan:
    """Every value of each knob with every value of the others; raises `PlanError`."""
    columns = _columns(parts, design)
    if len(parts) > _MOST_KNOBS:
        raise PlanError(
            f"a grid of {len(parts)} knobs has too many designs; take up to {_MOST_KNOBS}, or "
            "write a table of the designs you mean"
        )
    shape = tuple(len(part.values) for part in parts)
    count = math.prod(shape)
    if count > MOST_DESIGNS:
        raise PlanError(f"the grid has {count} designs, more than {MOST_DESIGNS}; take fewer")
    return Plan(columns, tuple(itertools.product(*(part.values for part in parts))), shape)


def step_plan(parts: Sequence[SweepPlan], design: Design) -> Plan:
    """The first value of each knob, then the second of each, and so on; raises `PlanError`."""
    columns = _columns(parts, design)
    counts = {len(part.values) for part in parts}
    if len(counts) > 1:
        told = ", ".join(f"“{part.knob}” {len(part.values)}" for part in parts)
        raise PlanError(f"knobs in step need as many values each; there are of {told}")
    rows = tuple(zip(*(part.values for part in parts), strict=True))
    return Plan(columns, rows, (len(rows),))


def speed_plan(sheet: Sheet, design: Design, text: str = "") -> Plan:
    """A component over speeds of its spin, in order; raises `PlanError`.

    Without a ``text``, which is read as the values of a knob are, those the sheet states, or from
    rest to twice its own.
    """
    column, knob, spin = _speed(sheet, design)
    values = read_values(knob, text or usual_speeds(spin))
    if values[0] < 0:
        raise PlanError("a speed must not be negative; turn the axis of the spin round")
    # A component that stands still does not whirl, and its modes are other ones.
    least = SLOWEST * max(values)
    return Plan((column,), tuple((max(value, least),) for value in values), (len(values),))


def usual_speeds(spin: SpinValue) -> str:
    """The speeds of a plan that is told none, as `speed_plan` reads them."""
    low, high = (speed / RPM for speed in spin.speeds or (0.0, 2 * spin.speed))
    return f"{low:.7g} rpm : {high:.7g} rpm : {_SPEEDS}"


def _speed(sheet: Sheet, design: Design) -> tuple[Column, KnobValue, SpinValue]:
    """What sets the speed of the spin: a knob if the sheet has one for it."""
    stated = sheet.content.preload
    if stated is None or stated.spin is None:
        raise PlanError("a speed diagram needs a spin: state one under “preload”")
    if design.preload is None or design.preload.spin is None:
        raise PlanError("the preload is not applied, or its spin stands still; there is no diagram")
    text = str(stated.spin.speed)
    if text in design.knobs and design.knobs[text].literal:
        return Column(text, design.knobs[text].unit), design.knobs[text], design.preload.spin
    name = "spin_speed"
    while name in design.knobs:
        name += "_"
    now = f"{design.preload.spin.speed / RPM!r} rpm"
    column = Column("spin speed", "rpm", SPEED, name, now)
    knob = evaluate(with_knobs(sheet, (column,))).knobs[name]
    return column, knob, design.preload.spin


def with_knobs(sheet: Sheet, columns: Sequence[Column]) -> Sheet:
    """The sheet with a knob for each number that columns turn and no knob is set by."""
    texts: dict[Path, Any] = {}
    for column in columns:
        if column.path is not None and column.knob:
            texts[("knobs", column.knob)] = {"value": column.stated}
            texts[column.path] = column.knob
    return sheet.with_values(texts) if texts else sheet


def _columns(parts: Sequence[SweepPlan], design: Design) -> tuple[Column, ...]:
    names = [part.knob for part in parts]
    for name in names:
        if names.count(name) > 1:
            raise PlanError(f"“{name}” is swept twice")
    return tuple(Column(name, design.knobs[name].unit) for name in names)


def table_plan(table: Sequence[Sequence[Any]], sheet: Sheet, design: Design) -> Plan:
    """The designs of a table whose first row heads its columns; raises `PlanError`.

    A head is the name of a knob, with a unit in brackets if it is not the knob's, or the place of
    anything else in the sheet with a point between its steps, such as ``parts.bar.material``.
    """
    rows = [list(row) for row in table]
    if len(rows) < 2:
        raise PlanError("the table needs a row of heads and at least one design below it")
    if len(rows) - 1 > MOST_DESIGNS:
        raise PlanError(f"the table has {len(rows) - 1} designs, more than {MOST_DESIGNS}")
    heads = ["" if head is None else str(head) for head in rows[0]]
    columns = [_column(head, sheet, design) for head in heads]
    names = [column.name for column, _ in columns]
    for name in names:
        if names.count(name) > 1:
            raise PlanError(f"the table has two columns “{name}”")
    found = []
    for number, row in enumerate(rows[1:], start=2):
        if len(row) != len(columns):
            raise PlanError(f"row {number} of the table has {len(row)} cells, not {len(columns)}")
        found.append(
            tuple(
                _cell(cell, column, unit, number, design)
                for cell, (column, unit) in zip(row, columns, strict=True)
            )
        )
    return Plan(tuple(column for column, _ in columns), tuple(found), ())


def _column(head: str, sheet: Sheet, design: Design) -> tuple[Column, str]:
    """The column, and the unit of its bare numbers."""
    matched = _HEAD.fullmatch(head)
    if matched is None:
        raise PlanError("a column of the table has no head")
    name, unit = matched.group(1), (matched.group(2) or "").strip()
    if name in design.knobs:
        knob = turnable(design, name)
        return Column(name, knob.unit), unit or knob.unit
    path: Path = tuple(int(step) if step.isdigit() else step for step in name.split("."))
    if len(path) < 2:
        turnable(design, name)  # says which knobs there are
    if sheet.value(path[:-1]) is None:
        place = ".".join(map(str, path[:-1]))
        raise PlanError(f"column “{name}”: the sheet has nothing at “{place}”")
    return Column(name, unit, path), unit


def _cell(cell: Any, column: Column, unit: str, number: int, design: Design) -> Any:
    text = "" if cell is None else str(cell).strip()
    if not text:
        raise PlanError(f"row {number} of the table has nothing under “{column.name}”")
    bare = re.fullmatch(r"[-+]?[\d.]+([eE][-+]?\d+)?", text) is not None
    if column.path is None:
        told = f"{text} {unit}" if bare and unit else text
        try:
            return read_knob_value(design.knobs[column.name], told)
        except PlanError as error:
            raise PlanError(f"row {number} of the table: {error}") from error
    if bare and unit:
        return f"{text} {unit}"
    if isinstance(cell, bool | int) or text.lower() in ("true", "false"):
        return text.lower() == "true" if text.lower() in ("true", "false") else cell
    return text
