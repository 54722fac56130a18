"""Files for other programs: shapes, the loaded state, surface, outline, matrices."""

from __future__ import annotations

from pathlib import Path
from typing import Final

from PySide6.QtWidgets import QComboBox, QFormLayout, QHBoxLayout, QLabel, QWidget

from belltone.desk.handing.write_panel import WritePanel
from belltone.desk.knob_box import KnobBox
from belltone.desk.look import label_font, tell
from belltone.desk.questions import write_files
from belltone.desk.session.session import Session
from belltone.exchange.handed import ENDINGS, What

__all__ = ["FilesPanel"]

_SERIES: Final = "shapes over a knob"
_WHAT: Final[dict[str, What]] = {
    "mode shapes": "shapes",
    _SERIES: "shapes",
    "the loaded state": "state",
    "the surface": "surface",
    "the outline": "outline",
    "the matrices": "matrices",
}
_TOLD: Final[dict[str, str]] = {
    "mode shapes": "Points in m, a vector for each mode (relative), frequencies beside; “.unv” "
    "tells modes at all points, so that a measurement can be laid beside them.",
    _SERIES: "A file for each value of the knob and a list of them, shapes named by branch.",
    "the loaded state": "Displacements in m, stresses in Pa, resultants; relative buckling shapes.",
    "the surface": "Triangles and quadrilaterals; walls are their middle surface.",
    "the outline": "A plate alone by exact lines and arcs in its own plane; else edges in space.",
    "the matrices": "Stiffness and mass (SI units) over the free unknowns, with the way to the "
    "nodes and what each unknown is.",
}
_FILTERS: Final = {
    ".vtu": "Mesh with results (*.vtu)",
    ".unv": "Universal file (*.unv)",
    ".pvd": "List of files (*.pvd)",
    ".stl": "Triangles (*.stl)",
    ".ply": "Polygons (*.ply)",
    ".obj": "Polygons (*.obj)",
    ".dxf": "Drawing (*.dxf)",
    ".mtx": "Matrix Market (*.mtx)",
}
_VALUES: Final = 9


class FilesPanel(WritePanel):
    """Says what is written and in which unit."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "files")
        self.what = QComboBox()
        self.what.addItems(list(_WHAT))
        self.what.setAccessibleName("what is written")
        self.knob = KnobBox(session, "knob of the series")
        self.unit = QComboBox()
        self.unit.addItems(["mm", "m"])
        self.unit.setAccessibleName("unit of lengths")
        shown = QWidget()
        row = QHBoxLayout(shown)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.what)
        row.addWidget(self.knob, 1)
        self._form = QFormLayout()
        self._form.addRow("Write", shown)
        self._form.addRow("Lengths in", self.unit)
        self.body.addLayout(self._form)
        self.told = QLabel()
        self.told.setFont(label_font(9.5))
        self.told.setWordWrap(True)
        self.body.addWidget(self.told)
        self.body.addStretch(1)
        self.what.currentIndexChanged.connect(self.follow)
        self.follow()
        self.refresh()

    def follow(self) -> None:
        """Say what stands in the files."""
        what = self.what.currentText()
        self.knob.setVisible(what == _SERIES)
        self._form.setRowVisible(1, _WHAT[what] in ("surface", "outline"))
        tell(self.told, _TOLD[what], "muted")

    def endings(self) -> tuple[str, str]:
        what = self.what.currentText()
        if what == _SERIES:
            endings: tuple[str, ...] = (".pvd",)
        else:
            endings = tuple(each for each in ENDINGS[_WHAT[what]] if each != ".pvd")
        return endings[0], ";;".join(_FILTERS[each] for each in endings)

    def start(self, target: Path) -> None:
        what, over = self.what.currentText(), ""
        if what == _SERIES:
            knob = self._session.written.knobs.get(self.knob.currentText())
            if knob is None:
                tell(self.words, "The sheet has no knob to turn.", "alarm")
                return
            low, high = (knob.exact_text(end) for end in knob.range)
            over = f"{knob.name}={low}:{high}:{_VALUES}"
        unit = self.unit.currentText()
        self._session.handing.write("files", write_files, target, _WHAT[what], unit, over)
