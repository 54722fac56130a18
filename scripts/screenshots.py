"""Makes the pictures in docs/screenshots from the demo sheet and made-up variants of it."""

from __future__ import annotations

import shutil
import sys
import tempfile
from pathlib import Path as FilePath

from PySide6.QtCore import QSettings

from belltone.desk.app import draw_picture, wait_for
from belltone.desk.charts.plane_view import PlaneView
from belltone.desk.designs.designs_view import DesignsView
from belltone.desk.measuring.measured_view import MeasuredView
from belltone.desk.proposals.tuning_view import TuningView
from belltone.desk.session.session import Session
from belltone.desk.window import MainWindow
from belltone.desk.windows import EMPTY
from belltone.drawing.colours import DARK, LIGHT
from belltone.drawing.shown import Shown
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.store.journal import Journal

FOLDER = FilePath(__file__).resolve().parents[1] / "docs" / "screenshots"


def by_night(window: MainWindow) -> None:
    """Take the dark theme and look at a twisting mode from the side of its support."""
    window.take_theme(DARK.name)
    answer = window.session.answer
    assert answer is not None
    twist = next(i for i, kind in enumerate(answer.modes.kinds) if kind.startswith("twist"))
    window.session.choose(answer.identities[twist])
    window.shape.canvas.set_swing(0.9)


def turned(window: MainWindow) -> None:
    """Hold a knob in the middle of a drag."""
    window.map.knob.setCurrentText("depth")
    wait_for(lambda: window.map.settled)
    window.session.turn_knob("depth", 155.0)
    window.shape.canvas.set_swing(1.0)


def four_panes(window: MainWindow) -> None:
    """Show four modes side by side."""
    window.session.choose_neighbour(-1)
    window.shape.panes.set_count(4)
    window.shape.panes.set_swing(0.9)


def by_energy(window: MainWindow) -> None:
    """Colour a breathing mode by where its strain energy is."""
    window.session.choose_neighbour(-1)
    window.shape.set_option(("colour", "energy"), True)
    window.shape.panes.set_swing(0.9)


def swung(window: MainWindow) -> None:
    """Look at the mode at the far end of its motion."""
    window.shape.panes.set_swing(0.9)


def cold(window: MainWindow) -> None:
    """Wait for the modes without preload."""
    wait_for(lambda: window.session.bare is not None)
    window.shape.panes.set_swing(0.9)
    window.column.preload.set_open(True)
    wait_for(lambda: False, 0.2)
    window.column.show_card(window.column.preload)


def states(window: MainWindow) -> None:
    """Show what the preload does, displacement beside stress."""
    cold(window)
    window.shape.panes.show_beside("stress")
    window.shape.show_this(Shown("moved"))


def over_speed(window: MainWindow) -> None:
    """Draw the speed diagram."""
    window.show_speeds()
    speeds = window.beside.of(DesignsView)
    assert speeds is not None
    wait_for(speeds.run.isEnabled)
    speeds.run_or_stop()
    wait_for(lambda: window.session.surveys.found is not None)
    speeds.lists.setCurrentWidget(speeds.crossings)


def two_knobs(window: MainWindow) -> None:
    """Draw the map of the wall and the place of the second post."""
    window.show_plane()
    plane = window.beside.of(PlaneView)
    assert plane is not None
    plane.run_or_stop()
    wait_for(lambda: plane.found is not None and plane.found.plane.whole)


def cleared(window: MainWindow) -> None:
    """Clear the bands with both knobs, and look at what is proposed."""
    window.show_tuning()
    tuner = window.beside.of(TuningView)
    assert tuner is not None
    tuner.clear.price.click()
    wait_for(lambda: not window.session.proposals.searching)
    tuner.clear.table.setCurrentCell(0, 0)


def designs(window: MainWindow) -> None:
    """Look at the pressed cover over its pressure, with its stress on the right axis."""
    window.show_designs()
    view = window.beside.of(DesignsView)
    assert view is not None
    view.form.tick("syrup", "0.05 bar : 0.6 bar : 7")
    for action in view.outputs.menu().actions():
        action.setChecked(action.text() in ("margin", "stress"))
    view.run_or_stop()
    wait_for(lambda: not window.session.surveys.running)
    view.chart.right.setCurrentText("largest von Mises stress (MPa)")
    view.list.choose(3)


def pinned(window: MainWindow, *changes: tuple[Path, str]) -> None:
    """Pin the design as drawn, and as it is after each change of one value."""
    session = window.session
    session.variants.pin_shown()
    for path, text in changes:
        session.set_value(path, text)
        wait_for(lambda: session.settled)
        session.variants.pin_shown()
    wait_for(lambda: all(session.variants.answer(own.name) for own in session.variants.listed))


def variants(window: MainWindow) -> None:
    """Three walls of the rail, the first as a ghost."""
    wall: Path = ("knobs", "wall", "value")
    pinned(window, (wall, "5 mm"), (("knobs", "post_at", "value"), "1.45 m"))
    window.session.variants.show_ghost("as drawn")
    wait_for(lambda: window.session.ghosts.sweep is not None)
    window.shape.panes.set_swing(0.9)


def compared(window: MainWindow) -> None:
    """The bell as drawn against a taller one of twice the wall."""
    pinned(window, (("knobs", "wall", "value"), "2.4 mm"), (("knobs", "depth", "value"), "180 mm"))
    window.show_comparison("as drawn")


def measured(window: MainWindow) -> None:
    """Five made-up frequencies of a rail with a thicker wall and its post elsewhere, fitted."""
    window.show_measured()
    view = window.beside.of(MeasuredView)
    assert view is not None
    view.add_text("frequency (Hz);note\n37.6;tap at the east end\n50.7;\n75.1;\n96.1;\n195.2;\n")
    session = window.session
    wait_for(lambda: session.settled)
    for tick in view.fit.ticks.values():
        tick.setChecked(True)
    view.fit.run_or_stop()
    wait_for(lambda: not session.measuring.fitting)


def handing(window: MainWindow) -> None:
    """What a report holds."""
    window.show_handing()


def all_modes(window: MainWindow) -> None:
    """Open the table of modes."""
    window.show_table()


def main() -> int:
    """Draw every picture."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        # A copy, so that results are not kept beside the demo.
        rail = FilePath(folder) / "infeed_rail.toml"
        rail.write_text(demo_sheet().read_text(encoding="utf-8"), encoding="utf-8")
        draw_picture(rail, FOLDER / "window.png")
        draw_picture(rail, FOLDER / "night.png", by_night)
        draw_picture(rail, FOLDER / "table.png", all_modes)
        draw_picture(rail, FOLDER / "plane.png", two_knobs, sweep=False)
        draw_picture(rail, FOLDER / "clear.png", cleared, sweep=False)
        draw_picture(rail, FOLDER / "handing.png", handing, sweep=False)
        draw_picture(rail, FOLDER / "measured.png", measured, sweep=False)
        draw_picture(rail, FOLDER / "variants.png", variants, sweep=False)
        for name, picture, prepare in (
            ("cap_elevator_bracket", "bracket", None),
            ("pump_cover", "plate", four_panes),
            ("rinsing_bell", "bell", by_energy),
            ("rinsing_bell", "live", turned),
            ("rinsing_bell", "compare", compared),
            ("filler_gantry", "gantry", swung),
            ("heated_rail", "preload", cold),
            ("pressed_cover", "state", states),
            ("pressed_cover", "designs", designs),
            ("spinning_bell", "speeds", over_speed),
        ):
            copy = FilePath(folder) / f"{name}.toml"
            copy.write_text(demo_sheet(name).read_text(encoding="utf-8"), encoding="utf-8")
            for sent in demo_sheet().parent.glob(f"{name}.[!t]*"):
                shutil.copy(sent, folder)
            draw_picture(copy, FOLDER / f"{picture}.png", prepare, sweep=False)
        welcome(FilePath(folder))
    return 0


def welcome(folder: FilePath) -> None:
    """The page a window begins with, once all its pictures are drawn."""
    settings = QSettings(str(folder / "settings.ini"), QSettings.Format.IniFormat)
    settings.setValue("theme", LIGHT.name)
    session = Session(Sheet.from_text(EMPTY), None, Journal(folder / "journal"))
    window = MainWindow(session, settings, welcome=True)
    window.show()
    wait_for(lambda: session.jobs.state("pictures") is None)
    window.grab().save(str(FOLDER / "starts.png"))
    window.close()


if __name__ == "__main__":
    sys.exit(main())
