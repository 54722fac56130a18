"""Small pictures of sheets, drawn by a process of their own; the window never waits for one."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtGui import QPixmap

from belltone.desk.pixmaps import as_pixmap
from belltone.desk.session.jobs import Jobs
from belltone.drawing.kept_pictures import SmallPicture, kept_small
from belltone.drawing.small import draw_small
from belltone.progress import Progress
from belltone.sweep.engine import Engine, Questions

__all__ = ["SmallPictures"]

_LANE = "pictures"


class SmallPictures:
    """Gives pictures as they come: those drawn before at once, others one by one."""

    def __init__(self, jobs: Jobs, engine: Questions | None = None) -> None:
        self._jobs = jobs
        self._engine = engine  # a process begins with the first picture that is missing

    def ask(
        self, wanted: Sequence[SmallPicture], take: Callable[[SmallPicture, QPixmap], None]
    ) -> None:
        """Have ``take`` given each picture; what was asked before is given up."""
        missing: list[SmallPicture] = []
        for picture in wanted:
            kept = kept_small(picture)
            if kept is None:
                missing.append(picture)
            else:
                take(picture, as_pixmap(kept))
        if not missing:
            self._jobs.stop(_LANE)
            return

        engine = self._engine = self._engine or Engine(patient=True)

        def work(progress: Progress) -> int:
            drawn: int = engine.ask(draw_small, missing, progress=progress)
            return drawn

        def look(found: tuple[int, bytes]) -> None:
            take(missing[found[0]], as_pixmap(found[1]))

        # A picture that cannot be drawn is no loss: the name stands there without it.
        self._jobs.start(_LANE, work, lambda _drawn: None, lambda _error: None, look)

    def close(self) -> None:
        """Draw no more."""
        self._jobs.stop(_LANE)
        if self._engine is not None:
            self._engine.close()
