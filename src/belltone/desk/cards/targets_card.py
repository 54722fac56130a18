"""The card of modes that are to stand somewhere."""

from __future__ import annotations

from belltone.desk.cards.card import Act, Acts, Choice, Name, Number, Piece, Sentence
from belltone.desk.cards.sheet_card import SheetCard
from belltone.modes.kinds import kind_family
from belltone.sheet.errors import Path
from belltone.sheet.model import ModeOf

__all__ = ["TargetsCard"]


class TargetsCard(SheetCard):
    """Where modes are to stand; out of the way while there are none."""

    title = "To be hit"

    def refresh(self) -> None:
        """Follow the sheet."""
        super().refresh()
        self.setVisible(bool(self.session.sheet.content.targets))

    def clip_paths(self) -> list[Path]:
        return [("targets",)]

    def sentences(self) -> list[Sentence]:
        result: list[Sentence] = []
        for index, target in enumerate(self.session.sheet.content.targets):
            path: Path = ("targets", index)
            words: list[Piece] = [Name(path, target.name or "a target"), f": {_words(target.mode)}"]
            if target.frequency is not None:
                words += ["at", Number((*path, "frequency"), "frequency to be hit")]
            elif target.times is not None and target.of is not None:
                words += [Number((*path, "times"), "ratio"), f"times {_words(target.of)}"]
            if target.within is not None:
                words += ["within", Number((*path, "within"), "how far it may be off")]
            elif self.session.sheet.value((*path, "tolerance")) is not None:
                words += ["within", Number((*path, "tolerance"), "share it may be off")]
            else:
                words.append("within 0.1 %")
            if target.apart is not None:
                words += [", all others", Number((*path, "apart"), "how far others keep"), "away"]
            apart = self.set_to((*path, "apart"), "5 %")
            acts = (
                Act("others apart", apart, "Keep all other modes 5 % away"),
                self.remove_act(path, "target"),
            )
            result.append([*words, ".", Acts(acts)])
        return result

    def summary(self) -> Sentence:
        targets = self.session.sheet.content.targets
        if len(targets) < 2:
            return super().summary() if targets else []
        return [f"{len(targets)} modes are to stand somewhere."]

    def adders(self) -> list[Act | Choice]:
        return [Act("add a target", self.add_target, "Say where the chosen mode is to stand")]

    def add_target(self) -> None:
        """The chosen mode is to stand where it does, to be changed from there."""
        session, mode = self.session, self.session.chosen_mode
        if session.answer is None or mode is None or mode.rigid:
            session.told.emit("choose a mode that is to stand somewhere, and add its target then")
            return
        modes = session.answer.modes
        kinds = modes.kinds[modes.rigid_count :]
        number = mode.number - 1 - modes.skipped
        kind = kind_family(kinds[number])
        place = sum(each.startswith(kind) for each in kinds[: number + 1])
        entry = {
            "mode": {"kind": kind, "place": place},
            "frequency": session.design.shown.frequency_text(mode.frequency, 4),
            "tolerance": "0.5 %",
        }
        self.edit("a target", lambda sheet: sheet.with_entry(("targets",), entry))


def _words(mode: ModeOf) -> str:
    if not mode.kind:
        return f"mode {mode.place}"
    ordinal = {1: "lowest", 2: "second", 3: "third"}.get(mode.place, f"{mode.place}th")
    return f"the {ordinal} “{mode.kind}”"
