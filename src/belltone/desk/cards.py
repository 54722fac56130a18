"""The cards of the design sheet, in the order of work."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QInputDialog

from belltone.desk.card import Act, Card, Choice, Number, Sentence
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path, path_text
from belltone.sheet.materials import handbook
from belltone.sheet.model import HOLD_WORDS, SECTION_SHAPES, Member, Support
from belltone.sheet.units import format_number

__all__ = ["ComponentCard", "ExcitationCard", "HeldCard", "HungCard", "MaterialCard", "WantedCard"]

_DIRECTIONS = ("x", "y", "z", "turn x", "turn y", "turn z")
_SPRINGS = (("springs", "along", "100 N/mm"), ("turning_springs", "about", "100 N*m/rad"))
_DIVISIONS = (1, 2, 3, 4, 6, 8, 12, 16)
_FIRST_DIMENSIONS = {
    "solid rectangle": {"width": "40 mm", "height": "20 mm"},
    "solid round": {"diameter": "30 mm"},
    "round tube": {"diameter": "40 mm", "wall": "3 mm"},
    "rectangular hollow": {"width": "50 mm", "height": "30 mm", "wall": "3 mm"},
}


class _SheetCard(Card):
    """Shared by the cards: the one part, its sites, and edits with a label."""

    @property
    def _part(self) -> tuple[str, Member]:
        return next(iter(self.session.sheet.content.parts.items()))

    def _edit(self, label: str, change: Callable[[Sheet], Sheet]) -> None:
        problem = self.session.edit(label, change)
        if problem is not None:
            self.session.told.emit(problem)

    def _site_choice(self, site: str, path: Path) -> list[str | Number | Choice | Act]:
        """A site as words: an end, or a named point with its live place."""
        name, _ = self._part
        words = {f"{name}.start": "the start", f"{name}.end": "the end"}
        options = [
            (words.get(place, f"“{place}”"), self._set(path, place))
            for place in self.session.design.places
        ]
        options.append(("a new point…", lambda: self._new_point(path)))
        shown = words.get(site, f"“{site}”")
        pieces: list[str | Number | Choice | Act] = [
            Choice(shown, tuple(options), "where; choose an end or a point")
        ]
        if site in self.session.sheet.content.sites:
            pieces += ["at", Number(("sites", site, "along"), f"place of {site}")]
        return pieces

    def _set(self, path: Path, value: object) -> Callable[[], None]:
        label = f"change of {path_text(path)}"
        return lambda: self._edit(label, lambda sheet: sheet.with_value(path, value))

    def _more(self, *options: tuple[str, Callable[[], object]]) -> Choice:
        """What else can be done with the thing a sentence speaks of."""
        return Choice("⋯", tuple(options), "more")

    def _rename(self, path: Path) -> tuple[str, Callable[[], object]]:
        return ("rename…", lambda: self._ask_name(path))

    def _ask_name(self, path: Path) -> None:
        present = str(self.session.sheet.value(path) or "")
        name, good = QInputDialog.getText(self, "Rename", "Name:", text=present)
        if good:
            self.rename(path, name.strip())

    def rename(self, path: Path, name: str) -> None:
        """Give the thing at ``path`` another name."""
        self._edit(f"name {name}", lambda sheet: sheet.with_value(path, name))

    def _take_away(self, path: Path, what: str) -> tuple[str, Callable[[], object]]:
        def remove() -> None:
            self._edit(f"{what} taken away", lambda sheet: sheet.without(path))

        return (f"take this {what} away", remove)

    def _new_point(self, path: Path) -> None:
        part, _ = self._part
        self._edit("a new point", lambda sheet: self._with_point(sheet, path, part))

    def _with_point(self, sheet: Sheet, path: Path, part: str) -> Sheet:
        number = 1
        while f"point_{number}" in sheet.content.sites:
            number += 1
        name = f"point_{number}"
        middle = self.session.design.members[0].length * 500
        return sheet.with_values(
            {
                ("sites", name, "part"): part,
                ("sites", name, "along"): f"{format_number(middle)} mm",
                path: name,
            }
        )


class ComponentCard(_SheetCard):
    """The member: its length and section."""

    title = "Component"

    def sentences(self) -> list[Sentence]:
        name, part = self._part
        base: Path = ("parts", name)
        first: list[str | Number | Choice | Act] = [f"A straight member “{name}”,"]
        if part.length is not None:
            first += [Number((*base, "length"), "length"), "long."]
        else:
            first += self._points(base)
        second = ["Section:", *self._section((*base, "section"), part.section.shape, True)]
        result: list[Sentence] = [first, [*second, "."]]
        if part.section_at_end is None:
            taper = ("taper it: give the far end its own size", lambda: self._taper(base, part))
            result[-1] = [*second, ".", self._more(taper, self._entitle())]
            return result
        third = [
            "At its end:",
            *self._section((*base, "section_at_end"), part.section.shape, False),
        ]
        even = self._more(
            (
                "make it even: both ends alike",
                lambda: self._edit("no taper", lambda s: s.without((*base, "section_at_end"))),
            ),
            self._entitle(),
        )
        return [*result, [*third, ".", even]]

    def _entitle(self) -> tuple[str, Callable[[], object]]:
        return ("title of the sheet…", lambda: self._ask_name(("title",)))

    def _points(self, base: Path) -> list[str | Number | Choice | Act]:
        """The two end points, x y z each."""
        pieces: list[str | Number | Choice | Act] = []
        for key, mark in (("from", ","), ("to", ".")):
            pieces.append(key)
            pieces += [Number((*base, key, axis), f"{key}, {'xyz'[axis]}") for axis in range(3)]
            pieces.append(mark)
        return pieces

    def _section(self, path: Path, shape: str, choose: bool) -> list[str | Number | Choice | Act]:
        options = tuple((name, self._reshape(path, name)) for name in SECTION_SHAPES)
        pieces: list[str | Number | Choice | Act] = []
        if choose:
            pieces += [Choice(shape, options, "shape of the section")]
        if "round" in shape:
            pieces += [Number((*path, "diameter"), "diameter"), "across"]
        else:
            pieces += [Number((*path, "width"), "width"), "wide,"]
            pieces += [Number((*path, "height"), "height"), "high"]
        if shape in ("round tube", "rectangular hollow"):
            pieces += [", wall", Number((*path, "wall"), "wall")]
        return pieces

    def _reshape(self, path: Path, shape: str) -> Callable[[], None]:
        def change(sheet: Sheet) -> Sheet:
            old = sheet.value(path) or {}
            fresh = {key: old.get(key, size) for key, size in _FIRST_DIMENSIONS[shape].items()}
            changed = sheet
            if sheet.value((*path[:-1], "section_at_end")) is not None:
                changed = changed.without((*path[:-1], "section_at_end"))
            return changed.with_value(path, {"shape": shape, **fresh})

        return lambda: self._edit(f"section {shape}", change)

    def _taper(self, base: Path, part: Member) -> None:
        same = part.section.model_dump(exclude_none=True)
        self._edit("a taper", lambda sheet: sheet.with_value((*base, "section_at_end"), same))


class MaterialCard(_SheetCard):
    """What the member is made of."""

    title = "Material"

    def sentences(self) -> list[Sentence]:
        name, part = self._part
        own = self.session.sheet.content.materials
        path: Path = ("parts", name, "material")
        options = [(entry, self._set(path, entry)) for entry in (*own, *handbook())]
        options.append(("one of your own…", lambda: self._own(path, part.material)))
        choice = Choice(part.material, tuple(options), "material; choose from the handbook list")
        if part.material in own:
            base: Path = ("materials", part.material)
            rename = ("rename…", lambda: self._ask_grade(part.material))
            return [
                [choice, ", your own:", self._more(rename)],
                [
                    Number((*base, "youngs_modulus"), "Young's modulus"),
                    "stiff,",
                    Number((*base, "density"), "density"),
                    "dense, Poisson's ratio",
                    Number((*base, "poisson_ratio"), "Poisson's ratio"),
                    ".",
                ],
            ]
        value = self.session.design.members[0].material
        return [
            [choice, "."],
            [
                f"{format_number(value.youngs_modulus / 1e9)} GPa stiff, "
                f"{format_number(value.density)} kg/m³ dense, "
                f"Poisson's ratio {format_number(value.poisson_ratio)}."
            ],
        ]

    def _ask_grade(self, old: str) -> None:
        name, good = QInputDialog.getText(self, "Rename", "Name of the material:", text=old)
        if good:
            self.rename_material(old, name.strip())

    def rename_material(self, old: str, new: str) -> None:
        """Give an own material another name, and the parts made of it too."""
        parts = self.session.sheet.content.parts
        made_of_it: dict[Path, str] = {
            ("parts", name, "material"): new for name, part in parts.items() if part.material == old
        }
        self._edit(
            f"material {new}",
            lambda sheet: sheet.renamed(("materials", old), new).with_values(made_of_it),
        )

    def _own(self, path: Path, like: str) -> None:
        """Start an own material with the present one's values."""
        value = self.session.design.members[0].material
        existing = self.session.sheet.content.materials
        number = 1
        while f"own material {number}" in existing:
            number += 1
        name = f"own material {number}"
        base: Path = ("materials", name)
        self._edit(
            f"own material like {like}",
            lambda sheet: sheet.with_values(
                {
                    (*base, "density"): f"{format_number(value.density)} kg/m^3",
                    (*base, "youngs_modulus"): f"{format_number(value.youngs_modulus / 1e9)} GPa",
                    (*base, "poisson_ratio"): value.poisson_ratio,
                    path: name,
                }
            ),
        )


class HeldCard(_SheetCard):
    """The supports."""

    title = "Held"

    def sentences(self) -> list[Sentence]:
        supports = self.session.sheet.content.supports
        result: list[Sentence] = []
        for index, support in enumerate(supports):
            path: Path = ("supports", index)
            hold = support.hold
            words = hold if isinstance(hold, str) else "held in " + ", ".join(hold)
            options: list[tuple[str, Callable[[], object]]] = [
                (word, self._set((*path, "hold"), word)) for word in HOLD_WORDS
            ]
            held = () if isinstance(hold, str) else hold
            for direction in _DIRECTIONS:
                turned = [d for d in _DIRECTIONS if (d in held) != (d == direction)]
                if turned:
                    verb = "no longer hold" if direction in held else "hold"
                    verb = "hold only" if isinstance(hold, str) else verb
                    options.append((f"{verb} {direction}", self._set((*path, "hold"), turned)))
            name = f"{support.name}:" if support.name else ""
            site = self._site_choice(support.site, (*path, "site"))
            more = self._more(
                *self._spring_options(path, support),
                self._rename((*path, "name")),
                self._take_away(path, "support"),
            )
            held_words = Choice(words, tuple(options), "how it is held")
            springs = self._springs(path, support)
            result.append([name, held_words, "at", *site, *springs, ".", more])
        if result:
            return result
        if self.session.sheet.content.modes.free:
            return [["Free in space, as meant."]]
        meant = Act("that is meant", self._set(("modes", "free"), True), "Ask no more about it")
        return [["Free in space: nothing holds it.", meant]]

    def _springs(self, path: Path, support: Support) -> list[str | Number | Choice | Act]:
        """The springs of a support, as words and live numbers."""
        pieces: list[str | Number | Choice | Act] = []
        for key, words, _ in _SPRINGS:
            for axis in "xyz":
                if getattr(getattr(support, key), axis, None) is not None:
                    pieces += [f", on a spring {words} {axis} of"]
                    pieces += [Number((*path, key, axis), f"spring {words} {axis}")]
        return pieces

    def _spring_options(
        self, path: Path, support: Support
    ) -> list[tuple[str, Callable[[], object]]]:
        """Springs to add, and those there are to take away."""
        options: list[tuple[str, Callable[[], object]]] = []
        for key, words, first in _SPRINGS:
            for axis in "xyz":
                place: Path = (*path, key, axis)
                if getattr(getattr(support, key), axis, None) is None:
                    text = f"put it on a spring {words} {axis}"
                    options.append((text, self._set(place, first)))
                else:
                    options.append((f"no spring {words} {axis}", self._no_spring(path, key, axis)))
        return options

    def _no_spring(self, path: Path, key: str, axis: str) -> Callable[[], None]:
        def change(sheet: Sheet) -> Sheet:
            only = len(sheet.value((*path, key)) or {}) == 1
            if sheet.value((*path, "hold")) is None:
                sheet = sheet.with_value((*path, "hold"), "free")
            return sheet.without((*path, key) if only else (*path, key, axis))

        return lambda: self._edit("spring taken away", change)

    def adders(self) -> list[Act]:
        return [Act("add a support", self._add, "Hold it at one more place")]

    def _add(self) -> None:
        name, _ = self._part
        taken = {support.site for support in self.session.sheet.content.supports}
        site = f"{name}.start" if f"{name}.start" not in taken else f"{name}.end"
        entry = {"site": site, "hold": "clamped"}
        self._edit("a support", lambda sheet: sheet.with_entry(("supports",), entry))


class HungCard(_SheetCard):
    """The masses."""

    title = "Hung on it"
    _unfolded = False

    def sentences(self) -> list[Sentence]:
        result: list[Sentence] = []
        for index, mass in enumerate(self.session.sheet.content.masses):
            path: Path = ("masses", index)
            body: list[str | Number | Choice | Act] = [
                f"{mass.name or 'a mass'}:",
                Number((*path, "mass"), "mass"),
                "at",
                *self._site_choice(mass.site, (*path, "site")),
            ]
            stated = [
                words
                for words, value in (("inertia", mass.inertia), ("offset", mass.offset))
                if value is not None
            ]
            if stated and not self._unfolded:
                body.append(f", with {' and '.join(stated)}")
            options = [self._rename((*path, "name")), self._take_away(path, "mass")]
            if mass.inertia is None:
                choose = self._set((*path, "inertia"), ["0.01 kg*m^2"] * 3)
                options.insert(0, ("give it inertia", choose))
            if mass.offset is None:
                choose = self._set((*path, "offset"), ["0 mm", "0 mm", "-50 mm"])
                options.insert(0, ("set its centre off the axis", choose))
            result.append([*body, ".", self._more(*options)])
            if self._unfolded:
                result += self._details(path, mass.inertia, mass.offset)
        return result or [["Nothing but its own mass."]]

    def adders(self) -> list[Act]:
        return [
            Act("details", self._fold, "Show or hide inertia and offsets"),
            Act("add a mass", self._add, "Hang one more thing on it"),
        ]

    def _fold(self) -> None:
        self._unfolded = not self._unfolded
        self.refresh()

    def _details(self, path: Path, inertia: object, offset: object) -> list[Sentence]:
        """Inertia and offset, where they are stated."""
        result: list[Sentence] = []
        if isinstance(inertia, str):
            number = Number((*path, "inertia"), "inertia")
            result.append(["Inertia about its centre", number, "."])
        elif inertia is not None:
            words = ["about x", ", about y", ", about z"]
            pieces: list[str | Number | Choice | Act] = ["Inertia about its centre:"]
            for axis, word in enumerate(words):
                pieces += [word, Number((*path, "inertia", axis), f"inertia {word.strip(', ')}")]
            result.append([*pieces, "."])
        if offset is not None:
            pieces = ["Its centre lies"]
            for axis, word in enumerate(["along x,", "along y,", "along z from the axis."]):
                pieces += [Number((*path, "offset", axis), f"offset {word[:7]}"), word]
            result.append(pieces)
        return result

    def _add(self) -> None:
        name, _ = self._part
        entry = {"site": f"{name}.end", "mass": "1 kg"}
        self._edit("a mass", lambda sheet: sheet.with_entry(("masses",), entry))


class ExcitationCard(_SheetCard):
    """What shakes the component."""

    title = "Shaken by"

    def sentences(self) -> list[Sentence]:
        excitation = self.session.sheet.content.excitation
        base: Path = ("excitation",)
        result: list[Sentence] = []
        for index, source in enumerate(excitation.sources):
            path: Path = (*base, "sources", index)
            orders = ", ".join(f"{order:g}×" for order in source.orders)
            speed: list[str | Number | Choice | Act]
            if isinstance(source.speed, tuple):
                speed = [
                    Number((*path, "speed", 0), "lowest speed"),
                    "to",
                    Number((*path, "speed", 1), "highest speed"),
                ]
            else:
                speed = [Number((*path, "speed"), "speed")]
            options = tuple(
                (", ".join(f"{o}×" for o in range(1, top + 1)), self._orders(path, top))
                for top in range(1, 9)
            )
            other = ("other orders…", lambda path=path, now=orders: self._ask_orders(path, now))
            choice = Choice(orders, (*options, other), "orders of its speed")
            more = self._more(self._rename((*path, "name")), self._take_away(path, "source"))
            result.append([f"{source.name}:", *speed, ", orders", choice, ".", more])
        for index, band in enumerate(excitation.bands):
            path = (*base, "bands", index)
            result.append(
                [
                    f"{band.name}:",
                    Number((*path, "from"), f"start of {band.name}"),
                    "to",
                    Number((*path, "to"), f"end of {band.name}"),
                    ".",
                    self._more(self._rename((*path, "name")), self._take_away(path, "band")),
                ]
            )
        if not result:
            return [["Nothing yet."]]
        margin: list[str | Number | Choice | Act] = ["Every mode stays clear of them"]
        if self.session.sheet.value((*base, "margin")) is not None:
            margin += ["by", Number((*base, "margin"), "separation margin"), "."]
        else:
            margin += ["by 10 %.", Act("change", self._set((*base, "margin"), "10 %"))]
        return [*result, margin]

    def adders(self) -> list[Act]:
        return [
            Act("add a band", self._add_band, "Add a fixed band of frequencies"),
            Act("add a source", self._add_source, "Add something that turns"),
        ]

    def _ask_orders(self, path: Path, present: str) -> None:
        text, good = QInputDialog.getText(
            self, "Orders", "Orders of its speed, such as 1, 2, 7:", text=present.replace("×", "")
        )
        if good:
            self.set_orders(path, text)

    def set_orders(self, path: Path, text: str) -> None:
        """Take orders typed as numbers with commas; says what cannot be read."""
        try:
            orders = [float(word) for word in text.replace("×", "").split(",")]
        except ValueError:
            self.session.told.emit(f"“{text}” is no list of orders; write them as 1, 2, 7")
            return
        plain = [int(order) if order.is_integer() else order for order in orders]
        self._edit("orders", lambda sheet: sheet.with_value((*path, "orders"), plain))

    def _orders(self, path: Path, top: int) -> Callable[[], None]:
        return self._set((*path, "orders"), list(range(1, top + 1)))

    def _add_band(self) -> None:
        entry = {"name": "new band", "from": "95 Hz", "to": "105 Hz"}
        self._edit("a band", lambda s: s.with_entry(("excitation", "bands"), entry))

    def _add_source(self) -> None:
        entry = {"name": "new source", "speed": ["1400 rpm", "1500 rpm"], "orders": [1, 2]}
        self._edit("a source", lambda s: s.with_entry(("excitation", "sources"), entry))


class WantedCard(_SheetCard):
    """How many modes, how exact."""

    title = "Accuracy"

    def sentences(self) -> list[Sentence]:
        content = self.session.sheet.content
        counts = (4, 6, 8, 10, 12, 16, 20, 30, 40)
        options = tuple((str(n), self._set(("modes", "count"), n)) for n in counts)
        first: list[str | Number | Choice | Act] = [
            "At least",
            Choice(str(content.modes.count), options, "how many modes to find"),
            "modes, and all up to the highest excitation, each to",
        ]
        fixed = self.session.design.fixed
        if fixed is not None:
            divisions = tuple((str(n), self._set(("accuracy", "divisions"), n)) for n in _DIVISIONS)
            orders = tuple((str(n), self._set(("accuracy", "order"), n)) for n in range(3, 9))
            first[-1] = "modes, and all up to the highest excitation, on"
            first += [
                Choice(str(fixed[0]), divisions, "divisions between neighbouring sites"),
                "divisions of order",
                Choice(str(fixed[1]), orders, "order of the elements"),
                ".",
                self._more(("let the program choose by accuracy", self._unfix)),
            ]
            return [first]
        if self.session.sheet.value(("accuracy", "target")) is not None:
            first += [Number(("accuracy", "target"), "largest error"), "or better."]
        else:
            first += ["0.5 % or better.", Act("change", self._set(("accuracy", "target"), "0.5 %"))]
        first.append(self._more(("state divisions and order yourself", self._fix)))
        return [first]

    def _fix(self) -> None:
        answer = self.session.answer
        used = answer.modes.discretisation if answer is not None else None
        divisions, order = (used.divisions, used.order) if used is not None else (2, 5)
        self._edit(
            "divisions and order",
            lambda sheet: sheet.with_values(
                {("accuracy", "divisions"): divisions, ("accuracy", "order"): order}
            ),
        )

    def _unfix(self) -> None:
        self._edit(
            "accuracy",
            lambda sheet: sheet.without(("accuracy", "divisions")).without(("accuracy", "order")),
        )
