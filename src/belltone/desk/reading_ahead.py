"""Files a sheet is made of, read off the window's thread before the sheet is opened."""

from __future__ import annotations

from pathlib import Path
from typing import Final

from PySide6.QtCore import QEventLoop, Qt
from PySide6.QtWidgets import QProgressDialog, QWidget

from belltone.desk.session.jobs import Jobs
from belltone.errors import UserError
from belltone.geometry.received_meshes import read_lines
from belltone.geometry.solids.kernel import ENDINGS
from belltone.geometry.solids.received import is_known, read_received
from belltone.progress import Progress
from belltone.sheet.document import Sheet
from belltone.sheet.part_models import MeshPart, ReceivedPart

__all__ = ["read_ahead"]

_LARGE: Final = 2_000_000  # bytes of a mesh, from where reading it is felt
_PATIENCE: Final = 400  # ms before anything is shown
_LANE: Final = "reading"


def read_ahead(sheet: Sheet, parent: QWidget | None) -> bool:
    """Read what takes long; false where the user stopped it.

    What is wrong with a file is left to be told when the sheet is worked out.
    """
    slow = [path for path, mesh in _files(sheet) if _is_slow(path, mesh)]
    if not slow:
        return True
    shown = QProgressDialog(f"Reading {slow[0].name} …", "Stop", 0, 0, parent)
    shown.setWindowTitle("Reading")
    shown.setWindowModality(Qt.WindowModality.WindowModal)
    shown.setMinimumDuration(_PATIENCE)
    jobs, loop = Jobs(shown), QEventLoop()
    shown.canceled.connect(loop.quit)
    done: list[bool] = []

    def finish(_answer: object) -> None:
        done.append(True)
        loop.quit()

    jobs.start(_LANE, lambda progress: _read(slow, progress), finish, finish)
    loop.exec()
    jobs.close(wait=bool(done))
    shown.close()
    shown.deleteLater()
    return bool(done)


def _files(sheet: Sheet) -> list[tuple[Path, bool]]:
    return [
        (sheet.file(part.file), isinstance(part, MeshPart))
        for part in sheet.content.parts.values()
        if isinstance(part, ReceivedPart)
    ]


def _is_slow(path: Path, mesh: bool) -> bool:
    try:
        return path.stat().st_size > _LARGE if mesh else not is_known(path)
    except OSError:
        return False


def _read(paths: list[Path], progress: Progress) -> None:
    for path in dict.fromkeys(paths):
        progress.check()
        try:
            if path.suffix.lower() in ENDINGS:
                read_received(path, progress)
            else:
                read_lines(path)
        except UserError:
            continue
