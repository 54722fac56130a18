"""One design as it stands: what is wrong, how large it is, its modes, how sure they are."""

from __future__ import annotations

import time
from typing import Annotated

import typer

from belltone.cli.inputs import (
    first_look,
    frequency,
    read_input,
    set_knobs,
    settings_of,
    share,
    solved,
)
from belltone.cli.messages import fail, note, warn
from belltone.cli.options import Format, FormatOption, Output, Settings, SheetPath
from belltone.cli.output import look_notes, mode_notes, table, triple, write
from belltone.cli.waiting import progress_shown
from belltone.design.words import part_words
from belltone.exchange.energy_tables import (
    ELEMENT_COLUMNS,
    element_rows,
    elements_data,
    part_rows,
)
from belltone.exchange.hand_tables import hand_columns, hand_data, hand_rows
from belltone.exchange.tables import (
    CONTACT_COLUMNS,
    MODE_COLUMNS,
    REFINEMENT_COLUMNS,
    as_csv,
    as_json,
    contact_rows,
    mode_rows,
    modes_data,
    refinement_data,
    refinement_rows,
)
from belltone.hand.checks import hand_checks
from belltone.modes.mass_properties import mass_properties, part_masses
from belltone.modes.refine import refine
from belltone.modes.solve import ModeRequest, request_for, solve_modes
from belltone.reading.family import evaluate
from belltone.sheet.document import read_sheet
from belltone.sheet.units import format_number
from belltone.store.results import ResultStore, store_path
from belltone.system.assembly import bodies_of
from belltone.system.contacts import contacts
from belltone.system.factor import solver_name


def summary(sheet: SheetPath, settings: Settings = None) -> None:
    """Say how large the problem is: mass, centre, inertia, unknowns, motions left free."""
    source, chosen_settings = set_knobs(read_sheet(sheet), settings)
    design = evaluate(source, chosen_settings)
    warn(design)
    whole = mass_properties(design)
    started = time.perf_counter()
    with progress_shown("solving") as progress:
        found = solve_modes(design, request_for(design), progress=progress)
    seconds = time.perf_counter() - started
    elements = sum(len(body.mesh.connectivity) for body in bodies_of(design, found.discretisation))
    rows: list[tuple[str, ...]] = [
        ("mass", f"{format_number(whole.mass)} kg"),
        ("centre x y z", triple(1e3 * whole.centre, "mm")),
        ("inertia about the centre x y z", triple(whole.inertia.diagonal(), "kg m²")),
    ]
    masses = part_masses(design)
    rows += [
        (
            f"part {part.name}",
            f"{part_words(part, design.shown)}, {format_number(masses[part.name])} kg",
        )
        for part in design.solid_parts
    ]
    rows += [(f"mass {hung.name}", f"{format_number(hung.mass)} kg") for hung in design.masses]
    rows += [
        ("elements", f"{elements} of order {found.discretisation.order}"),
        ("unknowns", f"{found.unknowns}, before anything is held"),
        ("time for all modes and their errors", f"{format_number(seconds, 2)} s"),
        ("factorised by", solver_name()),
        ("rigid motions left", ", ".join(found.rigid_names) or "none"),
    ]
    text = table(("of", "value"), rows)
    if len(design.solid_parts) > 1:
        touching = contact_rows(contacts(design))
        if touching:
            text += table(CONTACT_COLUMNS, touching)
        came = sum(joint.implied for joint in design.joints)
        if came:
            text += f"{came} joints come with frames, ribs and linked points.\n"
    write(text, None)


def refine_command(
    sheet: SheetPath,
    settings: Settings = None,
    form: FormatOption = Format.TABLE,
    output: Output = None,
) -> None:
    """Solve again on twice the divisions and hold every frequency against the first."""
    design = evaluate(read_input(sheet, output), settings_of(settings))
    warn(design)
    with progress_shown("refining") as progress:
        found = refine(design, request_for(design), progress)
    if form is Format.JSON:
        write(as_json(refinement_data(found)), output)
    elif form is Format.CSV:
        write(as_csv(REFINEMENT_COLUMNS, refinement_rows(found)), output)
    else:
        note = "Every change is within the error stated.\n"
        if not found.within_estimates:
            note = "Some changes are beyond the error stated; ask for a finer accuracy.\n"
        write(table(REFINEMENT_COLUMNS, refinement_rows(found)) + note, output)


def modes(
    sheet: SheetPath,
    settings: Settings = None,
    count: Annotated[
        int | None, typer.Option(min=1, max=200, help="So many flexible modes.")
    ] = None,
    up_to: Annotated[
        str | None, typer.Option("--to", metavar="F", help="All modes up to “500 Hz”.")
    ] = None,
    above: Annotated[
        str | None,
        typer.Option("--from", metavar="F", help="Only modes above “300 Hz”, wherever that is."),
    ] = None,
    parts: Annotated[
        bool, typer.Option("--parts", help="Tell where each mode's energy is, by part.")
    ] = False,
    elements: Annotated[
        str | None,
        typer.Option(
            "--elements", metavar="SHARE", help="Tell which elements hold at least “2 %” of it."
        ),
    ] = None,
    by_hand: Annotated[
        bool, typer.Option("--by-hand", help="Hold each mode against textbook values.")
    ] = False,
    without_preload: Annotated[
        bool, typer.Option("--without-preload", help="As if nothing loaded the component.")
    ] = False,
    early: Annotated[
        bool,
        typer.Option("--first-look", help="Stop at the first modes worth looking at."),
    ] = False,
    form: FormatOption = Format.TABLE,
    output: Output = None,
) -> None:
    """Solve for natural frequencies, each with its kind and its error."""
    source, chosen = set_knobs(read_input(sheet, output), settings)
    if without_preload:
        source = source.without_preload()
    design = evaluate(source, chosen)
    warn(design)
    request = request_for(design)
    floor = share(elements) if elements is not None else None
    limit = frequency(up_to) if up_to is not None else None
    start = frequency(above) if above is not None else None
    if start is not None and limit is not None and not start < limit:
        fail("the window must end above its start: “--to” is not above “--from”", 2)
    if start is not None:
        request = ModeRequest(count or design.count, limit, design.accuracy, start)
    elif count is not None or limit is not None:
        request = ModeRequest(count or 1, limit, design.accuracy)
    last = True
    with ResultStore(store_path(sheet), note) as store:
        if early:
            found, last = first_look(source, chosen, request, store)
        else:
            found = solved(source, chosen, request, store)
    if limit is not None:
        keep = int((found.flexible <= limit).sum())
        found = found.limited(min(keep, count) if count is not None else keep)
    elif count is not None:
        found = found.limited(count)
    if by_hand:
        checks = [hand_checks(design, found, index) for index in range(len(found))]
        if form is Format.JSON:
            write(as_json(hand_data(found, checks)), output)
        else:
            written = as_csv if form is Format.CSV else table
            write(written(hand_columns(), hand_rows(found, checks)), output)
        return
    if floor is not None:
        if form is Format.JSON:
            write(as_json(elements_data(found, floor)), output)
        else:
            written = as_csv if form is Format.CSV else table
            write(written(ELEMENT_COLUMNS, element_rows(found, floor)), output)
        return
    if parts and form is not Format.JSON:
        columns, shares = part_rows(found)
        written = as_csv if form is Format.CSV else table
        write(written(columns, shares), output)
    elif form is Format.JSON:
        write(as_json(modes_data(found, design)), output)
    elif form is Format.CSV:
        write(as_csv(MODE_COLUMNS, mode_rows(found, design)), output)
    else:
        notes = mode_notes(found, request.accuracy) if last else look_notes(found)
        write(table(MODE_COLUMNS, mode_rows(found, design)) + notes, output)
