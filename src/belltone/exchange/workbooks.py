"""Tables as files of other programs: CSV read, XLSX (Office Open XML, ISO/IEC 29500) both ways."""

from __future__ import annotations

import csv
import io
import zipfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any, Final

from belltone.files import FileError, read_bytes, read_text

__all__ = ["Table", "as_workbook", "as_workbook_of", "read_table", "split_table"]

Table = tuple[str, Sequence[str], Sequence[Sequence[float | str | None]]]
"""A title, heads, and rows."""

_MOST_BYTES: Final = 50_000_000
_SEPARATORS: Final = "\t;,"
_DAMAGED: Final = (KeyError, IndexError, ValueError, SyntaxError)  # of parts that are not there
_WIDEST: Final = 40  # characters


def read_table(path: Path) -> list[list[Any]]:
    """The rows of a CSV or XLSX file, empty ones left out; raises `FileError`.

    Of a workbook its first sheet is read, numbers as they were worked out.
    """
    if path.suffix.lower() != ".xlsx":
        return split_table(read_text(path, _MOST_BYTES, "a table"))
    # Loaded only where it is needed: it takes a while.
    from openpyxl import load_workbook
    from openpyxl.utils.exceptions import InvalidFileException

    data = read_bytes(path, _MOST_BYTES, "a table")
    try:
        book = load_workbook(io.BytesIO(data), read_only=True, data_only=True)
        sheet = book.worksheets[0]
        rows = [list(row) for row in sheet.iter_rows(values_only=True)]
    except (InvalidFileException, zipfile.BadZipFile, *_DAMAGED) as error:
        raise FileError(f"“{path}” is not a workbook that can be read") from error
    return _without_empty(rows)


def split_table(text: str) -> list[list[Any]]:
    """The rows of a table as text: cells parted by tabs, semicolons or commas, as in its head.

    Raises `FileError`.
    """
    head = text.lstrip().split("\n", 1)[0]
    separator = next((each for each in _SEPARATORS if each in head), ",")
    try:
        rows: list[list[Any]] = list(csv.reader(io.StringIO(text.strip()), delimiter=separator))
    except csv.Error as error:
        raise FileError(f"the table cannot be read: {error}") from error
    return _without_empty(rows)


def _without_empty(rows: list[list[Any]]) -> list[list[Any]]:
    """Without rows and columns in which nothing stands."""
    kept = [row for row in rows if any(not _empty(cell) for cell in row)]
    width = max(
        (at + 1 for row in kept for at, cell in enumerate(row) if not _empty(cell)), default=0
    )
    return [[*row[:width], *[None] * (width - len(row))] for row in kept]


def _empty(cell: Any) -> bool:
    return cell is None or not str(cell).strip()


def as_workbook(
    header: Sequence[str], rows: Sequence[Sequence[float | str | None]], title: str
) -> bytes:
    """A workbook with one sheet; see `as_workbook_of`."""
    return as_workbook_of([(title, header, rows)])


def as_workbook_of(tables: Sequence[Table]) -> bytes:
    """A workbook with a sheet for each table, of a title, heads and rows.

    Bold heads that stay, numbers as numbers, columns to filter.
    """
    from openpyxl import Workbook

    book = Workbook()
    assert book.active is not None
    book.remove(book.active)
    for title, header, rows in tables:
        _fill(book.create_sheet(title[:31]), header, rows)
    stream = io.BytesIO()
    book.save(stream)
    return stream.getvalue()


def _fill(sheet: Any, header: Sequence[str], rows: Sequence[Sequence[float | str | None]]) -> None:
    from openpyxl.styles import Alignment, Font
    from openpyxl.utils import get_column_letter

    sheet.append(list(header))
    for row in rows:
        sheet.append([None if isinstance(own, float) and own != own else own for own in row])
    for cell in sheet[1]:
        cell.font = Font(bold=True)
        cell.alignment = Alignment(wrap_text=True, vertical="top")
    for column, head in enumerate(header, start=1):
        texts = [head, *(f"{row[column - 1]}"[:_WIDEST] for row in rows)]
        widest = max(map(len, texts[1:]), default=0)
        width = max(min(len(head), 18), min(widest, _WIDEST)) + 2
        sheet.column_dimensions[get_column_letter(column)].width = width
    sheet.freeze_panes = "A2"
    sheet.auto_filter.ref = sheet.dimensions
