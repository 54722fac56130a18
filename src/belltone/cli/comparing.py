"""Two designs or more side by side, and the variants of a sheet."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from belltone.cli.inputs import may_write, read_input, set_places, solved
from belltone.cli.messages import fail, note, warn
from belltone.cli.options import Format, FormatOption, Output, Settings, SheetPath
from belltone.cli.output import table, write
from belltone.compare.among import among
from belltone.compare.differs import differences, in_brief
from belltone.compare.likeness import Side
from belltone.compare.matched import compare
from belltone.compare.variants import (
    Variant,
    VariantsError,
    change_variants,
    dropped,
    pinned,
    read_variants,
    renamed,
    variants_path,
)
from belltone.exchange.compare_tables import (
    MATCH_COLUMNS,
    among_columns,
    among_data,
    among_rows,
    assurance_rows,
    comparison_data,
    match_rows,
    variant_columns,
    variant_row,
)
from belltone.exchange.tables import as_csv, as_json
from belltone.modes.solve import request_for
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet, read_sheet, write_sheet
from belltone.store.results import ResultStore, store_path


def compare_command(
    sheet: SheetPath,
    other: Annotated[
        Path | None, typer.Argument(metavar="[OTHER]", help="A second sheet to hold against it.")
    ] = None,
    settings: Settings = None,
    settings_b: Annotated[
        list[str] | None,
        typer.Option(
            "--set-b",
            metavar="WHAT=VALUE",
            help="In the second: a knob, or anything by its place, “joints.0.how=none”.",
        ),
    ] = None,
    variants: Annotated[
        list[str] | None,
        typer.Option("--variant", metavar="NAME", help="A pinned variant to hold against it."),
    ] = None,
    without_preload: Annotated[
        bool, typer.Option("--without-preload", help="The second is without its preload.")
    ] = False,
    matrix: Annotated[
        bool, typer.Option("--matrix", help="Tell the modal assurance of all pairs of modes.")
    ] = False,
    by_change: Annotated[
        bool, typer.Option("--by-change", help="What changes most comes first.")
    ] = False,
    form: FormatOption = Format.TABLE,
    output: Output = None,
) -> None:
    """Hold designs against each other: what differs, and every mode matched by its shape."""
    source = set_places(read_input(sheet, output), settings)
    found: list[tuple[str, Sheet, Path]] = [(sheet.stem, source, sheet)]
    if other is not None:
        may_write(output, [other])
        second = set_places(read_sheet(other), settings_b)
        name = other.stem if other.stem != sheet.stem else f"{other.parent.name}/{other.stem}"
        found.append((name, second, other))
    elif settings_b:
        found.append((", ".join(settings_b), set_places(source, settings_b), sheet))
    known = {each.name: each for each in read_variants(variants_path(sheet))}
    for name in variants or []:
        if name not in known:
            there = ", ".join(f"“{each}”" for each in known) or "none"
            fail(f"there is no variant “{name}” of “{sheet.name}”; there are: {there}")
        found.append((name, known[name].sheet(source.folder), sheet))
    if without_preload:
        if len(found) > 1:
            name, second, path = found[1]
            found[1] = (f"{name}, without preload", second.without_preload(), path)
        else:
            found.append(("without preload", source.without_preload(), sheet))
    if len(found) < 2:
        fail("name a second sheet, or say with “--set-b” or “--variant” what is the other design")
    sides = [_side(*each) for each in found]
    differ = [differences(source, each) for _, each, _ in found[1:]]
    if len(sides) > 2:
        _write_many(sides, differ, by_change, form, output)
    else:
        _write_two(sides, differ[0], matrix, by_change, form, output)


def _side(name: str, sheet: Sheet, path: Path) -> Side:
    design = evaluate(sheet)
    warn(design)
    with ResultStore(store_path(path), note) as store:
        return Side(name, design, solved(sheet, {}, request_for(design), store))


def _write_two(
    sides: list[Side],
    differ: Any,
    matrix: bool,
    by_change: bool,
    form: Format,
    output: Path | None,
) -> None:
    comparison = compare(*sides)
    if form is Format.JSON:
        write(as_json(comparison_data(comparison, differ)), output)
        return
    rows = match_rows(comparison)
    if by_change:
        order = [entry[0].change for entry in comparison.entries]
        ranked = sorted(zip(order, rows, strict=True), key=lambda own: -_size(own[0]))
        rows = [row for _, row in ranked]
    written = as_csv if form is Format.CSV else table
    text = written(MATCH_COLUMNS, rows)
    if matrix:
        text += "\n" + written(*assurance_rows(comparison))
    if form is Format.TABLE:
        lines = [f"  {each.words}" for each in differ] or ["  nothing in the sheet"]
        head = f"“{sides[1].name}” against “{sides[0].name}”; what differs:\n"
        text = head + "\n".join(lines) + "\n\n" + text
    write(text, output)


def _size(change: float | None) -> float:
    return float("inf") if change is None else abs(change)


def _write_many(
    sides: list[Side], differ: Any, by_change: bool, form: Format, output: Path | None
) -> None:
    found = among(sides)
    if form is Format.JSON:
        write(as_json(among_data(found, differ)), output)
        return
    columns, rows = among_columns(found), among_rows(found, by_change)
    if form is Format.CSV:
        write(as_csv(columns, rows), output)
        return
    brief = ["the first", *map(in_brief, differ)]
    heads = [variant_row(side, words) for side, words in zip(sides, brief, strict=True)]
    write(table(variant_columns(), heads) + "\n" + table(columns, rows), output)


def variants_command(
    sheet: SheetPath,
    pin: Annotated[
        str | None, typer.Option(metavar="NAME", help="Pin the sheet, with “--set”, as a variant.")
    ] = None,
    settings: Annotated[
        list[str] | None,
        typer.Option(
            "--set", metavar="WHAT=VALUE", help="In the pinned one: a knob, or a place’s value."
        ),
    ] = None,
    remark: Annotated[
        str, typer.Option("--note", metavar="TEXT", help="What to note about the pinned one.")
    ] = "",
    drop: Annotated[str | None, typer.Option(metavar="NAME", help="Drop a variant.")] = None,
    rename: Annotated[
        tuple[str, str] | None, typer.Option(metavar="NAME NEW", help="Rename a variant.")
    ] = None,
    take: Annotated[
        str | None, typer.Option(metavar="NAME", help="Write a variant as a sheet, to “-o”.")
    ] = None,
    form: FormatOption = Format.TABLE,
    output: Output = None,
) -> None:
    """The variants pinned beside a sheet: told with mass and verdict, pinned, dropped, renamed."""
    source = read_input(sheet, output)
    path = variants_path(sheet)
    may_write(output, [path])
    if pin is not None:
        chosen = set_places(source, settings)
        evaluate(chosen)
        change_variants(path, lambda now: pinned(now, Variant(pin.strip(), chosen.text, remark)))
        note(f"pinned “{pin.strip()}” in {path}")
        return
    if settings or remark:
        fail("“--set” and “--note” go with “--pin NAME”", 2)
    known = read_variants(path)
    for name in (drop, take, rename[0] if rename else None):
        if name is not None and name not in {each.name for each in known}:
            there = ", ".join(f"“{each.name}”" for each in known) or "none"
            raise VariantsError(f"there is no variant “{name}”; there are: {there}")
    if drop is not None:
        change_variants(path, lambda now: dropped(now, drop))
        return
    if rename is not None:
        change_variants(path, lambda now: renamed(now, *rename))
        return
    if take is not None:
        if output is None:
            fail("say with “-o FILE” where the variant is to be written", 2)
        wanted = next(each for each in known if each.name == take)
        write_sheet(wanted.sheet(source.folder), output)
        note(f"written to {output}")
        return
    rows: list[tuple[str, ...]] = []
    first: Sheet | None = None
    for each in known:
        own = each.sheet(source.folder)
        words = "the first" if first is None else in_brief(differences(first, own), 3)
        first = first or own
        rows.append((*variant_row(_side(each.name, own, sheet), words), each.note))
    columns = (*variant_columns(), "note")
    if form is Format.JSON:
        write(as_json([dict(zip(columns, row, strict=True)) for row in rows]), output)
    elif form is Format.CSV:
        write(as_csv(columns, rows), output)
    elif rows:
        write(table(columns, rows), output)
    else:
        note(f"no variant of “{sheet.name}” is pinned; “--pin NAME” pins one")
