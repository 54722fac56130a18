"""The command line, over the same functions the window uses."""

from __future__ import annotations

import contextlib
import signal
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import asdict
from enum import StrEnum
from pathlib import Path
from typing import Annotated, NoReturn

import typer
from numpy import float64
from numpy.typing import NDArray
from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, TextColumn, TimeRemainingColumn
from rich.progress import Progress as Bar
from rich.table import Table

from belltone import __version__
from belltone.design.values import Design
from belltone.design.words import design_words, part_words
from belltone.exchange.frame_tables import FrameTableError, frame_sheet, read_frame_table, unit_note
from belltone.exchange.preload_tables import (
    CROSSING_COLUMNS,
    EFFECT_COLUMNS,
    LARGEST_COLUMNS,
    REACTION_COLUMNS,
    crossing_rows,
    effect_rows,
    largest_rows,
    reaction_rows,
    state_data,
    state_words,
)
from belltone.exchange.tables import (
    CONTACT_COLUMNS,
    MODE_COLUMNS,
    REFINEMENT_COLUMNS,
    as_csv,
    as_json,
    contact_rows,
    failure_lines,
    mode_rows,
    modes_data,
    part_rows,
    percent,
    refinement_data,
    refinement_rows,
    sweep_data,
    sweep_rows,
)
from belltone.files import FileError, read_text, same_file, write_text
from belltone.mesh.discretisation import Discretisation
from belltone.mesh.triangles import OutlineError
from belltone.modes.mass_properties import mass_properties, part_masses
from belltone.modes.modeset import ModeSet
from belltone.modes.refine import refine
from belltone.modes.solve import (
    AccuracyError,
    ModeRequest,
    request_for,
    solve_modes,
)
from belltone.progress import Cancelled, Progress
from belltone.reading.evaluate import evaluate
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import MOST_BYTES, Sheet, read_sheet, write_sheet
from belltone.sheet.errors import SheetError
from belltone.sheet.part_models import MeshPart
from belltone.sheet.plain import PlainValueError, plain_value
from belltone.sheet.units import DIMENSIONS, format_number
from belltone.store.failures import record_failure
from belltone.store.results import ResultStore, result_key, store_path
from belltone.sweep.plan import PlanError, parse_plan
from belltone.sweep.runner import SweepError, run_sweep
from belltone.sweep.work import start_workers
from belltone.system.assembly import Assembly, bodies_of
from belltone.system.contacts import contacts
from belltone.system.factor import solver_name
from belltone.system.joints import JointError
from belltone.tune.clear import band_visits, clear_intervals
from belltone.tune.effect import effects
from belltone.tune.reach import ReachError, reach
from belltone.tune.speed_diagram import speed_diagram

__all__ = ["app", "main"]

app = typer.Typer(
    help="Tune the natural frequencies of a component until every excitation band is clear.",
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    context_settings={"help_option_names": ["-h", "--help"]},
)

_BAD_INPUT = (
    SheetError,
    PlainValueError,
    PlanError,
    ReachError,
    SweepError,
    AccuracyError,
    JointError,
    OutlineError,
)


_COARSE = Discretisation(1, 3)
_INTERRUPTED = 130  # what a shell reports for a program ended by Ctrl+C


class Format(StrEnum):
    """How results are written."""

    TABLE = "table"
    CSV = "csv"
    JSON = "json"


SheetPath = Annotated[Path, typer.Argument(metavar="SHEET", help="The sheet, a TOML file.")]
Settings = Annotated[
    list[str] | None,
    typer.Option("--set", metavar="KNOB=VALUE", help="Set a knob, such as “wall=2 mm”."),
]
FormatOption = Annotated[Format, typer.Option("--format", help="How to write the result.")]
Output = Annotated[
    Path | None, typer.Option("-o", "--output", metavar="FILE", help="Write here instead.")
]


def main() -> None:
    """Run the command line: exit code 0 good, 1 bad input with one message, 2 usage."""
    before = signal.signal(signal.SIGINT, _interrupt)
    try:
        app()
    except (KeyboardInterrupt, _Interrupted):
        _fail("stopped; everything finished so far is kept", _INTERRUPTED)
    except _BAD_INPUT as error:
        _fail(str(error))
    except Cancelled:
        _fail("stopped; everything finished so far is kept", _INTERRUPTED)
    except BrokenPipeError:
        # The reader went away (a pager was closed); nothing is left to say, and nowhere to say it.
        sys.stderr.close()
        sys.exit(0)
    except OSError as error:
        _fail(f"{error.filename or 'a file'}: {error.strerror or error}")
    except Exception as error:
        _fail(record_failure(error))
    finally:
        signal.signal(signal.SIGINT, before)


class _Interrupted(BaseException):
    """Ctrl+C; of a kind of its own, since the command line's library ends on the usual one."""


def _interrupt(_signal: int, _frame: object) -> None:
    raise _Interrupted


def _fail(message: str, code: int = 1) -> NoReturn:
    print(f"belltone: {message}", file=sys.stderr)
    sys.exit(code)


@app.callback(invoke_without_command=True)
def _version(
    version: Annotated[bool, typer.Option("--version", help="Print the version.")] = False,
) -> None:
    if version:
        print(f"belltone {__version__}")
        raise typer.Exit


@app.command()
def check(sheet: SheetPath) -> None:
    """Read a sheet and say what is wrong, or what looks odd, without solving anything."""
    design = evaluate(read_sheet(sheet))
    _warn(design)
    whole = mass_properties(design)
    if design.joints:
        Assembly(design, _COARSE)  # raises where a joint finds nothing to join; makes no matrices
    print(
        f"{sheet}: good. {design_words(design)}, "
        f"{format_number(whole.mass, 4)} kg in all; {_count(len(design.supports), 'support')}, "
        f"{_count(len(design.bands), 'excitation band')}, {_count(len(design.knobs), 'knob')}."
    )


@app.command()
def summary(sheet: SheetPath, settings: Settings = None) -> None:
    """Say how large the problem is: mass, centre, inertia, unknowns, motions left free."""
    source, chosen_settings = _set(read_sheet(sheet), settings)
    design = evaluate(source, chosen_settings)
    _warn(design)
    whole = mass_properties(design)
    started = time.perf_counter()
    with _progress("solving") as progress:
        found = solve_modes(design, request_for(design), progress=progress)
    seconds = time.perf_counter() - started
    elements = sum(len(body.mesh.connectivity) for body in bodies_of(design, found.discretisation))
    rows: list[tuple[str, ...]] = [
        ("mass", f"{format_number(whole.mass)} kg"),
        ("centre x y z", _triple(1e3 * whole.centre, "mm")),
        ("inertia about the centre x y z", _triple(whole.inertia.diagonal(), "kg m²")),
    ]
    masses = part_masses(design)
    rows += [
        (f"part {part.name}", f"{part_words(part)}, {format_number(masses[part.name])} kg")
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
    text = _table(("of", "value"), rows)
    if len(design.solid_parts) > 1:
        touching = contact_rows(contacts(design))
        if touching:
            text += _table(CONTACT_COLUMNS, touching)
        came = sum(joint.implied for joint in design.joints)
        if came:
            text += f"{came} joints come with frames, ribs and linked points.\n"
    _write(text, None)


@app.command("refine")
def refine_command(
    sheet: SheetPath,
    settings: Settings = None,
    form: FormatOption = Format.TABLE,
    output: Output = None,
) -> None:
    """Solve again on twice the divisions and hold every frequency against the first."""
    design = evaluate(_read(sheet, output), _settings(settings))
    _warn(design)
    with _progress("refining") as progress:
        found = refine(design, request_for(design), progress)
    if form is Format.JSON:
        _write(as_json(refinement_data(found)), output)
    elif form is Format.CSV:
        _write(as_csv(REFINEMENT_COLUMNS, refinement_rows(found)), output)
    else:
        note = "Every change is within the error stated.\n"
        if not found.within_estimates:
            note = "Some changes are beyond the error stated; ask for a finer accuracy.\n"
        _write(_table(REFINEMENT_COLUMNS, refinement_rows(found)) + note, output)


@app.command()
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
        bool, typer.Option("--parts", help="Tell each mode's strain energy by part.")
    ] = False,
    without_preload: Annotated[
        bool, typer.Option("--without-preload", help="As if nothing loaded the component.")
    ] = False,
    form: FormatOption = Format.TABLE,
    output: Output = None,
) -> None:
    """Solve for natural frequencies, each with its kind and its error."""
    source, chosen = _set(_read(sheet, output), settings)
    if without_preload:
        source = source.without_preload()
    design = evaluate(source, chosen)
    _warn(design)
    request = request_for(design)
    limit = _frequency(up_to) if up_to is not None else None
    start = _frequency(above) if above is not None else None
    if start is not None and limit is not None and not start < limit:
        _fail("the window must end above its start: “--to” is not above “--from”", 2)
    if start is not None:
        request = ModeRequest(count or design.count, limit, design.accuracy, start)
    elif count is not None or limit is not None:
        request = ModeRequest(count or 1, limit, design.accuracy)
    with ResultStore(store_path(sheet), _note) as store:
        found = _solved(source, chosen, request, store)
    if limit is not None:
        keep = int((found.flexible <= limit).sum())
        found = found.limited(min(keep, count) if count is not None else keep)
    elif count is not None:
        found = found.limited(count)
    if parts and form is not Format.JSON:
        columns, shares = part_rows(found)
        written = as_csv if form is Format.CSV else _table
        _write(written(columns, shares), output)
    elif form is Format.JSON:
        _write(as_json(modes_data(found, design)), output)
    elif form is Format.CSV:
        _write(as_csv(MODE_COLUMNS, mode_rows(found, design)), output)
    else:
        notes = _mode_notes(found, request.accuracy)
        _write(_table(MODE_COLUMNS, mode_rows(found, design)) + notes, output)


@app.command()
def sweep(
    sheet: SheetPath,
    over: Annotated[
        list[str],
        typer.Option(
            "--over", metavar="KNOB=START:STOP:POINTS", help="Such as “wall=2 mm:6 mm:41”."
        ),
    ],
    form: FormatOption = Format.TABLE,
    output: Output = None,
) -> None:
    """Sweep a knob: branches, bands met, and the knob's clear intervals."""
    if len(over) > 1:
        raise typer.BadParameter("one knob at a time is swept so far", param_hint="--over")
    source = _read(sheet, output)
    design = evaluate(source)
    _warn(design)
    plan = parse_plan(over[0], design)
    with (
        ResultStore(store_path(sheet), _note) as store,
        _progress(f"sweep of {plan.knob}") as progress,
        start_workers() as workers,
    ):
        done = run_sweep(source, plan, workers, store, progress)
        intervals = clear_intervals(done, design.bands, design.margin, progress)
    visits = band_visits(done, design.bands, design.margin)
    header, rows = sweep_rows(done)
    if form is Format.JSON:
        _write(as_json(sweep_data(done, design, intervals, visits)), output)
    elif form is Format.CSV:
        _write(as_csv(header, rows), output)
    else:
        lines = [_table(header, rows)]
        for visit in visits:
            how = "in the margin of" if visit.margin_only else "in"
            lines.append(
                f"branch {visit.branch} stands {how} “{visit.band}” from "
                f"{done.knob.text(visit.start, 4)} to {done.knob.text(visit.stop, 4)}\n"
            )
        clear = ", ".join(
            f"{done.knob.text(each.start, 5)} to {done.knob.text(each.stop, 5)}"
            for each in intervals
        )
        if design.bands:
            lines.append(f"clear intervals of {done.knob.name}: {clear or 'none'}\n")
        lines.append(f"largest error of any frequency: {percent(done.worst_error)}\n")
        lines += [f"{line}\n" for line in failure_lines(done)]
        _write("".join(lines), output)


@app.command("preload")
def preload_command(
    sheet: SheetPath,
    settings: Settings = None,
    form: FormatOption = Format.TABLE,
    output: Output = None,
) -> None:
    """Show what the preload does: state, reactions, buckling, modes with and without it."""
    source, chosen = _set(_read(sheet, output), settings)
    design = evaluate(source, chosen)
    _warn(design)
    if design.preload is None:
        raise PlanError(
            "nothing loads the component: the sheet has no preload, does not apply it, or all of "
            "it is zero"
        )
    with ResultStore(store_path(sheet), _note) as store:
        request = request_for(design)
        before = _solved(source.without_preload(), chosen, request, store)
        after = _solved(source, chosen, request, store)
    base = after.base
    assert base is not None
    changed = effects(before, after)
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
        _write(as_json(found), output)
        return
    tables = (
        (LARGEST_COLUMNS, largest_rows(base)),
        (REACTION_COLUMNS, reaction_rows(base)),
        (EFFECT_COLUMNS, effect_rows(changed)),
    )
    if form is Format.CSV:
        _write("\n".join(as_csv(header, rows) for header, rows in tables), output)
        return
    words = "".join(f"{line}\n" for line in state_words(base))
    _write(words + "\n" + "\n".join(_table(*table) for table in tables), output)


@app.command()
def speeds(sheet: SheetPath, form: FormatOption = Format.TABLE, output: Output = None) -> None:
    """Frequencies over spin speed, and every crossing with an order line."""
    source = _read(sheet, output)
    _warn(evaluate(source))
    with (
        ResultStore(store_path(sheet), _note) as store,
        _progress("speed diagram") as progress,
        start_workers() as workers,
    ):
        diagram = speed_diagram(source, workers, store, progress)
    header, rows = sweep_rows(diagram.sweep)
    if form is Format.CSV:
        _write(as_csv(header, rows), output)
    elif form is Format.JSON:
        _write(as_json({"crossings": [asdict(each) for each in diagram.crossings]}), output)
    else:
        if diagram.note:
            _note(diagram.note)
        crossings = _table(CROSSING_COLUMNS, crossing_rows(diagram))
        _write(_table(header, rows) + "\n" + crossings, output)


@app.command("reach")
def reach_command(
    sheet: SheetPath,
    mode: Annotated[int, typer.Option(min=1, metavar="N", help="The mode's number now.")],
    target: Annotated[str, typer.Option(metavar="F", help="Where it shall stand: “55 Hz”.")],
    knob: Annotated[str, typer.Option(metavar="KNOB", help="The knob to turn.")],
    tolerance: Annotated[
        str | None, typer.Option(metavar="F", help="How near is near enough (0.01 % if left out).")
    ] = None,
    write: Annotated[
        Path | None, typer.Option(metavar="FILE", help="Write the sheet with the knob set.")
    ] = None,
) -> None:
    """Find the knob value that brings a mode to a frequency."""
    source = read_sheet(sheet)
    _warn(evaluate(source))
    with (
        ResultStore(store_path(sheet), _note) as store,
        _progress(f"reach with {knob}") as progress,
        start_workers() as workers,
    ):
        found = reach(
            source,
            mode,
            _frequency(target),
            knob,
            workers,
            None if tolerance is None else _frequency(tolerance),
            store=store,
            progress=progress,
        )
    print(
        f"{knob} = {found.text}: mode {mode} stands at {format_number(found.frequency, 7)} Hz"
        + (f" (as mode {found.number})" if found.number != mode else "")
    )
    if found.others:
        print("also at " + ", ".join(found.knob.text(value) for value in found.others))
    if write is not None:
        write_sheet(found.sheet, write)
        print(f"written to {write}")


@app.command()
def frame(
    table: Annotated[
        Path,
        typer.Argument(metavar="TABLE", help="Nodes (name, x, y, z) and members."),
    ],
    output: Output = None,
) -> None:
    """Make a sheet of a frame from a table of nodes and members (CSV)."""
    _may_write(output, [table])
    try:
        text = read_text(table, MOST_BYTES, "a table of nodes and members")
        frame_table = read_frame_table(text)
        if unit_note(frame_table):
            _note(unit_note(frame_table))
        sheet = Sheet.from_text(frame_sheet(frame_table, table.stem))
    except FileError as error:
        _fail(str(error))
    except FrameTableError as error:
        _fail(f"{table}: {error}")
    _write(sheet.text, output)


@app.command()
def desk(
    sheet: Annotated[
        Path | None, typer.Argument(metavar="[SHEET]", help="A sheet to open.")
    ] = None,
) -> None:
    """Open the window."""
    _open_window(sheet)


@app.command()
def demo(
    picture: Annotated[
        Path | None,
        typer.Option(metavar="FILE", help="No window: print the frequencies, draw it to a PNG."),
    ] = None,
) -> None:
    """Open the window with the demo sheet, the infeed rail of a bottling line."""
    path = demo_sheet()
    if picture is None:
        _open_window(path)
        return
    design = evaluate(read_sheet(path))
    found = solve_modes(design, request_for(design))
    notes = _mode_notes(found, design.accuracy)
    _write(_table(MODE_COLUMNS, mode_rows(found, design)) + notes, None)
    from belltone.desk.app import draw_picture  # the window's libraries load only when needed

    draw_picture(path, picture)
    print(f"the window's picture is in {picture}")


def _open_window(path: Path | None) -> None:
    from belltone.desk.app import run_desk  # the window's libraries load only when needed

    raise typer.Exit(run_desk(path))


def _read(path: Path, output: Path | None) -> Sheet:
    """A sheet, after a look whether the output may be written without replacing an input."""
    source = read_sheet(path)
    meshes = [
        source.file(part.file)
        for part in source.content.parts.values()
        if isinstance(part, MeshPart)
    ]
    _may_write(output, [path, *meshes, store_path(path)])
    return source


def _may_write(output: Path | None, inputs: list[Path]) -> None:
    if output is None:
        return
    if not output.resolve().parent.is_dir():
        _fail(f"“{output}” cannot be written: there is no folder “{output.parent}”")
    if output.is_dir():
        _fail(f"“{output}” cannot be written: it is a folder")
    for each in inputs:
        if same_file(output, each):
            _fail(f"“{output}” would replace “{each}”, which is read here; write somewhere else")


def _count(number: int, what: str) -> str:
    return f"{number} {what}" if number == 1 else f"{number} {what}s"


def _note(text: str) -> None:
    print(f"belltone: note: {text}", file=sys.stderr)


def _settings(texts: list[str] | None) -> dict[str, str]:
    settings: dict[str, str] = {}
    for text in texts or []:
        name, sign, value = text.partition("=")
        if not sign or not name.strip() or not value.strip():
            raise typer.BadParameter(
                f"“{text}” is not KNOB=VALUE, such as “wall=2 mm”", param_hint="--set"
            )
        settings[name.strip()] = value.strip()
    return settings


def _set(sheet: Sheet, texts: list[str] | None) -> tuple[Sheet, dict[str, str]]:
    """The sheet and the knobs set; “scale” without a knob of that name is the preload's."""
    settings = _settings(texts)
    if "scale" in settings and "scale" not in sheet.content.knobs and sheet.content.preload:
        sheet = sheet.with_value(("preload", "scale"), settings.pop("scale"))
    return sheet, settings


def _solved(
    sheet: Sheet, settings: dict[str, str], request: ModeRequest, store: ResultStore
) -> ModeSet:
    """The modes of a sheet, from the store where they are known."""
    key = result_key(sheet, settings, request, None)
    found = store.get(key)
    if found is None:
        with _progress("solving") as progress:
            found = solve_modes(evaluate(sheet, settings), request, progress=progress)
        store.put(key, found)
    return found


def _frequency(text: str) -> float:
    frequency = plain_value(text, DIMENSIONS["frequency"])
    if not frequency > 0:
        raise PlainValueError(f"“{text}”: a frequency above 0 Hz is needed")
    return frequency


def _triple(values: NDArray[float64], unit: str) -> str:
    return "  ".join(format_number(float(value), 5) for value in values) + f" {unit}"


def _warn(design: Design) -> None:
    for warning in design.warnings:
        _note(str(warning))


def _mode_notes(found: ModeSet, accuracy: float) -> str:
    worst = float(found.errors.max(initial=0.0))
    short = ""
    if worst > accuracy:
        short = (
            f"The largest error stated is {percent(worst)}, more than the {percent(accuracy)} "
            "asked for: a received mesh is as accurate as it was made, and divisions stated by "
            "hand as they allow.\n"
        )
    if found.complete and not len(found.flexible):
        return (
            f"none, proved by a count; {found.rigid_count} rigid modes, {found.skipped} flexible "
            "ones below\n"
        )
    proof = {
        True: "A count of eigenvalues proves that none is missing.",
        False: "A count of eigenvalues says that some are missing.",
        None: "No count of eigenvalues could be made.",
    }[found.complete]
    return (
        f"{len(found.flexible)} flexible modes, {found.rigid_count} rigid; "
        f"{format_number(found.mass, 5)} kg; {found.unknowns} unknowns. {proof}\n{short}"
    )


def _table(header: tuple[str, ...], rows: list[tuple[str, ...]]) -> str:
    table = Table(box=None, pad_edge=False, header_style="bold")
    for column in header:
        words = column in ("kind", "excitation", "of", "value")
        table.add_column(column, justify="left" if words else "right", no_wrap=True)
    for row in rows:
        table.add_row(*row)
    # As wide as the numbers need, whatever the terminal: a cut number is a wrong number.
    console = Console(width=10_000, color_system=None, highlight=False)
    with console.capture() as capture:
        console.print(table)
    return "".join(f"{line.rstrip()}\n" for line in capture.get().splitlines())


def _write(text: str, output: Path | None) -> None:
    if output is None:
        sys.stdout.write(text)
    else:
        write_text(text, output)


@contextlib.contextmanager
def _progress(title: str) -> Iterator[Progress]:
    """Show progress on standard error, on a terminal only; Ctrl+C stops the work in order."""
    try:
        with _progress_bar(title) as progress:
            yield progress
    except (KeyboardInterrupt, _Interrupted):
        raise Cancelled from None


@contextlib.contextmanager
def _progress_bar(title: str) -> Iterator[Progress]:
    console = Console(stderr=True)
    if not console.is_terminal:
        yield Progress(herald=_note)
        return
    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn())
    with Bar(*columns, TimeRemainingColumn(), console=console, transient=True) as bar:
        task = bar.add_task(title, total=None)
        listener: Callable[[int, int, str], None] = lambda done, total, text: bar.update(  # noqa: E731
            task, completed=done, total=total or None
        )
        yield Progress(listener, lambda text: bar.console.print(f"belltone: note: {text}"))
