"""The files a sheet is made of, which nothing that is written may replace."""

from __future__ import annotations

from pathlib import Path

from belltone.compare.variants import variants_path
from belltone.files import same_file
from belltone.sheet.document import Sheet
from belltone.sheet.part_models import ReceivedPart
from belltone.store.results import store_path

__all__ = ["inputs_of", "replaced"]


def inputs_of(path: Path | None, sheet: Sheet) -> list[Path]:
    """The sheet's own file, what it reads, its variants and its results."""
    found = [
        sheet.file(part.file)
        for part in sheet.content.parts.values()
        if isinstance(part, ReceivedPart)
    ]
    measured = sheet.content.measured
    if measured is not None and measured.file is not None:
        found.append(sheet.file(measured.file))
    if path is not None:
        found += [path, variants_path(path), store_path(path)]
    return found


def replaced(target: Path, path: Path | None, sheet: Sheet) -> Path | None:
    """Which of them writing to a target would replace, if any."""
    return next((each for each in inputs_of(path, sheet) if same_file(target, each)), None)
