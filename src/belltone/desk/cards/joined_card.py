"""The card of what joins the parts: pair by pair, decided or not, and what a decision did."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final

from belltone.design.parts import MemberValue
from belltone.design.values import JointValue
from belltone.desk.cards.card import Act, Acts, Choice, Number, Piece, Sentence
from belltone.desk.cards.sheet_card import SheetCard
from belltone.desk.session.session import Session
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.sheet.model import Joint
from belltone.system.contacts import Contact

__all__ = ["JoinedCard"]

Pieces = list[Piece]

_HOW: Final = {
    "welded": "welded",
    "hinged": "hinged",
    "spots": "joined at spots",
    "sprung": "on springs",
    "none": "not joined",
}
_SPRINGS: Final[dict[str, Any]] = {
    "springs": {"x": "1000 N/mm", "y": "1000 N/mm", "z": "1000 N/mm"},
}
_OF_ONE_KIND: Final = ("spots", "radius", "springs", "turning_springs", "hold", "axis")
_TURNING: Final = "100 N*m/rad"
_MOST_EFFECTS: Final = 4
_MOST_RIBS: Final = 4  # told by name


class JoinedCard(SheetCard):
    """The joints, the pairs that touch and wait for a word, and the patterns."""

    title = "Joined"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        session.parts.changed.connect(self.refresh)
        session.answer_changed.connect(self.refresh)

    def refresh(self) -> None:
        content = self.session.sheet.content
        several = len(self.session.design.solid_parts) > 1
        self.setVisible(several or bool(content.patterns))
        super().refresh()

    def clip_paths(self) -> list[Path]:
        return [("joints",), ("patterns",)]

    def sentences(self) -> list[Sentence]:
        content = self.session.sheet.content
        result = [self._joint(index, joint) for index, joint in enumerate(content.joints)]
        result += [self._undecided(contact) for contact in self._waiting()]
        result += [self._pattern(place, each.of) for place, each in enumerate(content.patterns)]
        unasked = self._in_nodes() + self._on_walls()
        if self.session.parts.contacts is None:
            result.append(["Looking which parts touch …"])
        elif not result and not unasked:
            result.append(["No two parts touch."])
        return result + unasked + self._effects()

    def summary(self) -> Sentence:
        joints = len(self.sheet.content.joints)
        waiting = sum(each.touches for each in self._waiting())
        told = [f"{joints} pair{'s' if joints != 1 else ''} decided"] if joints else []
        if waiting:
            told.append(f"{waiting} that touch not decided, so not joined")
        if self.sheet.content.patterns:
            told.append(f"{len(self.sheet.content.patterns)} repeated")
        told += [f"“{frame}” joined in its nodes" for frame in self._frames()]
        if ribs := len(self._ribs()):
            told.append(f"{ribs} rib{'s' if ribs != 1 else ''} welded on")
        if self.session.parts.contacts is None:
            told.append("looking which parts touch …")
        return [f"{'; '.join(told) or 'No two parts touch'}."]

    def _ribs(self) -> list[MemberValue]:
        return [part for part in self.session.design.members if part.on]

    def _frames(self) -> dict[str, list[JointValue]]:
        """What joins the members of each frame; those of one member are left out."""
        within = {part.name: part.within for part in self.session.design.parts}
        found: dict[str, list[JointValue]] = {}
        for joint in self.session.design.joints:
            frames = {within.get(part) for part in joint.parts}
            frame = frames.pop() if len(frames) == 1 else None
            if joint.implied and frame is not None:
                found.setdefault(frame, []).append(joint)
        return found

    def _in_nodes(self) -> list[Sentence]:
        """What is joined without being asked: members of a frame, where they share a node."""
        told: list[Sentence] = []
        for frame, ends in self._frames().items():
            hinged = sum(joint.how == "hinged" for joint in ends)
            how = "rigidly" if not hinged else f"rigidly but for {hinged} hinged"
            told.append([f"The members of “{frame}” are joined in its nodes, {how}."])
        return told

    def _on_walls(self) -> list[Sentence]:
        """What is joined without being asked: ribs, to the wall they stand on."""
        walls: dict[str, list[str]] = {}
        for rib in self._ribs():
            walls.setdefault(str(rib.on), []).append(f"“{rib.name}”")
        told: list[Sentence] = []
        for wall, ribs in walls.items():
            names = ", ".join(ribs[:_MOST_RIBS])
            more = len(ribs) - _MOST_RIBS
            names += f" and {more} more" if more > 0 else ""
            told.append([f"{names} {'is' if len(ribs) == 1 else 'are'} welded to “{wall}”."])
        return told

    def _joint(self, index: int, joint: Joint) -> Sentence:
        path: Path = ("joints", index)
        first, second = joint.between
        options = [(words, self._become(path, joint, how)) for how, words in _HOW.items()]
        pieces: Pieces = [
            f"“{first}” and “{second}” are",
            Choice(_HOW[joint.how], tuple(options), "how the two are joined"),
        ]
        if joint.how == "spots":
            spots = ", ".join(f"“{spot}”" for spot in joint.spots)
            pieces += [
                f"{spots}, each",
                Number((*path, "radius"), "radius of the spots"),
                "in radius",
            ]
        for key, words in (("springs", "along"), ("turning_springs", "about")):
            for axis in "xyz":
                if getattr(getattr(joint, key), axis, None) is not None:
                    pieces += [f", {words} {axis}", Number((*path, key, axis), f"spring {axis}")]
        if joint.axis is not None:
            pieces.append(f"about {joint.axis}")
        acts: list[Act | Choice] = [
            Act("light both", self._light(first, second)),
        ]
        if joint.how == "hinged":
            axes = [(f"about {axis}", self.set_to((*path, "axis"), axis)) for axis in "xyz"]
            acts.append(Choice("axis…", tuple(axes), "The axis it is hinged about"))
        if joint.how == "sprung":
            turning = [
                (f"about {axis}", self.set_to((*path, "turning_springs", axis), _TURNING))
                for axis in "xyz"
            ]
            acts.append(Choice("turning spring…", tuple(turning), "A spring against turning"))
        acts.append(Act("leave open", self._reopen(path), "Leave this pair undecided again"))
        return [*pieces, ".", Acts(tuple(acts))]

    def _waiting(self) -> list[Contact]:
        """The pairs nothing is said of yet."""
        # The sheet as written, not as it was when the parts were last looked at, says what is
        # decided: an answer may still be on its way.
        decided = {joint.parts for joint in self.session.design.joints if not joint.implied}
        return [
            each
            for each in self.session.parts.contacts or ()
            if frozenset((each.first, each.second)) not in decided
        ]

    def _undecided(self, contact: Contact) -> Sentence:
        first, second = contact.first, contact.second
        if not contact.touches:
            near = f"“{first}” and “{second}” come near each other, {contact.words}."
            return [near, Act("light both", self._light(first, second))]
        options = [
            (
                f"{words}{', as offered' if how == contact.offered else ''}",
                self._decide(contact, how),
            )
            for how, words in _HOW.items()
        ]
        return [
            f"“{first}” touches “{second}” {contact.words}:",
            Choice("not decided, so not joined", tuple(options), "decide how the two are joined"),
            ".",
            Act("light both", self._light(first, second)),
        ]

    def _pattern(self, index: int, of: str) -> Sentence:
        path: Path = ("patterns", index)
        pattern = self.sheet.content.patterns[index]
        pieces: Pieces = [f"“{of}” is there"]
        if pattern.mirror is not None:
            pieces.append(f"twice, mirrored across {pattern.mirror}")
        else:
            given = self.sheet.value((*path, "count")) is not None
            pieces += [Number((*path, "count"), f"copies of {of}") if given else "2", "times"]
        if pattern.step is not None:
            pieces.append(", every")
            pieces += [
                Number((*path, "step", k), f"step {k + 1}") for k in range(len(pattern.step))
            ]
        if pattern.about is not None:
            pieces.append(f", round {pattern.about}")
            if self.sheet.value((*path, "angle")) is not None:
                pieces += ["through", Number((*path, "angle"), "angle in all")]
        return [*pieces, ".", Acts((self.remove_act(path, "pattern"),))]

    def _effects(self) -> list[Sentence]:
        """What the last change between parts did to the lowest modes."""
        before, answer = self.session.before, self.session.answer
        if before is None or answer is None or self.session.stale:
            return []
        if before.sheet.content.joints == answer.sheet.content.joints:
            return []
        lines: list[Sentence] = [["With the last change here:"]]
        found = self.session.compared.of(before, answer, ("before", "now"))
        if found is None:
            return []
        paired = [each for each in found.matches if each.paired]
        units = self.session.design.shown
        for each in paired[:_MOST_EFFECTS]:
            assert each.before is not None
            assert each.after is not None
            assert each.change is not None
            now = f" (now mode {each.number_after})" if each.number_after != each.number else ""
            lines.append(
                [
                    f"mode {each.number}: {units.number(each.before, 'frequency', 4)} → "
                    f"{units.frequency_text(each.after, 4)}, {100 * each.change:+.1f} %{now}"
                ]
            )
        return lines if len(lines) > 1 else [["With the last change here no mode is the same."]]

    # -- acts -----------------------------------------------------------------------------------

    def _light(self, *names: str) -> Callable[[], None]:
        places = self.session.design.places
        parts = [places[name].part if name in places else name for name in names]
        return lambda: self.session.parts.light(parts)

    def _become(self, path: Path, joint: Joint, how: str) -> Callable[[], None]:
        def change(sheet: Sheet) -> Sheet:
            for key in _OF_ONE_KIND:
                if sheet.value((*path, key)) is not None:
                    sheet = sheet.without((*path, key))
            values: dict[Path, object] = {(*path, "how"): how}
            values |= {
                (*path, key): value for key, value in self._extras(how, joint.between).items()
            }
            return sheet.with_values(values)

        return lambda: self.edit(f"{' and '.join(joint.between)} {_HOW[how]}", change)

    def _decide(self, contact: Contact, how: str) -> Callable[[], None]:
        between = (contact.first, contact.second)
        entry = {"between": list(between), "how": how}

        def act() -> None:
            places = self.session.design.places
            for index, joint in enumerate(self.sheet.content.joints):
                parts = {places[name].part if name in places else name for name in joint.between}
                if parts == set(between):  # decided meanwhile: change that decision
                    self._become(("joints", index), joint, how)()
                    return
            self.session.parts.light(between)
            whole = entry | self._extras(how, between)
            label = f"{' and '.join(between)} {_HOW[how]}"
            self.edit(label, lambda sheet: sheet.with_entry(("joints",), whole))

        return act

    def _extras(self, how: str, between: tuple[str, ...]) -> dict[str, Any]:
        """What a way of joining needs besides its name."""
        if how == "sprung":
            return dict(_SPRINGS)
        if how == "spots":
            places = self.session.design.places
            parts = {places[name].part if name in places else name for name in between}
            spots = [
                name
                for name in self.sheet.content.sites
                if name in places and places[name].part in parts and places[name].feature is None
            ]
            return {"spots": spots, "radius": "8 mm"}
        return {}

    def _reopen(self, path: Path) -> Callable[[], None]:
        return lambda: self.edit("joint left open", lambda sheet: sheet.without(path))
