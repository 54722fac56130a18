"""A drawing of a plate in the real window: told, chosen, begun with."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import ezdxf
import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QDialog
from pytestqt.qtbot import QtBot

from belltone.desk.drawing_dialog import DrawingDialog
from belltone.desk.window import MainWindow
from tests.desk.conftest import WAIT, number, settle


@pytest.fixture
def drawing(tmp_path: Path) -> Path:
    """A wear plate with a slot on one layer, a frame round the sheet on another; no unit."""
    made: Any = ezdxf.new("R2010")  # type: ignore[attr-defined]
    made.header["$INSUNITS"] = 0
    space = made.modelspace()
    for layer in ("cut", "frame"):
        made.layers.add(layer)
    for name, box in (("cut", (0, 0, 240, 160)), ("frame", (-500, -500, 1000, 1000))):
        x, y, width, height = box
        corners = [(x, y), (x + width, y), (x + width, y + height), (x, y + height)]
        space.add_lwpolyline(corners, close=True, dxfattribs={"layer": name})
    space.add_lwpolyline(
        [(90, 70, 0), (150, 70, 1), (150, 90, 0), (90, 90, 1)], format="xyb", close=True,
        dxfattribs={"layer": "cut"},
    )  # fmt: skip
    path = tmp_path / "wear plate.dxf"
    made.saveas(path)
    return path


def test_what_was_found_is_told_before(drawing: Path, qtbot: QtBot) -> None:
    dialog = DrawingDialog(drawing)
    qtbot.addWidget(dialog)
    assert not dialog.begin.isEnabled()
    assert "states no unit" in dialog.words.text()
    dialog.unit.setCurrentText("mm")
    assert "lies in a hole" in dialog.words.text()
    assert dialog.sheet is None
    for row in range(dialog.layers.count()):
        if dialog.layers.item(row).text() == "frame":
            dialog.layers.item(row).setCheckState(Qt.CheckState.Unchecked)
    assert dialog.begin.isEnabled()
    assert "a plate 240 × 160 mm with 1 hole" in dialog.words.text()
    dialog.thickness.setText("4 kg")
    assert not dialog.begin.isEnabled()
    dialog.thickness.setText("4 mm")
    assert dialog.sheet is not None
    assert dialog.sheet.content.knobs["thickness"].value == "4 mm"


def test_a_file_that_is_no_drawing(tmp_path: Path, qtbot: QtBot) -> None:
    path = tmp_path / "x.dxf"
    path.write_text("nothing of the sort\n", encoding="utf-8")
    dialog = DrawingDialog(path)
    qtbot.addWidget(dialog)
    assert "x.dxf" in dialog.words.text()
    assert not dialog.begin.isEnabled()


def test_a_dropped_drawing_begins_a_plate(
    make_window: Callable[..., MainWindow],
    rail_path: Path,
    drawing: Path,
    qtbot: QtBot,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    window = make_window(rail_path)
    seen: list[str] = []

    def take(dialog: DrawingDialog) -> int:
        dialog.unit.setCurrentText("mm")
        dialog.layers.item(1).setCheckState(Qt.CheckState.Unchecked)
        seen.append(dialog.words.text())
        return QDialog.DialogCode.Accepted

    monkeypatch.setattr(DrawingDialog, "exec", take)
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(drawing))])
    none = Qt.KeyboardModifier.NoModifier
    left = Qt.MouseButton.LeftButton
    event = QDropEvent(QPointF(300, 300), Qt.DropAction.CopyAction, data, left, none)
    window.dropEvent(event)
    qtbot.waitUntil(lambda: "plate" in window.session.sheet.content.parts, timeout=WAIT)
    assert "with 1 hole" in seen[0]
    settle(qtbot, window)
    assert window.session.answer is not None
    # The slot's points are numbers of the card, like any others.
    field = number(window, ("parts", "plate", "holes", 0, "points", 0, "at", 0))
    assert field.text().startswith("-30 mm") or "mm" in field.text()
