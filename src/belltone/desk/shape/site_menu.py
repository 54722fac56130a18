"""What can be done with a site picked in the shape view."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PySide6.QtWidgets import QMenu, QWidget

from belltone.design.parts import SurfaceValue
from belltone.desk.session.session import Session
from belltone.sheet.document import Sheet
from belltone.sheet.model import HOLD_WORDS

__all__ = ["site_menu"]


def site_menu(session: Session, site: str, parent: QWidget) -> QMenu:
    """A menu to hold a site, let it go, hang something on it, or load it."""
    menu = QMenu(parent)
    menu.addSection(f"“{site}”")
    content = session.sheet.content
    supports = [index for index, held in enumerate(content.supports) if held.site == site]
    place = session.design.places.get(site)
    on_wall = place is not None and isinstance(session.design.part_of(place.part), SurfaceValue)
    words = [word for word in HOLD_WORDS if word != "free" and (on_wall or word not in _EDGES_ONLY)]
    for word in words:
        if supports:
            index = supports[0]
            if content.supports[index].hold == word:
                continue
            text = f"hold it {word} instead"
            change = _set(("supports", index, "hold"), word)
        else:
            text = f"hold it {word}"
            change = _add(("supports",), {"site": site, "hold": word})
        _offer(menu, session, text, change)
    if supports:
        _offer(menu, session, "let it go", _remove(supports))
    menu.addSeparator()
    _offer(menu, session, "hang a mass on it", _add(("masses",), {"site": site, "mass": "1 kg"}))
    pushed: dict[str, object] = {"site": site, "force": ["0 N", "0 N", "-100 N"]}
    _offer(menu, session, "push it with a force", _add(("preload", "forces"), pushed))
    if place is not None and place.feature is not None and on_wall:
        part = session.design.part_of(place.part)
        if part.features[place.feature].sort == "face":
            pressed: dict[str, object] = {"site": site, "pressure": "0.1 bar", "on": "outer"}
            _offer(menu, session, "press on it", _add(("preload", "pressures"), pressed))
    return menu


_EDGES_ONLY = ("simply supported", "diaphragm")


def _offer(menu: QMenu, session: Session, text: str, change: Callable[[Sheet], Sheet]) -> None:
    def act() -> None:
        problem = session.edit(text, change)
        if problem is not None:
            session.told.emit(problem)

    menu.addAction(text).triggered.connect(lambda _checked=False: act())


def _set(path: tuple[str | int, ...], value: object) -> Callable[[Sheet], Sheet]:
    return lambda sheet: sheet.with_value(path, value)


def _add(path: tuple[str, ...], entry: Mapping[str, object]) -> Callable[[Sheet], Sheet]:
    return lambda sheet: sheet.with_entry(path, entry)


def _remove(supports: list[int]) -> Callable[[Sheet], Sheet]:
    def change(sheet: Sheet) -> Sheet:
        for index in reversed(supports):
            sheet = sheet.without(("supports", index))
        return sheet

    return change
