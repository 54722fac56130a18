"""What the cards of the design sheet share: the chosen part, its sites, edits with a label."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np
from PySide6.QtWidgets import QInputDialog

from belltone.design.parts import MemberValue, PartValue, SurfaceValue
from belltone.desk.cards.card import Act, Card, Choice, Number, Piece
from belltone.geometry.shapes import SIDE_NAMES, Disc, Extruded, Plate, Revolved, extent
from belltone.geometry.skins import Skin
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path, path_text
from belltone.sheet.part_models import AnyPart, Frame
from belltone.sheet.renaming import renamed_everywhere
from belltone.sheet.shown_units import ShownUnits
from belltone.sheet.units import format_number

__all__ = ["SheetCard", "few"]


class SheetCard(Card):
    """Shared by the cards: the chosen part, its sites, and edits with a label."""

    @property
    def sheet(self) -> Sheet:
        """The sheet as it stands."""
        return self.session.sheet

    @property
    def _part(self) -> tuple[str, AnyPart]:
        """The part of the sheet that is chosen; of several, the first."""
        name = self.session.parts.chosen[0]
        return name, self.session.sheet.content.parts[name]

    def edit(self, label: str, change: Callable[[Sheet], Sheet]) -> None:
        problem = self.session.edit(label, change)
        if problem is not None:
            self.session.told.emit(problem)

    def _site_choice(self, site: str, path: Path) -> list[Piece]:
        """A site as words: an end, an edge, or a named point with its live place."""
        options = [
            (self.place_words(place), self.set_to(path, place))
            for place in self.session.design.places
        ]
        options.append(("a new point…", lambda: self._new_point(path)))
        if site in self.session.sheet.content.sites:
            options.append((f"rename “{site}”…", lambda: self._ask_own_name("sites", site)))
        shown = self.place_words(site)
        pieces: list[Piece] = [
            Choice(shown, tuple(options), "where; choose an end or a point", site)
        ]
        if site in self.session.sheet.content.sites:
            pieces += self._coordinates(site)
        return pieces

    def add_entry(self, label: str, path: Path, entry: Mapping[str, object]) -> None:
        """Put an entry at the end of a list, with the keyboard at it to be typed over."""
        count = len(self.sheet.value(path) or [])
        self.edit(label, lambda sheet: sheet.with_entry(path, entry))
        if len(self.sheet.value(path) or []) > count:
            self.type_at((*path, count))

    def state(self, path: Path, text: str) -> Callable[[], None]:
        """Put a value that went without saying into the sheet, to be typed over at once."""

        def act() -> None:
            self.edit(f"change of {path_text(path)}", lambda sheet: sheet.with_value(path, text))
            self.type_at(path)

        return act

    def sites_of_part(self) -> list[str]:
        """The sites of the chosen part, whole faces and lengths last: few things stand on those."""
        name, _ = self._part
        design = self.session.design
        own = [
            site
            for site, place in design.places.items()
            if place.part == name or place.part.startswith(f"{name}.")
        ]
        wide = (".face", ".axis")
        own = [s for s in own if s.startswith(f"{name}.")] or own
        # Of a frame its nodes, which come before the ends of its members.
        nodes = [site for site in own if site.count(".") == name.count(".") + 1]
        return sorted(nodes or own, key=lambda site: site.endswith(wide)) or list(design.places)

    def place_words(self, site: str) -> str:
        """A site in words; with several parts the part is named too."""
        design = self.session.design
        place = design.places.get(site)
        if place is None or site in self.sheet.content.sites:
            return f"“{site}”"
        part = design.part_of(place.part)
        several = len(design.solid_parts) > 1
        if place.feature is None and site not in (f"{part.name}.start", f"{part.name}.end"):
            return f"“{site}”"
        feature = site.removeprefix(f"{part.name}.")
        own = part.features.get(feature)
        words = _site_words(feature, "end" if own is None else own.sort)
        return f"{words} of “{part.name}”" if several else words

    def _coordinates(self, site: str) -> list[Piece]:
        """A named point's live coordinates on its part."""
        point = self.sheet.content.sites[site]
        path: Path = ("sites", site)
        if point.position is not None:
            axes = (Number((*path, "position", k), f"{'xyz'[k]} of {site}") for k in range(3))
            x, y, z = axes
            link = f", rigidly linked to “{point.linked_to}”"
            return ["at x", x, ", y", y, ", z", z, link]
        if point.at is not None:
            x, y = (Number((*path, "at", axis), f"{'xy'[axis]} of {site}") for axis in (0, 1))
            return ["at x", x, ", y", y]
        pieces: list[Piece] = []
        for key, words in (("profile", "along the profile,"), ("around", "around"), ("along", "")):
            if getattr(point, key) is not None:
                pieces += ["at", Number((*path, key), f"place of {site}")]
                pieces += [words] if words else []
        return pieces

    def set_to(self, path: Path, value: object) -> Callable[[], None]:
        label = f"change of {path_text(path)}"
        return lambda: self.edit(label, lambda sheet: sheet.with_value(path, value))

    def _ask_own_name(self, group: str, present: str) -> None:
        """Ask for another name of a part, site or material."""
        asked = f"Name of this {group[:-1]}; all that refers to it follows:"
        name, good = QInputDialog.getText(self, "Rename", asked, text=present)
        if good:
            self.rename((group, present), name.strip())

    def rename(self, path: Path, name: str) -> None:
        """Give the thing at ``path`` another name, and follow it in all that refers to it."""
        self.edit(f"name “{name}”", lambda sheet: renamed_everywhere(sheet, path, name))

    def remove_act(self, path: Path, what: str) -> Act:
        def remove() -> None:
            self.edit(f"{what} taken away", lambda sheet: sheet.without(path))

        return Act("take away", remove, f"Take this {what} away")

    def _new_point(self, path: Path) -> None:
        part, model = self._part
        if isinstance(model, Frame):
            part = f"{part}.{next(iter(model.members))}"
        self.edit("a new point", lambda sheet: self._with_point(sheet, path, part))

    def _with_point(self, sheet: Sheet, path: Path, part: str) -> Sheet:
        name = sheet.content.free_site("point")
        base: Path = ("sites", name)
        place = _middle(self.session.design.part_of(part), self.session.design.shown)
        return sheet.with_values(
            {(*base, "part"): part, **{(*base, key): at for key, at in place.items()}, path: name}
        )


def few(names: list[str], most: int = 4) -> str:
    """The first of some names, and how many more there are."""
    more = f" and {len(names) - most} more" if len(names) > most else ""
    between = "; " if any("," in name for name in names) else ", "
    return between.join(names[:most]) + more


def _middle(part: PartValue, units: ShownUnits) -> Mapping[str, str | list[str]]:
    """Coordinates of a point about the middle of a part, as a sheet writes them."""
    if isinstance(part, MemberValue):
        return {"along": units.length_text(0.5 * part.length)}
    assert isinstance(part, SurfaceValue)
    shape = part.shape
    if isinstance(shape, Plate):
        low, high = extent(shape.outline)
        x, y = 0.5 * (low + high)
        if isinstance(shape.outline, Disc) and shape.outline.bore:
            x = 0.5 * (shape.outline.radius + shape.outline.bore)
        for hole in shape.holes:
            if np.hypot(x - hole.centre[0], y - hole.centre[1]) < 0.5 * (high - low).min():
                x, y = 0.5 * (low + np.minimum(low + 0.2 * (high - low), high))
        return {"at": [units.length_text(float(each) + 0.0) for each in (x, y)]}
    if isinstance(shape, Skin):
        place = part.origin + part.frame @ shape.locate(0, np.array([0.5]), np.array([0.5]))[0][0]
        return {"near": [units.length_text(float(each) + 0.0) for each in place]}
    along = {"profile": units.length_text(0.5 * shape.profile.length)}
    if isinstance(shape, Revolved):
        return along | {"around": f"{format_number(np.degrees(shape.angle) / 2)} deg"}
    depth = shape.length if isinstance(shape, Extruded) else shape.span
    return along | {"along": units.length_text(0.5 * depth)}


def _site_words(feature: str, sort: str) -> str:
    if sort == "face":
        return "the whole face" if feature == "face" else feature
    if sort == "axis":
        return "the whole length"
    if sort == "end":
        return f"the {feature}"
    if sort == "corner":
        return f"the {feature} corner" if not feature.startswith("corner") else feature
    if feature in ("outline", "rim", "bore", "first side", "last side"):
        return f"the {feature}"
    if feature in SIDE_NAMES or feature in ("start", "end"):
        return f"the {feature} edge"
    return feature if feature.startswith(("edge ", "ring ", "line ")) else f"the rim of “{feature}”"
