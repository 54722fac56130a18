"""What was measured: held against the modes, and fitted."""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path
from typing import Annotated, get_args

import typer

from belltone.cli.inputs import may_write, read_input, set_places, share, solved
from belltone.cli.messages import fail, note, warn
from belltone.cli.options import Format, FormatOption, Output, Settings, SheetPath
from belltone.cli.output import table, write
from belltone.cli.waiting import progress_shown
from belltone.compare.fit import fit
from belltone.compare.likeness import Side
from belltone.compare.measured import MatchBy, ModesAtPoints, held_against, how_matched
from belltone.exchange.fit_tables import FIT_COLUMNS, fit_data, fit_lines, fit_rows
from belltone.exchange.inputs import inputs_of
from belltone.exchange.measurements import (
    held_columns,
    held_data,
    held_rows,
    measured_of,
    read_measured,
    spread_words,
)
from belltone.exchange.tables import as_csv, as_json
from belltone.modes.request import ModeRequest
from belltone.modes.solve import request_for
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet, write_sheet
from belltone.store.results import ResultStore, store_path


class By(StrEnum):
    """How measured frequencies are matched to modes."""

    SHAPE = "shape"
    KIND = "kind"
    ORDER = "order"


assert {each.value for each in By} == set(get_args(MatchBy))

_FILE = typer.Option(
    "--file", metavar="FILE", help="Measured: a CSV, XLSX or universal file; else the sheet's own."
)
_BY = typer.Option(
    "--match", help="How frequencies find their modes; by the most that is told if left out."
)


def measured_command(
    sheet: SheetPath,
    file: Annotated[Path | None, _FILE] = None,
    by: Annotated[By | None, _BY] = None,
    settings: Settings = None,
    form: FormatOption = Format.TABLE,
    output: Output = None,
) -> None:
    """Hold measured frequencies against the modes they are: differences, and shapes alike."""
    source = set_places(read_input(sheet, output), settings)
    told, how = _told(source, file, by, output)
    design = evaluate(source)
    warn(design)
    request = request_for(design)
    if request.above is None:
        top = 1.2 * float(told.frequencies.max(initial=0.0))
        request = ModeRequest(request.count, max(request.up_to or 0.0, top), request.accuracy)
    with ResultStore(store_path(sheet), note) as store:
        found = solved(source, {}, request, store)
    held = held_against(Side(sheet.stem, design, found), told, how)
    if form is Format.JSON:
        write(as_json({"matched_by": how, "measured": held_data(held)}), output)
    elif form is Format.CSV:
        write(as_csv(held_columns(), held_rows(held, told.notes)), output)
    else:
        lines = f"matched by {how}; {spread_words(held)}\n"
        write(table(held_columns(), held_rows(held, told.notes)) + lines, output)


def fit_command(
    sheet: SheetPath,
    knobs: Annotated[
        list[str], typer.Option("--knob", metavar="KNOB", help="May be turned; may be given again.")
    ],
    file: Annotated[Path | None, _FILE] = None,
    by: Annotated[By | None, _BY] = None,
    within: Annotated[
        str,
        typer.Option(
            "--within", metavar="SHARE", help="How exactly it was measured: one deviation."
        ),
    ] = "0.5 %",
    settings: Settings = None,
    written: Annotated[
        Path | None, typer.Option("--write", metavar="FILE", help="Write the sheet fitted.")
    ] = None,
    form: FormatOption = Format.TABLE,
    output: Output = None,
) -> None:
    """Turn knobs as little as brings the modes to where they were measured."""
    source = set_places(read_input(sheet, output), settings)
    may_write(written, [path for path in inputs_of(sheet, source) if path != sheet])
    told, how = _told(source, file, by, output)
    warn(evaluate(source))
    with progress_shown(f"fit {', '.join(knobs)}") as progress:
        found = fit(source, told, knobs, share(within), how, progress)
    if form is Format.JSON:
        write(as_json(fit_data(found)), output)
    elif form is Format.CSV:
        write(as_csv(FIT_COLUMNS, fit_rows(found)), output)
    else:
        text = table(FIT_COLUMNS, fit_rows(found)) + "\n"
        text += table(held_columns(), held_rows(found.after, told.notes))
        write(text + "".join(f"{line}\n" for line in fit_lines(found)), output)
    if written is not None:
        write_sheet(found.sheet, written)
        print(f"written to {written}")


def _told(
    source: Sheet, file: Path | None, by: By | None, output: Path | None
) -> tuple[ModesAtPoints, MatchBy]:
    """What was measured, and how it is matched."""
    if file is not None:
        may_write(output, [file])
    told = measured_of(source) if file is None else read_measured(file)
    if told is None or not len(told):
        fail(
            "nothing was measured: give “--file FILE”, or list it in the sheet, "
            "“[[measured.modes]] frequency = "
            '"41.3 Hz"”'
        )
    said = source.content.measured
    asked: MatchBy | None = by.value if by is not None else None
    if asked is None and file is None and said is not None:
        asked = said.match
    return told, how_matched(told, asked)
