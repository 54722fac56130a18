"""What can be done with a site picked in the shape view."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtWidgets import QMenu, QWidget

from belltone.design.parts import SurfaceValue
from belltone.desk.session.session import Session
from belltone.drawing.scene import Spot
from belltone.sheet.document import Sheet
from belltone.sheet.model import HOLD_WORDS

__all__ = ["site_menu"]


Edit = Callable[[Sheet], Sheet]


def site_menu(session: Session, site: str, parent: QWidget, spot: Spot | None = None) -> QMenu:
    """A menu to hold a site, let it go, hang something on it, or load it.

    Sites gathered before are meant along with it. On a received part a point can be put at the
    ``spot`` under the mouse.
    """
    menu = QMenu(parent)
    sites = tuple(dict.fromkeys((*session.pointing.gathered, site)))
    several = len(sites) > 1
    menu.addSection(f"{len(sites)} sites" if several else f"“{site}”")
    told = menu.addAction("show what the sheet says of it")
    told.triggered.connect(lambda _checked=False: session.pointing.seek_site(site))
    menu.addSeparator()
    content = session.sheet.content
    held = {support.site: support.hold for support in content.supports if support.site in sites}
    walls = [_wall_of(session, each) for each in sites]
    what = f"all {len(sites)}" if several else "it"
    for word in HOLD_WORDS:
        if word == "free" or (word in _EDGES_ONLY and None in walls):
            continue
        if [held.get(each) for each in sites] == [word] * len(sites):
            continue
        instead = " instead" if held else ""
        _offer(menu, session, f"hold {what} {word}{instead}", _each(sites, _hold(word)))
    if held:
        _offer(menu, session, f"let {what} go", _each(sites, _let_go))
    menu.addSeparator()
    one = "one each" if several else "it"
    _offer(menu, session, f"hang a mass on {one}", _each(sites, _entry(("masses",), mass="1 kg")))
    pushed = _entry(("preload", "forces"), force=["0 N", "0 N", "-100 N"])
    _offer(menu, session, f"push {what} with a force", _each(sites, pushed))
    if all(
        wall is not None and _is_face(wall, session, s)
        for wall, s in zip(walls, sites, strict=True)
    ):
        pressed = _entry(("preload", "pressures"), pressure="0.1 bar", on="outer")
        _offer(menu, session, f"press on {what}", _each(sites, pressed))
    if spot is not None and session.design.part_of(spot.part).is_received:
        menu.addSeparator()
        near = [
            session.design.shown.length_text(round(float(each), 6) + 0.0) for each in spot.place
        ]
        name = content.free_site("point")
        point: dict[tuple[str | int, ...], object] = {
            ("sites", name): {"part": spot.part, "near": near}
        }
        _offer(menu, session, "put a point here", lambda sheet: sheet.with_values(point))
    menu.addSeparator()
    if site in session.pointing.gathered:
        menu.addAction("leave this one out").triggered.connect(
            lambda _checked=False: session.pointing.gather(site)
        )
    else:
        menu.addAction("gather it with others (Ctrl+click)").triggered.connect(
            lambda _checked=False: session.pointing.gather(site)
        )
    return menu


def _wall_of(session: Session, site: str) -> SurfaceValue | None:
    place = session.design.places.get(site)
    part = None if place is None else session.design.part_of(place.part)
    return part if isinstance(part, SurfaceValue) else None


def _is_face(wall: SurfaceValue, session: Session, site: str) -> bool:
    feature = session.design.places[site].feature
    return feature is not None and wall.features[feature].sort == "face"


_EDGES_ONLY = ("simply supported", "diaphragm")


def _offer(menu: QMenu, session: Session, text: str, change: Edit) -> None:
    def act() -> None:
        problem = session.edit(text, change)
        if problem is not None:
            session.told.emit(problem)
        else:
            session.pointing.forget_gathered()

    menu.addAction(text).triggered.connect(lambda _checked=False: act())


def _each(sites: Sequence[str], change: Callable[[Sheet, str], Sheet]) -> Edit:
    """One change made at every site, as one step."""

    def all_of_them(sheet: Sheet) -> Sheet:
        for site in sites:
            sheet = change(sheet, site)
        return sheet

    return all_of_them


def _hold(word: str) -> Callable[[Sheet, str], Sheet]:
    """Hold a site so, in place of how it is held."""

    def change(sheet: Sheet, site: str) -> Sheet:
        for index, support in enumerate(sheet.content.supports):
            if support.site == site:
                return sheet.with_value(("supports", index, "hold"), word)
        return sheet.with_entry(("supports",), {"site": site, "hold": word})

    return change


def _let_go(sheet: Sheet, site: str) -> Sheet:
    for index in reversed(range(len(sheet.content.supports))):
        if sheet.content.supports[index].site == site:
            sheet = sheet.without(("supports", index))
    return sheet


def _entry(path: tuple[str, ...], **values: object) -> Callable[[Sheet, str], Sheet]:
    return lambda sheet, site: sheet.with_entry(path, {"site": site, **values})
