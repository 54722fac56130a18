"""The preload of a sheet worked out."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from difflib import get_close_matches

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import MemberValue, MeshValue, PartValue
from belltone.design.place import Place
from belltone.design.preload import (
    ForceValue,
    MoveValue,
    PreloadValue,
    PressureValue,
    SpinValue,
)
from belltone.design.values import SupportValue
from belltone.reading.numbers import Values
from belltone.reading.placement import vector
from belltone.reading.sites import SiteReader
from belltone.sheet.errors import Path
from belltone.sheet.preload_models import Preload, PreloadForce, PreloadPressure, PreloadSpin

__all__ = ["PreloadReader"]

Array = NDArray[np.float64]

_BASE: Path = ("preload",)
_WAYS = ("x", "y", "z", "turn x", "turn y", "turn z")


@dataclass
class PreloadReader:
    """Reads the preload; what is wrong goes to the values' findings."""

    values: Values
    sites: SiteReader

    def read(
        self, stated: Preload | None, parts: tuple[PartValue, ...], places: Mapping[str, Place]
    ) -> PreloadValue | None:
        """All loads; ``None`` where the sheet has none, or says they are not applied."""
        if stated is None:
            return None
        by_name = {part.name: part for part in parts}
        forces = [
            force
            for index, entry in enumerate(stated.forces)
            if (force := self._force(index, entry, places)) is not None
        ]
        pressures = [
            pressure
            for index, entry in enumerate(stated.pressures)
            if (pressure := self._pressure(index, entry, places, by_name)) is not None
        ]
        warmths = self._warmths(stated, by_name)
        pulls = self._pulls(stated, by_name)
        moves = self._moves(stated, places)
        spin = None if stated.spin is None else self._spin(stated.spin)
        large = stated.deflection == "large"
        received = [part.name for part in parts if isinstance(part, MeshValue)]
        if large and received:
            self.values.add(
                (*_BASE, "deflection"),
                f"“{received[0]}” is a mesh that was received; such parts are loaded with small "
                "deflection only",
            )
        scale = self.values.numbers.get((*_BASE, "scale"), 1.0)
        if spin is not None and scale < 0:
            self.values.add((*_BASE, "scale"), "a spin cannot be scaled by less than zero")
        acceleration = np.zeros(3)
        if stated.acceleration is not None:
            acceleration = vector(self.values, (*_BASE, "acceleration"))
        value = PreloadValue(
            scale,
            large,
            acceleration,
            spin,
            tuple(forces),
            tuple(pressures),
            warmths,
            pulls,
            tuple(moves),
        )
        return value if stated.applied and value.loads else None

    def held_instead(
        self, stated: Preload | None, places: Mapping[str, Place]
    ) -> tuple[SupportValue, ...]:
        """What holds sites that a preload sets to a displacement while it is not applied.

        They are held where they are; without its load a component is not freer than with it.
        """
        if stated is None:
            return ()
        none = np.zeros((0, 6))
        return tuple(
            SupportValue(
                f"{move.place.site}, held at zero displacement",
                move.place,
                move.directions,
                "held at zero displacement",
                none,
                np.zeros(0),
            )
            for move in self._moves(stated, places)
        )

    def _force(
        self, index: int, entry: PreloadForce, places: Mapping[str, Place]
    ) -> ForceValue | None:
        path: Path = (*_BASE, "forces", index)
        place = self.sites.find((*path, "site"), entry.site, places)
        if entry.force is None and entry.moment is None:
            self.values.add(path, "give a “force”, a “moment” or both, as x, y and z")
        if place is None:
            return None
        force, moment = (
            np.zeros(3) if stated is None else vector(self.values, (*path, key))
            for key, stated in (("force", entry.force), ("moment", entry.moment))
        )
        return ForceValue(entry.name or entry.site, place, force, moment, entry.axes == "own")

    def _pressure(
        self,
        index: int,
        entry: PreloadPressure,
        places: Mapping[str, Place],
        parts: Mapping[str, PartValue],
    ) -> PressureValue | None:
        path: Path = (*_BASE, "pressures", index)
        place = self.sites.find((*path, "site"), entry.site, places)
        if place is None:
            return None
        part = parts[place.part]
        if place.feature is None or part.features[place.feature].sort != "face":
            faces = [
                f"“{other.name}.{feature}”"
                for other in parts.values()
                for feature, own in other.features.items()
                if own.sort == "face"
            ]
            there = "; there is " + ", ".join(faces) if faces else ""
            self.values.add((*path, "site"), f"a pressure needs the face of a wall{there}")
            return None
        growth, level = np.zeros(3), np.zeros(3)
        if entry.growth is not None:
            growth = vector(self.values, (*path, "growth"))
            if entry.level is None:
                self.values.add(
                    path, "say where the pressure is as stated: “level” as x, y and z of a place"
                )
        if entry.level is not None:
            level = vector(self.values, (*path, "level"))
        return PressureValue(
            entry.name or entry.site,
            place,
            self.values.numbers[(*path, "pressure")],
            1.0 if entry.on == "inner" else -1.0,
            entry.follows,
            growth,
            level,
            entry.suction or entry.growth is None,
        )

    def _warmths(self, stated: Preload, parts: Mapping[str, PartValue]) -> dict[str, float]:
        warmths: dict[str, float] = {}
        for index, entry in enumerate(stated.warmths):
            path: Path = (*_BASE, "warmths", index)
            if entry.part is not None and not self._known((*path, "part"), entry.part, parts):
                continue
            states = (entry.start is not None, entry.stop is not None)
            if (entry.change is None) != all(states) or any(states) != all(states):
                self.values.add(path, "give a “change”, or both “from” and “to” as temperatures")
                continue
            if entry.change is None:
                at = "to"
                change = self.values.numbers[(*path, "to")] - self.values.numbers[(*path, "from")]
            else:
                at = "change"
                change = self.values.numbers[(*path, "change")]
            named = parts.values() if entry.part is None else [parts[entry.part]]
            for part in named:
                if not part.is_solid:
                    continue
                still = next((made.name for made in part.materials if not made.expands), None)
                if still is not None and change:
                    self.values.add(
                        (*path, at),
                        f"it is not known how far “{still}” expands, of which “{part.name}” is "
                        "made; give the material an “expansion”",
                    )
                    break
                warmths[part.name] = warmths.get(part.name, 0.0) + change
        return warmths

    def _pulls(self, stated: Preload, parts: Mapping[str, PartValue]) -> dict[str, float]:
        pulls: dict[str, float] = {}
        for index, entry in enumerate(stated.pulls):
            path: Path = (*_BASE, "pulls", index)
            if not self._known((*path, "part"), entry.part, parts):
                continue
            if not isinstance(parts[entry.part], MemberValue):
                self.values.add(
                    (*path, "part"), f"“{entry.part}” is not a member; only members are put in pull"
                )
                continue
            force = self.values.numbers[(*path, "force")]
            pulls[entry.part] = pulls.get(entry.part, 0.0) + force
        return pulls

    def _known(self, path: Path, name: str, parts: Mapping[str, PartValue]) -> bool:
        if name in parts:
            return True
        near = get_close_matches(name, parts, n=3, cutoff=0.4)
        known = ", ".join(f"“{part}”" for part in near or parts)
        self.values.add(path, f"no part “{name}”; there is {known}")
        return False

    def _moves(self, stated: Preload, places: Mapping[str, Place]) -> list[MoveValue]:
        moves: list[MoveValue] = []
        for index, entry in enumerate(stated.moves):
            path: Path = (*_BASE, "moves", index)
            place = self.sites.find((*path, "site"), entry.site, places)
            chosen: list[int] = []
            values: list[float] = []
            for first, keys in ((0, path), (3, (*path, "turn"))):
                for axis, letter in enumerate("xyz"):
                    value = self.values.numbers.get((*keys, letter))
                    if value is not None:
                        chosen.append(first + axis)
                        values.append(value)
            if not chosen:
                self.values.add(path, "say how far it moves: “x”, “y”, “z” or a “turn”")
            elif place is not None:
                moves.append(MoveValue(place, np.eye(6)[chosen], np.array(values)))
                self._against_others(path, moves)
        return moves

    def _against_others(self, path: Path, moves: list[MoveValue]) -> None:
        """Say so where the last of some moves sets what an earlier one sets."""
        *others, last = moves
        for other in others:
            twice = [
                _WAYS[int(np.argmax(row))] for row in last.directions if any(other.directions @ row)
            ]
            if other.place.same_spot(last.place) and twice:
                self.values.add(
                    path,
                    f"“{other.place.site}” and “{last.place.site}” are one site, and "
                    f"{' and '.join(twice)} of it is set twice; keep one of the two",
                )

    def _spin(self, entry: PreloadSpin) -> SpinValue:
        path: Path = (*_BASE, "spin")
        speed = self.values.numbers[(*path, "speed")]
        if speed < 0:
            self.values.add((*path, "speed"), "a speed must not be negative; turn the axis round")
        if isinstance(entry.axis, str):
            axis = np.eye(3)["xyz".index(entry.axis)]
        else:
            axis = np.array(entry.axis, float)
        length = float(np.linalg.norm(axis))
        if length == 0:
            self.values.add((*path, "axis"), "an axis needs a direction; (0, 0, 0) has none")
        through = np.zeros(3)
        if entry.through is not None:
            through = vector(self.values, (*path, "through"))
        if entry.seen_from == "ground" and not entry.gyroscopic:
            self.values.add(
                (*path, "seen_from"),
                "whirl is only told apart with “gyroscopic = true”, which seeing from the ground "
                "needs",
            )
        speeds: tuple[float, float] | None = None
        if entry.speeds is not None:
            low, high = (self.values.numbers[(*path, "speeds", at)] for at in (0, 1))
            if not 0 <= low < high:
                self.values.add((*path, "speeds"), "the speeds must rise from zero or more")
            speeds = (low, high)
        return SpinValue(
            speed,
            axis / (length or 1.0),
            through,
            entry.gyroscopic,
            entry.seen_from == "ground",
            speeds,
            entry.orders,
        )
