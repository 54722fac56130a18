"""The cards of the component itself: its shape, its material, how exact its modes are."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QInputDialog

from belltone.desk.card import Act, Choice, Number, Sentence
from belltone.desk.sheet_card import SheetCard
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.sheet.materials import handbook
from belltone.sheet.model import SECTION_SHAPES, Member
from belltone.sheet.units import format_number

__all__ = ["ComponentCard", "MaterialCard", "WantedCard"]

_DIVISIONS = (1, 2, 3, 4, 6, 8, 12, 16)
_FIRST_DIMENSIONS = {
    "solid rectangle": {"width": "40 mm", "height": "20 mm"},
    "solid round": {"diameter": "30 mm"},
    "round tube": {"diameter": "40 mm", "wall": "3 mm"},
    "rectangular hollow": {"width": "50 mm", "height": "30 mm", "wall": "3 mm"},
}


class ComponentCard(SheetCard):
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


class MaterialCard(SheetCard):
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


class WantedCard(SheetCard):
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
