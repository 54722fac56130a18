"""The card of what shakes the component."""

from __future__ import annotations

from collections.abc import Callable
from functools import reduce
from typing import Final

from PySide6.QtWidgets import QInputDialog

from belltone.desk.cards.card import Act, Acts, Choice, Name, Number, Piece, Sentence
from belltone.desk.cards.sheet_card import SheetCard, few
from belltone.desk.spared import spared_kinds, spared_text
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.sheet.model import Band, Source

__all__ = ["ExcitationCard"]

_ANY_WAY: Final = "any way"


class ExcitationCard(SheetCard):
    """What shakes the component."""

    title = "Shaken by"

    def clip_paths(self) -> list[Path]:
        return [("excitation",)]

    def sentences(self) -> list[Sentence]:
        excitation = self.session.sheet.content.excitation
        base: Path = ("excitation",)
        result: list[Sentence] = []
        for index, source in enumerate(excitation.sources):
            path: Path = (*base, "sources", index)
            orders = ", ".join(f"{order:g}×" for order in source.orders)
            speed: list[Piece]
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
            result.append(
                [
                    Name(path, source.name),
                    ":",
                    *speed,
                    ", orders",
                    choice,
                    *_spares_words(source.spares),
                    *self._direction(path, source),
                    ".",
                    self._acts(path, source, "source"),
                ]
            )
        for index, band in enumerate(excitation.bands):
            path = (*base, "bands", index)
            result.append(
                [
                    Name(path, band.name),
                    ":",
                    Number((*path, "from"), f"start of {band.name}"),
                    "to",
                    Number((*path, "to"), f"end of {band.name}"),
                    *_spares_words(band.spares),
                    *self._direction(path, band),
                    ".",
                    self._acts(path, band, "band"),
                ]
            )
        if not result:
            return [["Nothing yet: add a band, or a source that turns."]]
        margin: list[Piece] = ["Every mode stays clear of them"]
        if self.session.sheet.value((*base, "margin")) is not None:
            margin += ["by", Number((*base, "margin"), "separation margin"), "."]
        else:
            margin += ["by 10 %.", Act("change", self.state((*base, "margin"), "10 %"))]
        return [*result, margin]

    def summary(self) -> Sentence:
        excitation = self.sheet.content.excitation
        named = [source.name for source in excitation.sources]
        named += [band.name for band in excitation.bands]
        if not named:
            return ["Nothing yet: add what shakes it."]
        return [f"{few(named)}; every mode stays {excitation.margin} clear of them."]

    def adders(self) -> list[Act | Choice]:
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
        self.edit("orders", lambda sheet: sheet.with_value((*path, "orders"), plain))

    def _acts(self, path: Path, stated: Band | Source, what: str) -> Acts:
        return Acts(
            (
                self._spares_act(path, stated.spares),
                Act(
                    "direction…",
                    lambda: self._ask_direction(path, stated.along),
                    "Along which axis it shakes",
                ),
                self.remove_act(path, what),
            )
        )

    def _direction(self, path: Path, stated: Band | Source) -> list[Piece]:
        """Along which axis it shakes, and what a mode must move that way to be shaken."""
        if stated.along is None:
            return []
        own = (*path, "least")
        share: Piece = Number(own, f"least share of the mass {stated.name} shakes")
        if self.session.sheet.value(own) is None:
            share = Act(str(stated.least), self.state(own, str(stated.least)), "Change the share")
        return [f", along {stated.along} what moves", share, "of the mass or more that way"]

    def _ask_direction(self, path: Path, present: str | None) -> None:
        now = _ANY_WAY if present is None else f"along {present}"
        ways = [_ANY_WAY, *(f"along {axis}" for axis in "xyz")]
        question = "It shakes the component"
        way, good = QInputDialog.getItem(
            self, "Direction", question, ways, ways.index(now), editable=False
        )
        if good:
            self.set_direction(path, "" if way == _ANY_WAY else way[-1])

    def set_direction(self, path: Path, axis: str) -> None:
        """Have it shake along an axis; any way without one."""
        own = (*path, "along")
        if axis:
            self.edit("the direction", lambda sheet: sheet.with_value(own, axis))
        elif self.session.sheet.value(own) is not None:
            told = [each for each in (own, (*path, "least")) if self.session.sheet.value(each)]
            self.edit("the direction", lambda sheet: reduce(Sheet.without, told, sheet))

    def _spares_act(self, path: Path, now: tuple[str, ...]) -> Act:
        def ask() -> None:
            self._ask_spares(path, spared_text(now))

        return Act("spares…", ask, "Which modes it does not shake")

    def _ask_spares(self, path: Path, present: str) -> None:
        question = "Kinds of modes it does not shake (twist; bending about y, 2 half-waves):"
        text, good = QInputDialog.getText(self, "Not shaken", question, text=present)
        if good:
            self.set_spares(path, text)

    def set_spares(self, path: Path, text: str) -> None:
        """Take kinds as typed; none where nothing is typed."""
        answer = self.session.answer
        kinds = list(spared_kinds(text, () if answer is None else answer.modes.kinds))
        own = (*path, "spares")
        if kinds:
            self.edit("what is spared", lambda sheet: sheet.with_value(own, kinds))
        elif self.session.sheet.value(own) is not None:
            self.edit("what is spared", lambda sheet: sheet.without(own))

    def _orders(self, path: Path, top: int) -> Callable[[], None]:
        return self.set_to((*path, "orders"), list(range(1, top + 1)))

    def _add_band(self) -> None:
        entry = {"name": "new band", "from": "95 Hz", "to": "105 Hz"}
        self.add_entry("a band", ("excitation", "bands"), entry)

    def _add_source(self) -> None:
        entry = {"name": "new source", "speed": ["1400 rpm", "1500 rpm"], "orders": [1, 2]}
        self.add_entry("a source", ("excitation", "sources"), entry)


def _spares_words(spares: tuple[str, ...]) -> list[str]:
    return [f", but for modes of {' and '.join(spares)}"] if spares else []
