"""The cards of the component itself: its shape, its material, how exact its modes are."""

from __future__ import annotations

from PySide6.QtWidgets import QInputDialog

from belltone.desk.card import Act, Choice, Number, Sentence
from belltone.desk.member_sentences import member_sentences
from belltone.desk.sheet_card import SheetCard
from belltone.desk.wall_sentences import wall_sentences
from belltone.sheet.design import MemberValue
from belltone.sheet.errors import Path
from belltone.sheet.materials import handbook
from belltone.sheet.model import PlyMaterial
from belltone.sheet.part_models import Member
from belltone.sheet.units import format_number

__all__ = ["ComponentCard", "MaterialCard", "WantedCard"]

_DIVISIONS = (1, 2, 3, 4, 6, 8, 12, 16)


class ComponentCard(SheetCard):
    """The part: a member, a plate or a shell."""

    title = "Component"

    def sentences(self) -> list[Sentence]:
        name, part = self._part
        entitle = ("title of the sheet…", lambda: self._ask_name(("title",)))
        if isinstance(part, Member):
            return member_sentences(self, name, part, entitle)
        return wall_sentences(self, name, part, entitle)


class MaterialCard(SheetCard):
    """What the part is made of."""

    title = "Material"

    def sentences(self) -> list[Sentence]:
        name, part = self._part
        if part.material is None:
            return self._of_plies()
        own = self.session.sheet.content.materials
        made_of = part.material
        path: Path = ("parts", name, "material")
        options = [(entry, self.set_to(path, entry)) for entry in (*own, *handbook())]
        options.append(("one of your own…", lambda: self._own(path, made_of)))
        choice = Choice(part.material, tuple(options), "material; choose from the handbook list")
        if isinstance(own.get(part.material), PlyMaterial):
            return [[choice, ", a material of plies:"], self._ply_values(part.material)]
        if part.material in own:
            base: Path = ("materials", part.material)
            rename = ("rename…", lambda: self._ask_grade(part.material))
            return [
                [choice, ", your own:", self.more(rename)],
                [
                    Number((*base, "youngs_modulus"), "Young's modulus"),
                    "stiff,",
                    Number((*base, "density"), "density"),
                    "dense, Poisson's ratio",
                    Number((*base, "poisson_ratio"), "Poisson's ratio"),
                    ".",
                ],
            ]
        density, modulus, ratio = self._values()
        return [
            [choice, "."],
            [
                f"{format_number(modulus / 1e9)} GPa stiff, {format_number(density)} kg/m³ dense, "
                f"Poisson's ratio {format_number(ratio)}."
            ],
        ]

    def _values(self) -> tuple[float, float, float]:
        """Density (kg/m³), Young's modulus (Pa) and Poisson's ratio of the part's material."""
        part = self.session.design.part
        if isinstance(part, MemberValue):
            own = part.material
            return own.density, own.youngs_modulus, own.poisson_ratio
        wall = part.layup.plies[0].material
        return wall.density, wall.modulus_along, wall.poisson_ratio

    def _of_plies(self) -> list[Sentence]:
        """The materials the plies name."""
        own = self.session.sheet.content.materials
        plies = getattr(self._part[1], "plies", None) or ()
        result: list[Sentence] = []
        for name in dict.fromkeys(ply.material for ply in plies):
            result.append([f"Plies of {name}."])
            if isinstance(own.get(name), PlyMaterial):
                result.append(self._ply_values(name))
        return result

    def _ply_values(self, name: str) -> Sentence:
        base: Path = ("materials", name)
        pieces: list[str | Number | Choice | Act] = []
        for key, words in (
            ("modulus_along", "stiff along its fibres,"),
            ("modulus_across", "across; Poisson's ratio"),
            ("poisson_ratio", "; in shear"),
            ("shear_in_plane", "in the plane,"),
            ("shear_along", "and"),
            ("shear_across", "through the thickness;"),
            ("density", "dense."),
        ):
            pieces += [Number((*base, key), key.replace("_", " ")), words]
        return pieces

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
        self.edit(
            f"material {new}",
            lambda sheet: sheet.renamed(("materials", old), new).with_values(made_of_it),
        )

    def _own(self, path: Path, like: str) -> None:
        """Start an own material with the present one's values."""
        density, modulus, ratio = self._values()
        existing = self.session.sheet.content.materials
        number = 1
        while f"own material {number}" in existing:
            number += 1
        name = f"own material {number}"
        base: Path = ("materials", name)
        self.edit(
            f"own material like {like}",
            lambda sheet: sheet.with_values(
                {
                    (*base, "density"): f"{format_number(density)} kg/m^3",
                    (*base, "youngs_modulus"): f"{format_number(modulus / 1e9)} GPa",
                    (*base, "poisson_ratio"): ratio,
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
        options = tuple((str(n), self.set_to(("modes", "count"), n)) for n in counts)
        first: list[str | Number | Choice | Act] = [
            "At least",
            Choice(str(content.modes.count), options, "how many modes to find"),
            "modes, and all up to the highest excitation, each to",
        ]
        fixed = self.session.design.fixed
        if fixed is not None:
            least = 3 if self.session.design.surface is None else 1
            divisions = tuple(
                (str(n), self.set_to(("accuracy", "divisions"), n)) for n in _DIVISIONS
            )
            orders = tuple((str(n), self.set_to(("accuracy", "order"), n)) for n in range(least, 9))
            first[-1] = "modes, and all up to the highest excitation, on"
            first += [
                Choice(str(fixed[0]), divisions, "divisions of every stretch between sites"),
                "divisions of order",
                Choice(str(fixed[1]), orders, "order of the elements"),
                ".",
                self.more(("let the program choose by accuracy", self._unfix)),
            ]
            return [first]
        if self.session.sheet.value(("accuracy", "target")) is not None:
            first += [Number(("accuracy", "target"), "largest error"), "or better."]
        else:
            first += [
                "0.5 % or better.",
                Act("change", self.set_to(("accuracy", "target"), "0.5 %")),
            ]
        first.append(self.more(("state divisions and order yourself", self._fix)))
        return [first]

    def _fix(self) -> None:
        answer = self.session.answer
        used = answer.modes.discretisation if answer is not None else None
        divisions, order = (used.divisions, used.order) if used is not None else (2, 5)
        self.edit(
            "divisions and order",
            lambda sheet: sheet.with_values(
                {("accuracy", "divisions"): divisions, ("accuracy", "order"): order}
            ),
        )

    def _unfix(self) -> None:
        self.edit(
            "accuracy",
            lambda sheet: sheet.without(("accuracy", "divisions")).without(("accuracy", "order")),
        )
