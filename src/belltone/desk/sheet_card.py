"""What the cards of the design sheet share: the one part, its sites, edits with a label."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QInputDialog

from belltone.desk.card import Act, Card, Choice, Number
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path, path_text
from belltone.sheet.model import Member
from belltone.sheet.units import format_number

__all__ = ["SheetCard"]


class SheetCard(Card):
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
