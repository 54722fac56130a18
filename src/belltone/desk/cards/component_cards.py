"""The cards of the component itself: its shape, its material, how exact its modes are."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QInputDialog

from belltone.design.words import part_words
from belltone.desk.cards.card import Act, Acts, Choice, Number, Piece, Sentence
from belltone.desk.cards.first_parts import FIRST_PARTS, first_parts
from belltone.desk.cards.member_sentences import (
    frame_sentences,
    member_sentences,
    member_summary,
    rib_sentences,
    turned_sentences,
)
from belltone.desk.cards.received_sentences import mesh_sentences, skin_sentences
from belltone.desk.cards.sheet_card import SheetCard
from belltone.desk.cards.wall_sentences import plate_summary, wall_sentences
from belltone.desk.session.session import Session
from belltone.sheet.errors import Path
from belltone.sheet.handbook import handbook
from belltone.sheet.model import PlyMaterial
from belltone.sheet.part_models import (
    Frame,
    Member,
    MeshPart,
    Plate,
    Rib,
    SkinPart,
    SurfaceModel,
    Turned,
)
from belltone.sheet.units import format_number
from belltone.store.library import keep_material, library

__all__ = ["ComponentCard", "MaterialCard", "WantedCard"]

_REPEATED = ("in a row", "round an axis", "mirrored")
_DIVISIONS = (1, 2, 3, 4, 6, 8, 12, 16)


class ComponentCard(SheetCard):
    """The chosen part: a member, a frame, a rib, a plate or a shell."""

    title = "Component"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        session.parts.changed.connect(self.refresh)

    def clip_paths(self) -> list[Path]:
        return [("parts", name) for name in self.session.parts.chosen]

    def sentences(self) -> list[Sentence]:
        several = len(self.session.parts.chosen)
        told: list[Sentence] = self._of_part()
        if several > 1:
            told.append([f"All {several} parts chosen get a number changed here, but for places."])
        return told

    def _of_part(self) -> list[Sentence]:
        name, part = self._part
        more = [
            Act("title…", self._ask_title, "The title of the sheet"),
        ]
        if len(self.sheet.content.parts) > 1:
            more.append(Act("take away", lambda: self._remove(name), f"Take “{name}” away"))
        if isinstance(part, Member):
            return member_sentences(self, name, part, *more)
        if isinstance(part, Turned):
            return turned_sentences(self, name, part, *more)
        if isinstance(part, Frame):
            return frame_sentences(self, name, part, *more)
        if isinstance(part, Rib):
            return rib_sentences(self, name, part, *more)
        if isinstance(part, MeshPart):
            return mesh_sentences(self, name, part, *more)
        if isinstance(part, SkinPart):
            return skin_sentences(self, name, part, *more)
        return wall_sentences(self, name, part, *more)

    def summary(self) -> Sentence:
        name, part = self._part
        if isinstance(part, Member):
            return member_summary(self, name, part)
        if isinstance(part, Plate):
            return plate_summary(name, part)
        if isinstance(part, Frame):
            return [f"“{name}”: frame of {len(part.members)} members."]
        return [
            f"“{name}”: {part_words(self.session.design.part_of(name), self.session.design.shown)}."
        ]

    def adders(self) -> list[Act | Choice]:
        parts = tuple((kind, lambda kind=kind: self.add_part(kind)) for kind in FIRST_PARTS)
        ways = tuple((kind, lambda kind=kind: self.add_pattern(kind)) for kind in _REPEATED)
        return [
            Choice("add a part…", parts, "Put another part beside it"),
            Choice("repeat it…", ways, "A row, a ring or a mirror image of this part"),
        ]

    def _ask_title(self) -> None:
        present = self.sheet.content.title
        title, good = QInputDialog.getText(self, "Title", "Title of the sheet:", text=present)
        if good:
            self.edit("title", lambda sheet: sheet.with_value(("title",), title.strip()))

    def _remove(self, name: str) -> None:
        self.edit(f"“{name}” taken away", lambda sheet: sheet.without(("parts", name)))

    def add_part(self, kind: str) -> None:
        """Put a part of a kind beside the others, in a first size, and choose it."""
        parts = self.sheet.content.parts
        name, part = self._part
        number = 2
        while f"{kind.split()[0]}_{number}" in parts:
            number += 1
        fresh = f"{kind.split()[0]}_{number}"
        material = part.material or next(iter(handbook()))
        wall = name if isinstance(part, SurfaceModel) else ""
        own = (each for each in self.session.design.parts if each.name == name)
        shape = getattr(next(own, None), "shape", None)  # a frame is not there as one part
        problem: str | None = ""
        for entry in first_parts(kind, material, wall, shape):
            problem = self.session.edit(
                f"a {kind}",
                lambda sheet, entry=entry: sheet.with_part(fresh, entry),  # type: ignore[misc]
            )
            if problem is None:
                break
        if problem is not None:
            self.session.told.emit(problem)
            return
        self.session.parts.select([fresh])
        self.set_open(True)

    def add_pattern(self, kind: str) -> None:
        """Repeat the chosen part; the numbers stand in the card of what joins."""
        name, part = self._part
        size = 2 if isinstance(part, Rib) else 3
        entry: dict[str, object] = {"of": name}
        if kind == "in a row":
            entry |= {"count": 2, "step": ["100 mm", *["0 mm"] * (size - 1)]}
        elif kind == "mirrored":
            entry |= {"mirror": "x"}
        else:
            entry |= {"count": 3, "about": "z"}
        self.edit(f"“{name}” repeated", lambda sheet: sheet.with_entry(("patterns",), entry))


class MaterialCard(SheetCard):
    """What the part is made of."""

    title = "Material"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        session.parts.changed.connect(self.refresh)

    def clip_paths(self) -> list[Path]:
        return [("materials", name) for name in self.sheet.content.materials]

    def sentences(self) -> list[Sentence]:
        name, part = self._part
        if part.material is None:
            return self._of_plies()
        own = self.session.sheet.content.materials
        made_of = part.material
        path: Path = ("parts", name, "material")
        options = [(entry, self._all_of(entry)) for entry in (*own, *handbook())]
        kept = [entry for entry in library() if entry not in own]
        options += [(f"{entry}, from your library", self._from_library(entry)) for entry in kept]
        options.append(("one of your own…", lambda: self._own(path, made_of)))
        several = len(self.session.parts.chosen)
        if several > 1:
            options.append((f"these {several} parts, but “{name}” stays", self._all_but(name)))
        choice = Choice(part.material, tuple(options), "material; choose from the handbook list")
        if isinstance(own.get(part.material), PlyMaterial):
            return [[choice, ", a material of plies:"], self._ply_values(part.material)]
        if part.material in own:
            base: Path = ("materials", part.material)
            acts = (
                Act("rename…", lambda: self._ask_own_name("materials", made_of), "Another name"),
                Act("keep…", lambda: self._keep(made_of), "Keep it in your library"),
            )
            return [
                [choice, ", your own:"],
                [
                    Number((*base, "youngs_modulus"), "Young's modulus"),
                    "stiff,",
                    Number((*base, "density"), "density"),
                    "dense, Poisson's ratio",
                    Number((*base, "poisson_ratio"), "Poisson's ratio"),
                    ".",
                    Acts(acts),
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

    def summary(self) -> Sentence:
        _, part = self._part
        if part.material is None:
            plies = getattr(part, "plies", None) or ()
            return [f"Plies of {', '.join(dict.fromkeys(ply.material for ply in plies))}."]
        if isinstance(self.sheet.content.materials.get(part.material), PlyMaterial):
            return [f"{part.material}, a material of plies."]
        density, modulus, _ = self._values()
        stiff = f"{format_number(modulus / 1e9)} GPa"
        return [f"{part.material}, {stiff}, {format_number(density)} kg/m³."]

    def _all_of(self, material: str) -> Callable[[], None]:
        """Make every part chosen by then of a material."""

        def act() -> None:
            made: dict[Path, str] = {
                ("parts", name, "material"): material
                for name in self.session.parts.chosen
                if getattr(self.sheet.content.parts[name], "plies", None) is None
            }
            self.edit(f"material {material}", lambda sheet: sheet.with_values(made))

        return act

    def _all_but(self, name: str) -> Callable[[], None]:
        def act() -> None:
            chosen = self.session.parts.chosen
            self.session.parts.select([other for other in chosen if other != name])

        return act

    def _from_library(self, material: str) -> Callable[[], None]:
        """Bring a material of the library into the sheet, and make the chosen parts of it."""

        def act() -> None:
            made: dict[Path, object] = {("materials", material): library()[material]}
            made |= {("parts", name, "material"): material for name in self.session.parts.chosen}
            self.edit(f"material {material}", lambda sheet: sheet.with_values(made))

        return act

    def _keep(self, material: str) -> None:
        entry = self.sheet.value(("materials", material))
        try:
            keep_material(material, entry)
        except OSError as error:
            self.session.told.emit(f"the library cannot be written: {error.strerror}")
            return
        self.session.told.emit(f"“{material}” is kept in your library")

    def _values(self) -> tuple[float, float, float]:
        """Density (kg/m³), Young's modulus (Pa) and Poisson's ratio of the part's material."""
        name, part = self._part
        if isinstance(part, Frame):
            name = f"{name}.{next(iter(part.members))}"
        own = self.session.design.part_of(name).materials[0]
        return own.density, own.modulus_along, own.poisson_ratio

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
        pieces: list[Piece] = []
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
    target_asked = Signal()

    def adders(self) -> list[Act | Choice]:
        return [Act("add a target", self.target_asked.emit, "Say where the chosen mode is to be")]

    def clip_paths(self) -> list[Path]:
        return [("accuracy",), ("modes",)]

    def sentences(self) -> list[Sentence]:
        content = self.session.sheet.content
        counts = (4, 6, 8, 10, 12, 16, 20, 30, 40)
        options = tuple((str(n), self.set_to(("modes", "count"), n)) for n in counts)
        first: list[Piece] = [
            "At least",
            Choice(str(content.modes.count), options, "how many modes to find"),
            "modes, and all up to the highest excitation, each to",
        ]
        fixed = self.session.design.fixed
        if fixed is not None:
            least = 1 if self.session.design.has_walls else 3
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
                Acts((Act("choose by accuracy", self._unfix, "Let the program choose"),)),
            ]
            return [first]
        if self.session.sheet.value(("accuracy", "target")) is not None:
            first += [Number(("accuracy", "target"), "largest error"), "or better."]
        else:
            first += [
                "0.5 % or better.",
                Act("change", self.state(("accuracy", "target"), "0.5 %")),
            ]
        fix = Act("fix the mesh", self._fix, "State divisions and order yourself")
        first.append(Acts((fix,)))
        return [first]

    def _fix(self) -> None:
        answer = self.session.answer
        used = answer.modes.discretisation if answer is not None else None
        divisions, order = (used.finest, used.order) if used is not None else (2, 5)
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
