"""What every panel that writes has: a button that asks where, and words on what becomes of it."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from belltone.desk.look import label_font, tell
from belltone.desk.session.session import Session
from belltone.sweep.cost import time_words

__all__ = ["WritePanel"]


class WritePanel(QWidget):
    """A panel over the one thing that is written at a time, called ``what``."""

    def __init__(self, session: Session, what: str) -> None:
        super().__init__()
        self._session, self._what = session, what
        self.write = QPushButton("Write…")
        self.write.setAccessibleName(f"write the {what}")
        self.write.clicked.connect(self.ask_or_stop)
        self.words = QLabel()
        self.words.setFont(label_font(9.5))
        self.words.setWordWrap(True)
        self.words.setAccessibleName(f"what becomes of the {what}")
        self.buttons = QHBoxLayout()
        self.buttons.addWidget(self.words, 1)
        self.buttons.addWidget(self.write)
        self.body = QVBoxLayout()
        column = QVBoxLayout(self)
        column.addLayout(self.body, 1)
        column.addLayout(self.buttons)
        session.handing.changed.connect(self.refresh)
        session.answer_changed.connect(self.refresh)

    def endings(self) -> tuple[str, str]:
        """The usual ending, and the filters of the file dialog."""
        raise NotImplementedError

    def start(self, target: Path) -> None:
        """Begin to write."""
        raise NotImplementedError

    def ask_or_stop(self) -> None:
        """Ask where to write, or stop what is being written."""
        session = self._session
        if session.handing.state is not None:
            session.handing.stop()
            return
        ending, filters = self.endings()
        stem = "sheet" if session.path is None else session.path.stem
        folder = Path() if session.path is None else session.path.parent
        told, _ = QFileDialog.getSaveFileName(
            self, f"Write the {self._what}", str(folder / f"{stem}{ending}"), filters
        )
        if told:
            self.begin(Path(told) if Path(told).suffix else Path(told + ending))

    def begin(self, target: Path) -> None:
        """Write to a file, unless it is the sheet itself."""
        refused = self._session.handing.refused(target)
        if refused:
            tell(self.words, refused, "alarm")
            return
        self.start(target)

    def refresh(self) -> None:
        """Say how far it is."""
        handing = self._session.handing
        state = handing.state
        self.write.setText("Write…" if state is None else "Stop")
        self.write.setEnabled(state is not None or self._session.answer is not None)
        if state is None:
            role = "alarm" if handing.failed else "clear" if handing.told else "muted"
            tell(self.words, handing.told if handing.what == self._what else "", role)
            return
        done = f", {state.done} of {state.total}" if state.total else ""
        left = state.seconds_left
        more = f", about {time_words(left)} left" if left is not None and left > 3 else ""
        told = f" ({state.text})" if state.text else ""
        tell(self.words, f"{state.step or handing.what}{done}{more}{told}", "muted")
