"""What the commands read: sheets, knobs set, frequencies, answers already known."""

from __future__ import annotations

import tomllib
from dataclasses import replace
from pathlib import Path
from typing import Any

import typer

from belltone.cli.messages import fail
from belltone.cli.waiting import progress_shown
from belltone.exchange.inputs import inputs_of
from belltone.files import same_file
from belltone.modes.modeset import ModeSet
from belltone.modes.solve import ModeRequest, solve_modes
from belltone.progress import Cancelled
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet, read_sheet
from belltone.sheet.plain import PlainValueError, plain_value
from belltone.sheet.units import DIMENSIONS
from belltone.store.known import known_or_solved
from belltone.store.results import ResultStore, result_key


def read_input(path: Path, output: Path | None) -> Sheet:
    """A sheet, after a look whether the output may be written without replacing an input."""
    source = read_sheet(path)
    may_write(output, inputs_of(path, source))
    return source


def may_write(output: Path | None, inputs: list[Path]) -> None:
    """End the program where the output would replace what is read, or cannot be written."""
    if output is None:
        return
    if not output.resolve().parent.is_dir():
        fail(f"“{output}” cannot be written: there is no folder “{output.parent}”")
    if output.is_dir():
        fail(f"“{output}” cannot be written: it is a folder")
    for each in inputs:
        if same_file(output, each):
            fail(f"“{output}” would replace “{each}”, which is read here; write somewhere else")


def settings_of(texts: list[str] | None) -> dict[str, str]:
    """The knobs set, by name."""
    settings: dict[str, str] = {}
    for text in texts or []:
        name, sign, value = text.partition("=")
        if not sign or not name.strip() or not value.strip():
            raise typer.BadParameter(
                f"“{text}” is not KNOB=VALUE, such as “wall=2 mm”", param_hint="--set"
            )
        settings[name.strip()] = value.strip()
    return settings


def set_knobs(sheet: Sheet, texts: list[str] | None) -> tuple[Sheet, dict[str, str]]:
    """The sheet and the knobs set; “scale” without a knob of that name is the preload's."""
    settings = settings_of(texts)
    if "scale" in settings and "scale" not in sheet.content.knobs and sheet.content.preload:
        sheet = sheet.with_value(("preload", "scale"), settings.pop("scale"))
    return sheet, settings


def set_places(sheet: Sheet, texts: list[str] | None) -> Sheet:
    """The sheet with knobs set, and whatever else is named by its place with points between."""
    values: dict[tuple[str | int, ...], Any] = {}
    for name, text in settings_of(texts).items():
        if name in sheet.content.knobs:
            values["knobs", name, "value"] = text
            continue
        path = tuple(int(step) if step.isdigit() else step for step in name.split("."))
        if len(path) < 2 or sheet.value(path[:-1]) is None:
            knobs = ", ".join(f"“{knob}”" for knob in sheet.content.knobs) or "none"
            raise typer.BadParameter(
                f"“{name}” is neither a knob (there are: {knobs}) nor a place in the sheet, such "
                "as “parts.bar.material”"
            )
        values[path] = _plain(text)
    return sheet.with_values(values) if values else sheet


def _plain(text: str) -> Any:
    """A value as a sheet holds it: true and false, whole numbers and lists as such."""
    try:
        found = tomllib.loads(f"value = {text}")["value"]
    except tomllib.TOMLDecodeError:
        return text
    return found if isinstance(found, bool | int | list) else text


def solved(
    sheet: Sheet, settings: dict[str, str], request: ModeRequest, store: ResultStore
) -> ModeSet:
    """The modes of a sheet, from the store where they are known."""
    with progress_shown("solving") as progress:
        return known_or_solved(sheet, settings, request, store, progress)


def first_look(
    sheet: Sheet, settings: dict[str, str], request: ModeRequest, store: ResultStore
) -> tuple[ModeSet, bool]:
    """The first modes worth looking at, with their own errors, and whether these are the last."""
    known = store.get(result_key(sheet, settings, request, None))
    if known is not None:
        return known, True
    seen: list[ModeSet] = []
    with progress_shown("first look") as progress:

        def look(found: ModeSet) -> None:
            seen.append(found)
            progress.cancel()

        watching = replace(progress, viewer=look)
        try:
            return solve_modes(evaluate(sheet, settings), request, progress=watching), True
        except Cancelled:
            if not seen:
                raise
    return seen[0], False


def frequency(text: str) -> float:
    """A frequency in Hz."""
    frequency = plain_value(text, DIMENSIONS["frequency"])
    if not frequency > 0:
        raise PlainValueError(f"“{text}”: a frequency above 0 Hz is needed")
    return frequency


def share(text: str) -> float:
    """A share such as “0.1 %”, above zero and below one."""
    found = plain_value(text, DIMENSIONS["share"])
    if not 0 < found < 1:
        raise PlainValueError(f"“{text}”: a share above 0 % and below 100 % is needed")
    return found
