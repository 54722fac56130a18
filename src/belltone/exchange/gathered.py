"""What is handed over of a sheet: its answers, found or read from the store, and its tables."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass, field
from pathlib import Path
from typing import Final

from belltone.compare.differs import Difference, differences
from belltone.compare.likeness import Side
from belltone.compare.variants import read_variants, variants_path
from belltone.design.values import Design, KnobValue
from belltone.errors import UserError
from belltone.exchange.handed_tables import (
    TABLES,
    TableName,
    comparison_table,
    crossing_table,
    mode_table,
    plane_table,
    spread_table,
)
from belltone.exchange.sweep_tables import DesignTable, sweep_table
from belltone.modes.modeset import ModeSet
from belltone.modes.solve import request_for
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.sheet.model import REPORT_PARTS, ReportPart
from belltone.store.known import known_or_solved
from belltone.store.results import ResultStore
from belltone.sweep.models import model_of
from belltone.sweep.plan import SweepPlan, default_plan
from belltone.sweep.runner import Sweep, run_sweep
from belltone.tune.clear import ClearInterval, clear_intervals
from belltone.tune.clearing import clear
from belltone.tune.outputs import usual
from belltone.tune.plane import Plane, planes
from belltone.tune.proposals import Cleared
from belltone.tune.speed_diagram import speed_diagram
from belltone.tune.tolerances import Tolerances, tolerances

__all__ = [
    "SLOW",
    "Gathered",
    "ReportError",
    "gather",
    "held",
    "solved",
    "tables_held",
    "tables_of",
    "usual_parts",
]

SLOW: Final[Mapping[ReportPart, str]] = {
    "two knobs": "a model of both knobs: half a minute to minutes for walls",
    "proposal": "a search over all knobs: a minute or more",
    "tolerances": "a model of all knobs with tolerances: a minute or more",
}
"""What is not in a report unless it is asked for, and what it takes."""

_AS_PARTS: Final[Mapping[TableName, ReportPart]] = {
    "one knob": "one knob",
    "two knobs": "two knobs",
    "comparison": "variants",
    "tolerances": "tolerances",
}
"""Tables of what a report holds too."""

_BOUND: Final = 1e-3  # of the sweep's model
_PLANE_BOUND: Final = 2e-3
_POINTS: Final = 41
_LARGE: Final = 10  # times the work of an answer whose shape must be followed first
_QUICK: Final = 4_000  # unknowns; models of larger systems take longer than all else in a report


class ReportError(UserError):
    """A report that cannot be made as asked."""


@dataclass(frozen=True, eq=False)
class Gathered:
    """Everything a report may tell; what it does not hold was not asked for or is not there."""

    sheet: Sheet
    path: Path | None
    design: Design
    modes: ModeSet
    parts: tuple[ReportPart, ...]
    bare: ModeSet | None = None
    sweep: Sweep | None = None
    intervals: tuple[ClearInterval, ...] = ()
    plane: Plane | None = None
    variants: tuple[Side, ...] = ()
    differ: tuple[tuple[Difference, ...], ...] = ()
    cleared: Cleared | None = None
    tolerances: Tolerances | None = None
    notes: tuple[str, ...] = field(default=())


def held(sheet: Sheet, design: Design, pinned: bool) -> tuple[ReportPart, ...]:
    """The parts a report of a sheet may hold, in order."""
    knobs = len(sheet.content.report.knobs or _literal(design))
    there: dict[ReportPart, bool] = {
        "one knob": knobs > 0,
        "two knobs": knobs > 1 and bool(design.bands),
        "variants": pinned,
        "preload": design.preload is not None,
        "measured": sheet.content.measured is not None,
        "proposal": bool(design.knobs) and bool(design.bands or design.targets),
        "tolerances": any(knob.spread is not None for knob in design.knobs.values()),
    }
    return tuple(part for part in REPORT_PARTS if there.get(part, True))


def usual_parts(sheet: Sheet, design: Design, pinned: bool) -> tuple[ReportPart, ...]:
    """What a report holds: as the sheet says, else all that is there and quickly found."""
    possible = held(sheet, design, pinned)
    asked = sheet.content.report.contents
    if asked is None:
        return tuple(part for part in possible if part not in SLOW)
    return tuple(part for part in possible if part in asked)


def gather(
    sheet: Sheet,
    path: Path | None,
    parts: Sequence[ReportPart],
    workers: Executor,
    store: ResultStore,
    progress: Progress,
    variants: Sequence[str] | None = None,
    quick: bool = False,
) -> Gathered:
    """Find what the parts of a report need; answers known are read from the store.

    ``variants`` are names of pinned ones. A ``quick`` one leaves out maps of large systems, whose
    models take minutes, and notes it. Raises what solving and sweeping raise, `ReportError`,
    and ``Cancelled``.
    """
    design = evaluate(sheet)
    for part in parts:
        if part in SLOW:
            progress.announce(f"“{part}” takes {SLOW[part]}")
    modes = solved(sheet, design, store, progress)
    found: dict[str, object] = {}
    notes: list[str] = []
    if "preload" in parts and design.preload is not None:
        bare = sheet.without_preload()
        found["bare"] = solved(bare, evaluate(bare), store, progress)
    if "variants" in parts and path is not None:
        found |= _variants(sheet, path, variants, store, progress)
    knobs = _knobs(sheet, design)
    large = design.preload is not None and design.preload.large
    if "one knob" in parts and quick and modes.unknowns * (_LARGE if large else 1) > _QUICK:
        parts = [part for part in parts if part != "one knob"]
        notes.append(
            "the frequencies over a knob: what takes as long is found when it is asked for"
        )
    if "one knob" in parts and knobs:
        sweep = run_sweep(sheet, _plan(knobs[0]), workers, store, progress, _BOUND)
        found["sweep"] = sweep
        bands = design.bands, design.margin
        found["intervals"] = tuple(clear_intervals(sweep, *bands, workers, progress))
    if "two knobs" in parts:
        if len(knobs) > 1:
            found["plane"] = _plane(sheet, design, knobs, modes, store, progress)
        else:
            notes.append("frequencies over two knobs: there are not two")
    if "proposal" in parts:
        found["cleared"] = clear(sheet, _literal(design), store=store, progress=progress)
    if "tolerances" in parts:
        found["tolerances"] = tolerances(sheet, store=store, progress=progress)
    return Gathered(
        sheet,
        path,
        design,
        modes,
        tuple(part for part in REPORT_PARTS if part in parts),
        notes=tuple(notes),
        **found,  # type: ignore[arg-type]
    )


def tables_held(sheet: Sheet, design: Design, pinned: bool) -> tuple[TableName, ...]:
    """The tables there are of a sheet, in order."""
    possible = held(sheet, design, pinned)
    turning = design.preload is not None and design.preload.spin is not None
    there = {name: part in possible for name, part in _AS_PARTS.items()} | {"crossings": turning}
    return tuple(name for name in TABLES if there.get(name, True))


def tables_of(
    sheet: Sheet,
    path: Path | None,
    names: Sequence[TableName],
    workers: Executor,
    store: ResultStore,
    progress: Progress,
) -> dict[str, DesignTable]:
    """The tables of a sheet by their names, in order; what there is none of is left out.

    Raises `ReportError` before anything is solved where none is left, and what `gather` raises.
    """
    pinned = path is not None and bool(read_variants(variants_path(path)))
    there = [name for name in tables_held(sheet, evaluate(sheet), pinned) if name in names]
    if not there:
        raise ReportError("none of these tables has anything in it")
    asked = [_AS_PARTS[name] for name in there if name in _AS_PARTS]
    found = gather(sheet, path, asked, workers, store, progress)
    design = found.design
    tables: dict[str, DesignTable] = {}
    for name in there:
        if name == "modes":
            tables[name] = mode_table(found.modes, design)
        elif name == "one knob" and found.sweep is not None:
            tables[name] = sweep_table(found.sweep, usual(design, modelled=True))
        elif name == "two knobs" and found.plane is not None:
            tables[name] = plane_table(found.plane, design, design.bands)
        elif name == "comparison" and found.variants:
            own = Side("this design", design, found.modes)
            tables[name] = comparison_table(own, found.variants)
        elif name == "tolerances" and found.tolerances is not None:
            tables[name] = spread_table(found.tolerances)
        elif name == "crossings":
            tables[name] = crossing_table(speed_diagram(sheet, workers, store, progress))
    return tables


def solved(sheet: Sheet, design: Design, store: ResultStore, progress: Progress) -> ModeSet:
    """The modes of a sheet, which comes to this design, from the store where they are known."""
    return known_or_solved(sheet, {}, request_for(design), store, progress)


def _knobs(sheet: Sheet, design: Design) -> list[KnobValue]:
    """The knobs of maps: as the sheet says, else those whose value is a plain one, in order."""
    named = sheet.content.report.knobs
    for name in named:
        if name not in design.knobs:
            known = ", ".join(f"“{each}”" for each in design.knobs) or "none"
            raise ReportError(f"report · knobs: there is no knob “{name}”; there are: {known}")
    return [design.knobs[name] for name in named or _literal(design)]


def _literal(design: Design) -> list[str]:
    return [name for name, knob in design.knobs.items() if knob.literal]


def _plan(knob: KnobValue) -> SweepPlan:
    """The knob over its range, or at all values it can be had at."""
    allowed = knob.allowed()
    return SweepPlan(knob.name, allowed) if len(allowed) > 1 else default_plan(knob, _POINTS)


def _plane(
    sheet: Sheet,
    design: Design,
    knobs: Sequence[KnobValue],
    modes: ModeSet,
    store: ResultStore,
    progress: Progress,
) -> Plane:
    ends = {
        knob.name: (knob.range[0] * knob.scale, knob.range[1] * knob.scale) for knob in knobs[:2]
    }
    request = request_for(design)
    model = model_of(sheet, ends, request, modes.discretisation, _PLANE_BOUND, store, progress)
    return list(planes(model, progress))[-1]


def _variants(
    sheet: Sheet,
    path: Path,
    names: Sequence[str] | None,
    store: ResultStore,
    progress: Progress,
) -> dict[str, object]:
    known = {each.name: each for each in read_variants(variants_path(path))}
    wanted = names if names is not None else sheet.content.report.variants
    for name in wanted or ():
        if name not in known:
            there = ", ".join(f"“{each}”" for each in known) or "none"
            raise ReportError(f"there is no variant “{name}”; there are: {there}")
    sides, differ = [], []
    for name in known if wanted is None else wanted:
        other = known[name].sheet(sheet.folder)
        design = evaluate(other)
        sides.append(Side(name, design, solved(other, design, store, progress)))
        differ.append(differences(sheet, other))
    return {"variants": tuple(sides), "differ": tuple(differ)}
