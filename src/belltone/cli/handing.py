"""What is handed over: shapes, states, surfaces, outlines and matrices as files."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from enum import StrEnum
from pathlib import Path
from typing import Annotated, get_args

import typer

from belltone.cli.inputs import read_input, set_places
from belltone.cli.messages import fail, note, warn
from belltone.cli.options import Settings, SheetPath
from belltone.cli.waiting import progress_shown
from belltone.exchange import handed
from belltone.exchange.inputs import inputs_of
from belltone.reading.family import evaluate
from belltone.store.results import ResultStore, store_path
from belltone.sweep.pool import start_workers


class What(StrEnum):
    """What can be written to a file."""

    SHAPES = "shapes"
    STATE = "state"
    SURFACE = "surface"
    OUTLINE = "outline"
    MATRICES = "matrices"


assert {each.value for each in What} == set(get_args(handed.What))


class Unit(StrEnum):
    """Units of length that files for making things are in."""

    MM = "mm"
    M = "m"


def export(
    sheet: SheetPath,
    what: Annotated[
        What,
        typer.Option(
            "--what",
            help="Mode shapes (.vtu, .unv; with “--over” .pvd), the loaded state (.vtu), the "
            "surface (.vtu, .stl, .ply, .obj), the outline (.dxf) or the matrices (.mtx).",
        ),
    ],
    output: Annotated[Path, typer.Option("-o", "--output", metavar="FILE", help="Where to write.")],
    settings: Settings = None,
    unit: Annotated[
        Unit, typer.Option("--unit", help="Of lengths in .stl, .ply, .obj and .dxf.")
    ] = Unit.MM,
    sites: Annotated[
        list[str] | None,
        typer.Option("--at", metavar="SITE", help="Tell shapes in a .unv file at these sites."),
    ] = None,
    over: Annotated[
        str | None,
        typer.Option("--over", metavar="KNOB=START:STOP:POINTS", help="Shapes along a sweep."),
    ] = None,
) -> None:
    """Write a design's shapes, state, surface, outline or matrices for other programs."""
    source = set_places(read_input(sheet, output), settings)
    ending = output.suffix.lower()
    if problem := handed.wrong(what.value, output):
        fail(problem)
    if (over is not None) != (ending == ".pvd"):
        fail("shapes along a sweep need “--over KNOB=START:STOP:POINTS” and a file “….pvd”")
    if sites and ending != ".unv":
        fail("“--at” chooses points of a “….unv” file; the other files tell all points")
    warn(evaluate(source))
    with (
        ResultStore(store_path(sheet), note) as store,
        start_workers() if over else ThreadPoolExecutor(1) as workers,
        progress_shown(what.value) as progress,
    ):
        files = handed.hand_over_files(
            source,
            what.value,
            output,
            inputs_of(sheet, source),
            store,
            progress,
            workers,
            unit.value,
            sites or (),
            over or "",
        )
    for file in files:
        print(f"wrote {file}")
