"""The menus of the window: every command by its words and its key."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import TYPE_CHECKING, Final

from PySide6.QtGui import QAction, QActionGroup, QKeySequence
from PySide6.QtWidgets import QMenu, QMenuBar

from belltone.desk.finding.finds import Find
from belltone.desk.help.terms import pages
from belltone.desk.pictures import ask_write_chart
from belltone.desk.session.session import Session
from belltone.desk.themes import THEMES
from belltone.exchange.tables import percent
from belltone.reduce.designs import DEFAULT_BOUND
from belltone.sheet.demo import examples_folder
from belltone.sheet.shown_units import SHOWN_UNITS

if TYPE_CHECKING:
    from belltone.desk.window import MainWindow

__all__ = ["BOUNDS", "Menus", "commands"]

_MEASURED: Final = {"length": "Lengths", "frequency": "Frequencies", "mass": "Masses"}

BOUNDS: Final = (1e-2, 3e-3, DEFAULT_BOUND, 3e-4, 1e-4)
"""So near to solved frequencies models may be asked to be, relative."""

Keys = QKeySequence | QKeySequence.StandardKey | str | None


class Menus:
    """Fills a window's menu bar; keeps what changes with the sheet."""

    def __init__(self, window: MainWindow) -> None:
        self._window = window
        self.undo: QAction
        self.redo: QAction
        self.recent: QMenu
        bar = window.menuBar()
        self._file(bar.addMenu("&File"))
        self._edit(bar.addMenu("&Edit"))
        self._view(bar.addMenu("&View"))
        self._help(bar.addMenu("&Help"))

    def _file(self, menu: QMenu) -> None:
        window, keys = self._window, QKeySequence.StandardKey
        self._add(menu, "&New…", keys.New, window.new)
        self._add(menu, "&Open…", keys.Open, window.files.ask_open)
        self.recent = menu.addMenu("Open &recent")
        self.recent.aboutToShow.connect(self._fill_recent)
        self._add(menu, "New from a file somebody sent…", "Ctrl+Shift+N", window.files.ask_file)
        self._add(menu, "New &frame from a table copied", None, window.files.paste_frame)
        demos = menu.addMenu("Open a &demo")
        for path in sorted(examples_folder().glob("*.toml")):
            name = path.stem.replace("_", " ")
            self._add(demos, name, None, partial(window.files.open, path))
        self._add(menu, "Another &window", "Ctrl+Shift+O", lambda: window.another_asked.emit(None))
        menu.addSeparator()
        self._add(menu, "&Save", keys.Save, window.files.save)
        self._add(menu, "Save &as…", keys.SaveAs, window.files.save_as)
        menu.addSeparator()
        self._add(menu, "&Hand over…", "Ctrl+P", window.show_handing)
        self._add(menu, "Write the &table of modes…", None, window.ask_write_table)
        self._add(
            menu,
            "Write the picture of the &map…",
            None,
            lambda: ask_write_chart(window.map.plot, "map", window),
        )
        menu.addSeparator()
        self._add(menu, "&Close this window", keys.Close, window.close)
        self._add(menu, "&Quit", keys.Quit, window.quit_asked.emit)

    def _edit(self, menu: QMenu) -> None:
        window, keys = self._window, QKeySequence.StandardKey
        self.undo = self._add(menu, "&Undo", keys.Undo, window.session.undo)
        self.redo = self._add(menu, "&Redo", keys.Redo, window.session.redo)
        menu.addSeparator()
        self._add(menu, "&Find anything…", "Ctrl+F", window.find_anything)
        menu.addSeparator()
        self._add(menu, "Copy this card as te&xt", "Ctrl+Shift+X", window.column.copy_card)
        self._add(menu, "&Paste cards from text", "Ctrl+Shift+V", window.column.paste_cards)
        self._add(menu, "&Copy the table of modes", "Ctrl+Shift+C", window.copy_table)

    def _view(self, menu: QMenu) -> None:
        window = self._window
        session, panes = window.session, window.shape.panes
        self._add(menu, "&All modes in a table", "Ctrl+T", window.show_table)
        self._add(menu, "Where its &energy is", "Ctrl+L", window.show_energy)
        self._add(menu, "&Play or pause", "Ctrl+Space", window.toggle_play)
        self._add(menu, "&Lower mode", "Alt+Left", lambda: session.choose_neighbour(-1))
        self._add(menu, "&Higher mode", "Alt+Right", lambda: session.choose_neighbour(1))
        for axis in "xyz":
            self._add(
                menu,
                f"Look along &{axis}",
                f"Alt+{axis.upper()}",
                partial(panes.look, axis),
            )
        self._add(menu, "&Fit", "Alt+0", panes.fit)
        self._add(menu, "The whole &ruler", "Alt+Home", window.ruler.show_whole)
        shown = menu.addMenu(window.shape.show_button.menu())
        shown.setText("&Show")
        menu.addSeparator()
        self._add(menu, "The sheet as te&xt", "F4", window.column.turn_text)
        self._add(
            menu,
            "Open or shut all &cards",
            "Ctrl+E",
            lambda: window.column.set_all_open(not window.column.all_open),
        )
        menu.addSeparator()
        self._add(menu, "&Pin this design", "F8", session.variants.pin_shown)
        self._add(menu, "Compare desi&gns", "Ctrl+J", lambda: window.show_comparison(""))
        menu.addSeparator()
        self._add(menu, "Run or stop the &sweep", "Ctrl+R", window.map.run_or_stop)
        self._add(menu, "Clear the &bands", "Ctrl+K", window.show_tuning)
        self._add(menu, "T&wo knobs", "Ctrl+2", window.show_plane)
        self._add(menu, "Table of &designs", "Ctrl+3", window.show_designs)
        self._add(menu, "Speed dia&gram", "Ctrl+D", window.show_speeds)
        self._add(menu, "What was &measured", "Ctrl+M", window.show_measured)
        self._add(menu, "&With and without preload", "Ctrl+B", lambda: panes.show_beside("bare"))
        self._units(menu.addMenu("Un&its"))
        self._bounds(menu.addMenu("Models of &knobs"))
        looks = menu.addMenu("L&ooks")
        group = QActionGroup(looks)
        self._looks = {}
        for choice, words in THEMES.items():
            action = self._add(
                looks,
                words,
                None,
                partial(window.take_theme, choice),
            )
            action.setCheckable(True)
            group.addAction(action)
            self._looks[choice] = action
        looks.aboutToShow.connect(lambda: self._looks[window.theme].setChecked(True))

    def _units(self, menu: QMenu) -> None:
        """What lengths, frequencies and masses are shown in; the sheet keeps it."""
        session = self._window.session
        shown: dict[tuple[str, str], QAction] = {}
        for dimension, several in _MEASURED.items():
            menu.addSection(several)
            group = QActionGroup(menu)
            for unit in ("", *SHOWN_UNITS[dimension]):
                words = f"{several} in {unit}" if unit else f"{several} as they are typed"
                call = partial(_show_in, session, dimension, unit)
                shown[dimension, unit] = action = self._add(menu, words, None, call)
                action.setCheckable(True)
                group.addAction(action)

        def tick() -> None:
            for (dimension, unit), action in shown.items():
                action.setChecked(getattr(session.design.shown, dimension) == unit)

        menu.aboutToShow.connect(tick)

    def _bounds(self, menu: QMenu) -> None:
        """How far frequencies read off models may be from solved ones."""
        window, group = self._window, QActionGroup(menu)
        shown: dict[float, QAction] = {}
        for bound in BOUNDS:
            call = partial(window.take_bound, bound)
            shown[bound] = action = self._add(menu, f"Models within {percent(bound)}", None, call)
            action.setCheckable(True)
            group.addAction(action)
        menu.aboutToShow.connect(lambda: shown[window.session.models.bound].setChecked(True))

    def _help(self, menu: QMenu) -> None:
        window = self._window
        self._add(menu, "&What is this?", "F1", window.explain)
        self._add(menu, "&Hands and keys", "Shift+F1", lambda: window.help_view().show_keys())
        self._add(menu, "&Terms", None, lambda: window.help_view().show_term("sheet"))
        manual = menu.addMenu("&Manual")
        for title, path in pages().items():
            self._add(
                manual,
                title,
                None,
                partial(window.show_page, path),
            )
        menu.addSeparator()
        self._add(menu, "Take the &tour", None, window.take_tour)
        self._add(menu, "&About Bell Tone", None, window.show_about)

    def _add(self, menu: QMenu, text: str, keys: Keys, call: Callable[[], object]) -> QAction:
        action = QAction(text, self._window)
        if keys is not None:
            action.setShortcut(QKeySequence(keys))
        action.triggered.connect(lambda _checked=False: call())
        menu.addAction(action)
        return action

    def _fill_recent(self) -> None:
        window, menu = self._window, self.recent
        menu.clear()
        for path in window.files.recent_paths():
            action = menu.addAction(f"{path.name}   ({path.parent})")
            action.setEnabled(path.exists())
            action.triggered.connect(lambda _=False, path=path: window.files.open(path))
        if menu.isEmpty():
            menu.addAction("none yet").setEnabled(False)


def _show_in(session: Session, dimension: str, unit: str) -> None:
    """Show values of a dimension in a unit, or as they are typed; one step that can be undone."""
    if getattr(session.design.shown, dimension) == unit:
        return
    path = ("shown_in", dimension)
    several = _MEASURED[dimension].lower()
    problem = session.edit(
        f"{several} in {unit}" if unit else f"{several} as typed",
        lambda sheet: sheet.with_value(path, unit) if unit else sheet.without(path),
    )
    if problem is not None:
        session.told.emit(problem)


def commands(bar: QMenuBar) -> Iterator[Find]:
    """Yield every command of a menu bar that can be given now."""
    for top in bar.actions():
        yield from _commands(top.menu(), top.text().replace("&", ""))


def _commands(menu: object, where: str) -> Iterator[Find]:
    if not isinstance(menu, QMenu):
        return
    for action in menu.actions():
        words = action.text().replace("&", "")
        if isinstance(action.menu(), QMenu):
            yield from _commands(action.menu(), f"{where}, {words}")
        elif words and action.isEnabled():
            key = action.shortcut().toString()
            detail = f"{where}{f' · {key}' if key else ''}"
            yield Find(words.rstrip("…"), "command", detail, action.trigger)
