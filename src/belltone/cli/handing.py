"""What is handed over: shapes, states, surfaces, outlines and matrices as files."""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path
from typing import Annotated, Final

import numpy as np
import typer
from numpy.typing import NDArray

from belltone.cli.inputs import inputs_of, may_write, read_input, set_places, solved
from belltone.cli.messages import fail, note, warn
from belltone.cli.options import Settings, SheetPath
from belltone.cli.waiting import progress_shown
from belltone.design.values import Design
from belltone.errors import UserError
from belltone.modes.solve import request_for
from belltone.reading.family import DesignFamily, evaluate
from belltone.sheet.document import Sheet
from belltone.store.results import ResultStore, store_path

_ENDINGS: Final = {
    "shapes": (".vtu", ".pvd", ".unv"),
    "state": (".vtu",),
    "surface": (".vtu", ".stl", ".ply", ".obj"),
    "outline": (".dxf",),
    "matrices": (".mtx",),
}


class What(StrEnum):
    """What can be written to a file."""

    SHAPES = "shapes"
    STATE = "state"
    SURFACE = "surface"
    OUTLINE = "outline"
    MATRICES = "matrices"


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
    if ending not in _ENDINGS[what]:
        fail(
            f"“{output}” does not say how to write {what.value}: its ending must be "
            f"{' or '.join(_ENDINGS[what])}"
        )
    if (over is not None) != (ending == ".pvd"):
        fail("shapes along a sweep need “--over KNOB=START:STOP:POINTS” and a file “….pvd”")
    if sites and ending != ".unv":
        fail("“--at” chooses points of a “….unv” file; the other files tell all points")
    design = evaluate(source)
    warn(design)
    for file in _write(what, source, design, sheet, output, unit, sites, over):
        print(f"wrote {file}")


def _write(
    what: What,
    source: Sheet,
    design: Design,
    sheet: Path,
    output: Path,
    unit: Unit,
    sites: list[str] | None,
    over: str | None,
) -> list[Path]:
    # Each loads libraries of its own.
    if what is What.SURFACE:
        from belltone.exchange.grids import write_surface_grid
        from belltone.exchange.surfaces import write_surface

        if output.suffix.lower() == ".vtu":
            write_surface_grid(design, output)
        else:
            write_surface(design, output, unit.value)
        return [output]
    if what is What.OUTLINE:
        from belltone.exchange.surfaces import write_outline

        write_outline(design, output, unit.value)
        return [output]
    if over is not None:
        return _series(source, design, sheet, output, over)
    with ResultStore(store_path(sheet), note) as store:
        found = solved(source, {}, request_for(design), store)
    if what is What.MATRICES:
        from belltone.exchange.matrices import matrix_files, write_matrices

        for file in matrix_files(output):
            may_write(file, inputs_of(sheet, source))
        with progress_shown("matrices") as progress:
            return write_matrices(design, found.discretisation, output, progress)
    if what is What.STATE:
        from belltone.exchange.grids import write_state

        if found.base is None:
            raise UserError("nothing loads the component, so there is no loaded state to write")
        write_state(design, found, found.base, output)
    elif output.suffix.lower() == ".unv":
        from belltone.compare.likeness import Side
        from belltone.compare.measured import modes_at
        from belltone.exchange.universal import write_universal

        write_universal(
            modes_at(Side(sheet.stem, design, found), _positions(design, sites)), output
        )
    else:
        from belltone.exchange.grids import write_shapes

        write_shapes(design, found, output)
    return [output]


def _positions(design: Design, sites: list[str] | None) -> NDArray[np.float64] | None:
    """Where the sites named are; all points where none is."""
    if not sites:
        return None
    from belltone.system.kinds import location

    unknown = [site for site in sites if site not in design.places]
    if unknown:
        known = ", ".join(f"“{name}”" for name in design.places)
        raise UserError(f"“{unknown[0]}” is no site of this sheet; there are {known}")
    return np.array([location(design, design.places[site]) for site in sites])


def _series(source: Sheet, design: Design, sheet: Path, output: Path, over: str) -> list[Path]:
    from belltone.exchange.grids import series_files, write_shape_series
    from belltone.sweep.plan import parse_plan
    from belltone.sweep.pool import start_workers
    from belltone.sweep.runner import run_sweep

    plan = parse_plan(over, design)
    with (
        ResultStore(store_path(sheet), note) as store,
        start_workers() as workers,
        progress_shown(f"shapes over {plan.knob}") as progress,
    ):
        found = run_sweep(source, plan, workers, store, progress)
    for file in series_files(output, len(found.values)):
        may_write(file, inputs_of(sheet, source))
    family = DesignFamily(source)
    designs = [family.at(found.knob.turned(float(value))) for value in found.values]
    return write_shape_series(found, designs, output)
