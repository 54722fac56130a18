"""What loads do: the preload, and spin."""

from __future__ import annotations

from dataclasses import asdict

from belltone.cli.inputs import read_input, set_knobs, share, solved
from belltone.cli.messages import note, warn
from belltone.cli.options import (
    ErrorOption,
    ExactOption,
    Format,
    FormatOption,
    Output,
    Settings,
    SheetPath,
)
from belltone.cli.output import table, write
from belltone.cli.waiting import progress_shown
from belltone.compare.likeness import Side
from belltone.compare.matched import compare
from belltone.exchange.preload_tables import (
    LARGEST_COLUMNS,
    REACTION_COLUMNS,
    crossing_columns,
    crossing_rows,
    effect_columns,
    effect_rows,
    largest_rows,
    reaction_rows,
    state_data,
    state_words,
)
from belltone.exchange.sweep_tables import survey_table
from belltone.exchange.tables import as_csv, as_json
from belltone.modes.solve import request_for
from belltone.reading.family import evaluate
from belltone.store.results import ResultStore, store_path
from belltone.sweep.plan import PlanError
from belltone.sweep.pool import start_workers
from belltone.tune.speed_diagram import speed_diagram


def preload_command(
    sheet: SheetPath,
    settings: Settings = None,
    form: FormatOption = Format.TABLE,
    output: Output = None,
) -> None:
    """Show what the preload does: state, reactions, buckling, modes with and without it."""
    source, chosen = set_knobs(read_input(sheet, output), settings)
    design = evaluate(source, chosen)
    warn(design)
    if design.preload is None:
        raise PlanError(
            "nothing loads the component: the sheet has no preload, does not apply it, or all of "
            "it is zero"
        )
    with ResultStore(store_path(sheet), note) as store:
        request = request_for(design)
        before = solved(source.without_preload(), chosen, request, store)
        after = solved(source, chosen, request, store)
    base = after.base
    assert base is not None
    bare = Side("without preload", design, before)
    changed = compare(bare, Side("with preload", design, after)).matches
    if form is Format.JSON:
        found = state_data(base) | {
            "modes": [
                {
                    "mode": each.number,
                    "without_Hz": each.before,
                    "mode_with_preload": each.number_after,
                    "with_preload_Hz": each.after,
                }
                for each in changed
            ]
        }
        write(as_json(found), output)
        return
    tables = (
        (LARGEST_COLUMNS, largest_rows(base)),
        (REACTION_COLUMNS, reaction_rows(base)),
        (effect_columns(), effect_rows(changed)),
    )
    if form is Format.CSV:
        write("\n".join(as_csv(header, rows) for header, rows in tables), output)
        return
    words = "".join(f"{line}\n" for line in state_words(base))
    write(words + "\n" + "\n".join(table(*each) for each in tables), output)


def speeds(
    sheet: SheetPath,
    error: ErrorOption = "0.1 %",
    exact: ExactOption = False,
    form: FormatOption = Format.TABLE,
    output: Output = None,
) -> None:
    """Frequencies over spin speed, and every crossing with an order line.

    Many speeds are read off a model of a few solutions where it is within the error allowed.
    """
    source = read_input(sheet, output)
    bound = None if exact else share(error)
    warn(evaluate(source))
    with (
        ResultStore(store_path(sheet), note) as store,
        start_workers() as workers,
        progress_shown("speed diagram") as progress,
    ):
        diagram = speed_diagram(source, workers, store, progress, bound)
    found = survey_table(diagram.survey, ())
    header, rows = found.heads, found.texts
    if form is Format.CSV:
        write(as_csv(header, rows), output)
    elif form is Format.JSON:
        write(as_json({"crossings": [asdict(each) for each in diagram.crossings]}), output)
    else:
        if diagram.note:
            note(diagram.note)
        crossings = table(crossing_columns(), crossing_rows(diagram))
        write(table(header, rows) + "\n" + crossings, output)
