"""The card of what loads the component before it vibrates."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from belltone.design.parts import MemberValue, MeshValue, SurfaceValue
from belltone.desk.cards.card import Act, Acts, Choice, Name, Number, Piece, Sentence
from belltone.desk.cards.sheet_card import SheetCard
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.sheet.preload_models import Preload

__all__ = ["PreloadCard"]

Options = list[tuple[str, Callable[[], object]]]

_BASE: Path = ("preload",)
_DEFLECTIONS = {
    "small": ("small deflection", ": the shape stays, stress alone counts."),
    "large": ("large deflection", ": modes are those of the deflected shape."),
}


class PreloadCard(SheetCard):
    """The loads in sentences, and how they are worked in."""

    title = "Loaded before it vibrates"

    def clip_paths(self) -> list[Path]:
        return [_BASE]

    def sentences(self) -> list[Sentence]:
        stated = self.sheet.content.preload
        if stated is None:
            return [["Nothing loads it.", self._add_choice("load it with…")]]
        result: list[Sentence] = [self._head(stated)]
        result += self._forces(stated)
        result += self._pressures(stated)
        result += self._spin(stated)
        result += self._weight(stated)
        for index, warmth in enumerate(stated.warmths):
            path: Path = (*_BASE, "warmths", index)
            part = f"“{warmth.part}”" if warmth.part is not None else "Everything"
            options: Options = [("everything", self._everywhere(index))]
            options += [
                (f"“{name}”", self.set_to((*path, "part"), name)) for name in self._named(_ANY)
            ]
            named = Choice(part, tuple(options), "what gets warmer")
            change = Number((*path, "change"), "temperature change")
            result.append([named, "is warmer by", change, ".", self._less(path, "warmth")])
        for index, pull in enumerate(stated.pulls):
            path = (*_BASE, "pulls", index)
            chosen = Choice(
                f"“{pull.part}”",
                tuple(
                    (f"“{name}”", self.set_to((*path, "part"), name))
                    for name in self._named(MemberValue)
                ),
                "which member is pulled",
            )
            force = Number((*path, "force"), "pull")
            result.append([chosen, "is put under a pull of", force, ".", self._less(path, "pull")])
        result += self._moves(stated)
        result.append([self._add_choice("load it with more…")])
        return result

    def summary(self) -> Sentence:
        stated = self.sheet.content.preload
        if stated is None:
            return ["Nothing loads it."]
        told = [
            f"{len(entries)} {what}{'s' if len(entries) > 1 else ''}"
            for what, entries in (
                ("force", stated.forces),
                ("pressure", stated.pressures),
                ("warmth", stated.warmths),
                ("pull", stated.pulls),
                ("set displacement", stated.moves),
            )
            if entries
        ]
        if stated.acceleration is not None:
            told.append("weight")
        pieces: list[Piece] = [*self._applied(stated), ":"]
        if stated.spin is not None:
            pieces += ["a spin of", Number((*_BASE, "spin", "speed"), "spin speed")]
            pieces += [","] if told else []
        how = _DEFLECTIONS[stated.deflection][0]
        return [*pieces, f"{', '.join(told)}", f"; {how}."]

    def _head(self, stated: Preload) -> Sentence:
        how = Choice(
            _DEFLECTIONS[stated.deflection][0],
            tuple(
                ("".join(words), self.set_to((*_BASE, "deflection"), key))
                for key, words in _DEFLECTIONS.items()
            ),
            "how deflection is taken",
        )
        return [
            *self._applied(stated),
            *self._scale(),
            "with",
            how,
            _DEFLECTIONS[stated.deflection][1],
        ]

    def _applied(self, stated: Preload) -> list[Piece]:
        return [
            Choice(
                "Applied" if stated.applied else "Not applied",
                (
                    ("apply it", self.set_to((*_BASE, "applied"), True)),
                    ("leave it out", self.set_to((*_BASE, "applied"), False)),
                ),
                "whether the loads are applied",
            )
        ]

    def _scale(self) -> list[Piece]:
        """The scale factor, which stands in the sheet once it is asked for."""
        if self.sheet.value((*_BASE, "scale")) is None:
            return [
                Choice("in full", (("scale it…", self.set_to((*_BASE, "scale"), "1")),), "scale")
            ]
        return ["at", Number((*_BASE, "scale"), "scale of the load"), "times its size,"]

    def _forces(self, stated: Preload) -> list[Sentence]:
        result: list[Sentence] = []
        for index, force in enumerate(stated.forces):
            path: Path = (*_BASE, "forces", index)
            pieces: list[Piece] = [Name(path, force.name or "a load"), ":"]
            for key, words in (("force", "a force of"), ("moment", "a moment of")):
                if getattr(force, key) is None:
                    continue
                pieces.append(words)
                for axis, letter in enumerate("xyz"):
                    pieces += [letter, Number((*path, key, axis), f"{key} along {letter}")]
            pieces += ["on", *self._site_choice(force.site, (*path, "site"))]
            if force.axes == "own":
                pieces.append("by the site's own axes")
            acts = []
            if force.moment is None:
                moment = self.set_to((*path, "moment"), ["0 N*m"] * 3)
                acts.append(Act("and a moment", moment, "Give it a moment too"))
            if force.force is None:
                pushed = self.set_to((*path, "force"), ["0 N"] * 3)
                acts.append(Act("and a force", pushed, "Give it a force too"))
            other = "sheet" if force.axes == "own" else "own"
            turned = self.set_to((*path, "axes"), other)
            acts.append(Act(f"by {other} axes", turned, f"Take directions from the {other} axes"))
            acts.append(self._removal(path, "force"))
            result.append([*pieces, ".", Acts(tuple(acts))])
        return result

    def _pressures(self, stated: Preload) -> list[Sentence]:
        result: list[Sentence] = []
        for index, pressure in enumerate(stated.pressures):
            path: Path = (*_BASE, "pressures", index)
            name = Name(path, pressure.name or "a pressure")
            on = Choice(
                pressure.on,
                tuple(
                    (f"the {face} face", self.set_to((*path, "on"), face))
                    for face in ("inner", "outer")
                ),
                "which face it presses on",
            )
            way = Choice(
                "turning with the surface" if pressure.follows else "in a direction that stays",
                (
                    ("it turns with the surface", self.set_to((*path, "follows"), True)),
                    ("its direction stays", self.set_to((*path, "follows"), False)),
                ),
                "whether it follows the surface",
            )
            where = Choice(
                f"“{pressure.site}”",
                tuple((f"“{face}”", self.set_to((*path, "site"), face)) for face in self._faces()),
                "the wall it presses on",
            )
            pieces: list[Piece] = [
                name, ":", Number((*path, "pressure"), "pressure"), "on the", on, "side of", where,
                ",", way,
            ]  # fmt: skip
            if pressure.growth is not None:
                pieces.append(", growing along")
                for axis, letter in enumerate("xyz"):
                    pieces += [letter, Number((*path, "growth", axis), f"growth along {letter}")]
            acts = []
            if pressure.growth is None:
                grows = self._under_water(index)
                acts.append(Act("as under water", grows, "Let it grow downwards, as under water"))
            acts.append(self._removal(path, "pressure"))
            result.append([*pieces, ".", Acts(tuple(acts))])
        return result

    def _spin(self, stated: Preload) -> list[Sentence]:
        spin = stated.spin
        if spin is None:
            return []
        path: Path = (*_BASE, "spin")
        shown = spin.axis if isinstance(spin.axis, str) else "a slanted axis"
        axis = Choice(
            shown,
            tuple((letter, self.set_to((*path, "axis"), letter)) for letter in "xyz"),
            "the axis it turns about",
        )
        whirl = Choice(
            "telling whirl apart" if spin.gyroscopic else "without gyroscopic forces",
            (
                ("leave gyroscopic forces out", self._plain_spin),
                ("with gyroscopic forces", self.set_to((*path, "gyroscopic"), True)),
            ),
            "gyroscopic forces",
        )
        pieces: list[Piece] = ["It spins at", Number((*path, "speed"), "spin speed"), "about", axis]
        if spin.through is not None:
            pieces.append("through")
            for number, letter in enumerate("xyz"):
                pieces += [letter, Number((*path, "through", number), f"{letter} of the axis")]
        pieces += [",", whirl]
        if spin.gyroscopic:
            seen = Choice(
                f", seen from the {spin.seen_from}",
                tuple(
                    (f"seen from the {where}", self.set_to((*path, "seen_from"), where))
                    for where in ("part", "ground")
                ),
                "where frequencies are felt",
            )
            pieces.append(seen)
        acts = [self._removal(path, "spin")]
        if spin.through is None:
            moved = self.set_to((*path, "through"), ["0 mm"] * 3)
            acts.insert(0, Act("move the axis", moved, "Say a point the axis runs through"))
        return [[*pieces, ".", Acts(tuple(acts))]]

    def _weight(self, stated: Preload) -> list[Sentence]:
        if stated.acceleration is None:
            return []
        path: Path = (*_BASE, "acceleration")
        pieces: list[Piece] = ["Every mass is pulled by"]
        for axis, letter in enumerate("xyz"):
            pieces += [letter, Number((*path, axis), f"acceleration along {letter}")]
        return [[*pieces, ".", self._less(path, "weight")]]

    def _moves(self, stated: Preload) -> list[Sentence]:
        result: list[Sentence] = []
        for index, move in enumerate(stated.moves):
            path: Path = (*_BASE, "moves", index)
            pieces: list[Piece] = [*self._site_choice(move.site, (*path, "site")), "is moved by"]
            acts = []
            for letter in "xyz":
                if getattr(move, letter) is not None:
                    pieces += [letter, Number((*path, letter), f"displacement along {letter}")]
                else:
                    set_it = self.set_to((*path, letter), "0 mm")
                    acts.append(Act(f"along {letter} too", set_it, f"Set it along {letter} too"))
                if getattr(move.turn, letter, None) is not None:
                    pieces += [f"turn {letter}", Number((*path, "turn", letter), f"turn {letter}")]
            acts.append(self._removal(path, "displacement"))
            result.append([*pieces, "and held there.", Acts(tuple(acts))])
        return result

    # -- adding and taking away -------------------------------------------------------------------

    def _named(self, kind: Any) -> list[str]:
        return [part.name for part in self.session.design.parts if isinstance(part, kind)]

    def _faces(self) -> list[str]:
        walls = self._named(SurfaceValue | MeshValue)
        return [f"{name}.face" for name in walls]

    def _add_choice(self, words: str) -> Choice:
        name = self.session.design.solid_parts[0].name
        end = next(site for site in self.session.design.places if site.startswith(name))
        options: Options = [
            ("a force", self._add("forces", {"site": end, "force": ["0 N", "0 N", "-100 N"]})),
            ("a moment", self._add("forces", {"site": end, "moment": ["0 N*m"] * 3})),
            ("its weight", self._set_key("acceleration", ["0 m/s^2", "0 m/s^2", "-9.81 m/s^2"])),
            ("a spin", self._set_key("spin", {"speed": "1000 rpm", "axis": "z"})),
            ("warmth", self._add("warmths", {"change": "20 K"})),
            ("a set displacement", self._add("moves", {"site": end, "z": "1 mm"})),
        ]
        for face in self._faces()[:1]:
            entry = {"site": face, "pressure": "0.1 bar", "on": "inner"}
            options.insert(1, ("a pressure", self._add("pressures", entry)))
        for member in self._named(MemberValue)[:1]:
            options.append(("a pull", self._add("pulls", {"part": member, "force": "1 kN"})))
        return Choice(words, tuple(options), "add a load")

    def _add(self, key: str, entry: Mapping[str, object]) -> Callable[[], None]:
        return lambda: self.edit("a load", lambda sheet: sheet.with_entry((*_BASE, key), entry))

    def _set_key(self, key: str, value: object) -> Callable[[], None]:
        return lambda: self.edit("a load", lambda sheet: sheet.with_value((*_BASE, key), value))

    def _less(self, path: Path, what: str) -> Acts:
        return Acts((self._removal(path, what),))

    def _removal(self, path: Path, what: str) -> Act:
        """Take one load away, and the whole preload with the last of them."""

        def change(sheet: Sheet) -> Sheet:
            rest = sheet.without(path)
            left = rest.content.preload
            if left is None or any(getattr(left, key) for key in _LOADS):
                return rest
            return sheet.without(_BASE)

        def remove() -> None:
            self.edit(f"{what} taken away", change)

        return Act("take away", remove, f"Take this {what} away")

    def _everywhere(self, index: int) -> Callable[[], None]:
        path: Path = (*_BASE, "warmths", index, "part")

        def change(sheet: Sheet) -> Sheet:
            return sheet if sheet.value(path) is None else sheet.without(path)

        return lambda: self.edit("warmth everywhere", change)

    def _under_water(self, index: int) -> Callable[[], None]:
        path: Path = (*_BASE, "pressures", index)
        values = {
            (*path, "growth"): ["0 kPa/m", "0 kPa/m", "-9.81 kPa/m"],
            (*path, "level"): ["0 mm", "0 mm", "0 mm"],
        }
        return lambda: self.edit("pressure under water", lambda sheet: sheet.with_values(values))

    def _plain_spin(self) -> None:
        path: Path = (*_BASE, "spin")

        def change(sheet: Sheet) -> Sheet:
            for key in ("gyroscopic", "seen_from"):
                if sheet.value((*path, key)) is not None:
                    sheet = sheet.without((*path, key))
            return sheet

        self.edit("no gyroscopic forces", change)


_ANY = (MemberValue, SurfaceValue, MeshValue)
_LOADS = ("acceleration", "spin", "forces", "pressures", "warmths", "pulls", "moves")
