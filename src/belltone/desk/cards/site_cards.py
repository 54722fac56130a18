"""The cards of what holds the component and what hangs on it."""

from __future__ import annotations

from collections.abc import Callable

from belltone.desk.cards.card import Act, Acts, Choice, Name, Number, Piece, Sentence
from belltone.desk.cards.sheet_card import SheetCard, few
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.sheet.model import HOLD_WORDS, Support

__all__ = ["HeldCard", "HungCard"]

_FEW = 3
_DIRECTIONS = ("x", "y", "z", "turn x", "turn y", "turn z")
_SPRINGS = (("springs", "along", "100 N/mm"), ("turning_springs", "about", "100 N*m/rad"))


class HeldCard(SheetCard):
    """The supports."""

    title = "Held"

    def clip_paths(self) -> list[Path]:
        return [("supports",)]

    def sentences(self) -> list[Sentence]:
        supports = self.session.sheet.content.supports
        result: list[Sentence] = []
        for index, support in enumerate(supports):
            path: Path = ("supports", index)
            hold = support.hold
            words = hold if isinstance(hold, str) else "held in " + ", ".join(hold)
            options: list[tuple[str, Callable[[], object]]] = [
                (word, self.set_to((*path, "hold"), word)) for word in HOLD_WORDS
            ]
            held = () if isinstance(hold, str) else hold
            for direction in _DIRECTIONS:
                turned = [d for d in _DIRECTIONS if (d in held) != (d == direction)]
                if turned:
                    verb = "no longer hold" if direction in held else "hold"
                    verb = "hold only" if isinstance(hold, str) else verb
                    options.append((f"{verb} {direction}", self.set_to((*path, "hold"), turned)))
            name = Name(path, support.name or "a support")
            site = self._site_choice(support.site, (*path, "site"))
            acts = (
                Choice("springs…", tuple(self._spring_options(path, support)), "Springs it is on"),
                self.remove_act(path, "support"),
            )
            held_words = Choice(words, tuple(options), "how it is held")
            springs = self._springs(path, support)
            result.append([name, ":", held_words, "at", *site, *springs, ".", Acts(acts)])
        if result:
            return result
        if self.session.sheet.content.modes.free:
            return [["Free in space, as meant."]]
        meant = Act("that is meant", self.set_to(("modes", "free"), True), "Ask no more about it")
        return [["Free in space: nothing holds it.", meant]]

    def summary(self) -> Sentence:
        supports = self.sheet.content.supports
        if len(supports) < 2:
            return super().summary()
        told = [f"{each.name or self.place_words(each.site)}" for each in supports]
        return [f"At {len(supports)} places: {few(told)}."]

    def _springs(self, path: Path, support: Support) -> list[Piece]:
        """The springs of a support, as words and live numbers."""
        pieces: list[Piece] = []
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
                    options.append((text, self.set_to(place, first)))
                else:
                    options.append((f"no spring {words} {axis}", self._no_spring(path, key, axis)))
        return options

    def _no_spring(self, path: Path, key: str, axis: str) -> Callable[[], None]:
        def change(sheet: Sheet) -> Sheet:
            only = len(sheet.value((*path, key)) or {}) == 1
            if sheet.value((*path, "hold")) is None:
                sheet = sheet.with_value((*path, "hold"), "free")
            return sheet.without((*path, key) if only else (*path, key, axis))

        return lambda: self.edit("spring taken away", change)

    def adders(self) -> list[Act | Choice]:
        return [Act("add a support", self._add, "Hold it at one more place")]

    def _add(self) -> None:
        taken = {support.site for support in self.session.sheet.content.supports}
        free = [site for site in self.sites_of_part() if site not in taken]
        entry = {"site": (free or self.sites_of_part())[0], "hold": "clamped"}
        self.add_entry("a support", ("supports",), entry)


class HungCard(SheetCard):
    """The masses."""

    title = "Hung on it"
    _unfolded = False

    def clip_paths(self) -> list[Path]:
        return [("masses",)]

    def sentences(self) -> list[Sentence]:
        result: list[Sentence] = []
        for index, mass in enumerate(self.session.sheet.content.masses):
            path: Path = ("masses", index)
            body: list[Piece] = [
                Name(path, mass.name or "a mass"),
                ":",
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
            acts = [self.remove_act(path, "mass")]
            if mass.inertia is None:
                choose = self.set_to((*path, "inertia"), ["0.01 kg*m^2"] * 3)
                acts.insert(0, Act("give it inertia", choose))
            if mass.offset is None:
                choose = self.set_to((*path, "offset"), ["0 mm", "0 mm", "-50 mm"])
                acts.insert(0, Act("off the axis", choose, "Set its centre off the axis"))
            result.append([*body, ".", Acts(tuple(acts))])
            if self._unfolded:
                result += self._details(path, mass.inertia, mass.offset)
        return result or [["Nothing but its own mass."]]

    def summary(self) -> Sentence:
        masses = self.sheet.content.masses
        if not masses:
            return ["Nothing but its own mass."]
        pieces: list[Piece] = []
        for index, mass in enumerate(masses[:_FEW]):
            pieces += [f"{mass.name or 'a mass'}", Number(("masses", index, "mass"), "mass"), ","]
        left = len(masses) - _FEW
        return [*pieces[:-1], f"and {left} more." if left > 0 else "."]

    def adders(self) -> list[Act | Choice]:
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
            pieces: list[Piece] = ["Inertia about its centre:"]
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
        sites = self.sites_of_part()
        site = f"{name}.end" if f"{name}.end" in sites else sites[-1]
        entry = {"site": site, "mass": "1 kg"}
        self.add_entry("a mass", ("masses",), entry)
