"""What a window has done by a process of its own: reports, films, files, tables, fits."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime
from pathlib import Path
from typing import Any

from belltone.compare.fit import Fit, fit
from belltone.compare.measured import MatchBy
from belltone.drawing.display import prepare_display
from belltone.errors import UserError
from belltone.exchange.gathered import gather, tables_of
from belltone.exchange.handed import Filmed, What, hand_over_files, hand_over_film
from belltone.exchange.handed_tables import TableName, as_tab_text
from belltone.exchange.handed_tables import write_tables as put_tables
from belltone.exchange.inputs import inputs_of
from belltone.exchange.measurements import measured_of
from belltone.files import write_text
from belltone.progress import Progress
from belltone.sheet.document import Sheet
from belltone.sheet.model import ReportPart
from belltone.store.results import ResultStore, store_path

__all__ = ["find_fit", "write_files", "write_film", "write_report", "write_tables"]


def write_report(
    text: str,
    folder: Path | None,
    path: Path | None,
    target: Path,
    parts: Sequence[ReportPart],
    *,
    progress: Progress,
) -> list[str]:
    """Write a report of a sheet as HTML or PDF; returns what was written."""
    prepare_display()
    from belltone.exchange.report.html import as_html
    from belltone.exchange.report.sections import pages

    with ResultStore(store_path(path)) as store, ThreadPoolExecutor(1) as workers:
        found = gather(Sheet.from_text(text, folder), path, parts, workers, store, progress)
    made = pages(found, progress, datetime.now())
    if target.suffix.lower() == ".pdf":
        from belltone.desk.printing import write_pdf

        write_pdf(made, target)
    else:
        write_text(as_html(made), target)
    return [str(target)]


def write_film(
    text: str,
    folder: Path | None,
    path: Path | None,
    target: Path,
    shown: Filmed,
    reel: Any,
    *,
    progress: Progress,
) -> list[str]:
    """Make a film; ``reel`` is a ``Reel``, not named here so that nothing draws before."""
    prepare_display()
    with ResultStore(store_path(path)) as store, ThreadPoolExecutor(1) as workers:
        sheet = Sheet.from_text(text, folder)
        hand_over_film(sheet, shown, reel, target, store, progress, workers)
    return [str(target)]


def write_files(
    text: str,
    folder: Path | None,
    path: Path | None,
    target: Path,
    what: What,
    unit: str,
    over: str,
    *,
    progress: Progress,
) -> list[str]:
    """Write shapes, the state, the surface, the outline or the matrices."""
    prepare_display()
    with ResultStore(store_path(path)) as store, ThreadPoolExecutor(1) as workers:
        sheet = Sheet.from_text(text, folder)
        kept = inputs_of(path, sheet)
        found = hand_over_files(
            sheet, what, target, kept, store, progress, workers, unit, over=over
        )
    return [str(file) for file in found]


def write_tables(
    text: str,
    folder: Path | None,
    path: Path | None,
    target: Path | None,
    names: Sequence[TableName],
    *,
    progress: Progress,
) -> list[str] | str:
    """Write tables, or without a target return them as the clipboard takes them."""
    with ResultStore(store_path(path)) as store, ThreadPoolExecutor(1) as workers:
        sheet = Sheet.from_text(text, folder)
        found = tables_of(sheet, path, names, workers, store, progress)
    if target is None:
        return as_tab_text(found)
    put_tables(found, target)
    return [str(target)]


def find_fit(
    text: str,
    folder: Path | None,
    knobs: Sequence[str],
    deviation: float,
    how: MatchBy | None,
    *,
    progress: Progress,
) -> Fit:
    """What `fit` finds for a sheet and what it says was measured."""
    sheet = Sheet.from_text(text, folder)
    told = measured_of(sheet)
    if told is None:
        raise UserError("nothing was measured")
    return fit(sheet, told, knobs, deviation, how, progress)
