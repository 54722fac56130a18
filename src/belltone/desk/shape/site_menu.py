"""What can be done with a site picked in the shape view."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PySide6.QtWidgets import QMenu, QWidget

from belltone.design.parts import MeshValue, PartValue, SurfaceValue
from belltone.desk.session.session import Session
from belltone.drawing.scene import Spot
from belltone.geometry.skins import Skin
from belltone.sheet.document import Sheet
from belltone.sheet.model import HOLD_WORDS
from belltone.sheet.units import format_number

__all__ = ["site_menu"]


def site_menu(session: Session, site: str, parent: QWidget, spot: Spot | None = None) -> QMenu:
    """A menu to hold a site, let it go, hang something on it, or load it.

    On a received part a point can be put at the ``spot`` under the mouse.
    """
    menu = QMenu(parent)
    menu.addSection(f"“{site}”")
    told = menu.addAction("show what the sheet says of it")
    told.triggered.connect(lambda _checked=False: session.pointing.seek_site(site))
    menu.addSeparator()
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
    if spot is not None and _received(session.design.part_of(spot.part)):
        menu.addSeparator()
        near = [f"{format_number(round(1e3 * float(each), 3) + 0.0)} mm" for each in spot.place]
        name = content.free_site("point")
        point: dict[tuple[str | int, ...], object] = {
            ("sites", name): {"part": spot.part, "near": near}
        }
        _offer(menu, session, "put a point here", lambda sheet: sheet.with_values(point))
    return menu


def _received(part: PartValue) -> bool:
    """Whether points of a part are given by what they are near."""
    return isinstance(part, MeshValue) or (
        isinstance(part, SurfaceValue) and isinstance(part.shape, Skin)
    )


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
