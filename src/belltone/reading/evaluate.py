"""From a sheet to a design: every value worked out, every problem found and named at once."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from belltone.design.checks import plausibility
from belltone.design.parts import PartValue
from belltone.design.place import Place
from belltone.design.values import BandValue, Design, MassValue, ModeName, SupportValue, TargetValue
from belltone.reading.joints import JointReader
from belltone.reading.numbers import Values
from belltone.reading.parts import PartBuilder
from belltone.reading.patterns import PatternReader, copied_joints, moved_place
from belltone.reading.preload import PreloadReader
from belltone.reading.sites import SiteReader
from belltone.reading.springs import DIRECTIONS, direction_rows, read_springs
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Finding, Path
from belltone.sheet.model import Band, Mass, Source, Support

__all__ = ["design_of"]

HELD_BY_WORD: Final[Mapping[str, tuple[int, ...]]] = {
    "clamped": (0, 1, 2, 3, 4, 5),
    "pinned": (0, 1, 2, 3),
    "guided": (0, 3, 4, 5),
    "free": (),
}
"""Held motions by the member's own axis, side and up; pinned and guided ends do not roll."""

HELD_ON_WALL: Final[Mapping[str, tuple[int, ...]]] = {
    "clamped": (0, 1, 2, 3, 4, 5),
    "pinned": (0, 1, 2),
    "simply supported": (2, 4),
    "diaphragm": (0, 2, 4),
    "guided": (0, 1, 3, 4, 5),
    "free": (),
}
"""The same on a wall, along the edge, out of the wall and along its normal.

A simply supported edge does not move along the normal, nor can its normal tip along the edge. A
diaphragm across a shell's end also keeps it from moving along the edge: it stays round, and is free
to move along the axis.
"""


def design_of(sheet: Sheet, values: Values) -> Design:
    """Build the design of a sheet whose values are worked out.

    Raises `SheetError` with all findings, those of the values included.
    """
    return _Evaluation(sheet, values).design()


@dataclass
class _Evaluation:
    """Builds the design of one sheet from its values; used once."""

    sheet: Sheet
    values: Values

    def __post_init__(self) -> None:
        self.sites = SiteReader(self.sheet, self.values)

    def design(self) -> Design:
        content = self.sheet.content
        self.values.stop_if_wrong()
        built = PartBuilder(self.sheet, self.values, self.sites).build()
        self.values.stop_if_wrong()
        parts = built.parts
        places = self.sites.read(parts, built.nodes)
        joints = JointReader(self.sheet, self.values, self.sites)
        stated = joints.read(parts, places)
        supports = tuple(
            value
            for index, support in enumerate(content.supports)
            if (value := self._support(index, support, places, parts)) is not None
        )
        masses = self._masses(places)
        bands = self._bands()
        margin = self.values.within(("excitation", "margin"), 0.0, 0.9, "between 0 % and 90 %", 0.1)
        accuracy = self.values.within(
            ("accuracy", "target"), 1e-6, 0.2, "between 0.0001 % and 20 %", 0.5e-2
        )
        wished = (content.accuracy.divisions, content.accuracy.order)
        if (wished[0] is None) != (wished[1] is None):
            self.values.add(("accuracy",), "give “divisions” and “order” together, or neither")
        above, up_to = (self._limit(key) for key in ("above", "up_to"))
        if above is not None and up_to is not None and not above < up_to:
            self.values.add(("modes", "up_to"), "the window must end above its start")
        links = joints.links(places)
        reader = PreloadReader(self.values, self.sites)
        preload = reader.read(content.preload, parts, places)
        if preload is None:
            supports = (*supports, *reader.held_instead(content.preload, places))
        spins = None if preload is None else preload.spin
        if above is not None and spins is not None and spins.gyroscopic:
            self.values.add(
                ("modes", "above"),
                "modes with gyroscopic forces are found from the lowest on; leave “above” out",
            )
        self.values.stop_if_wrong()
        design = Design(
            parts=parts,
            joints=(*built.joints, *links, *stated, *copied_joints(stated, built.copies)),
            places=places,
            supports=supports,
            masses=masses,
            bands=bands,
            targets=self._targets(),
            margin=margin,
            accuracy=accuracy,
            fixed=(wished[0], wished[1])
            if wished[0] is not None and wished[1] is not None
            else None,
            count=content.modes.count,
            above=above,
            up_to=up_to,
            knobs=self.values.knobs,
            preload=preload,
            shown=content.shown_units,
        )
        if not design.has_walls and wished[1] is not None and wished[1] < 3:
            self.values.add(
                ("accuracy", "order"), "a member's order is 3 to 8; two below it tell the error"
            )
            self.values.stop_if_wrong()
        warnings = tuple(
            Finding(found.path, found.message, self.sheet.line_of(found.path), warning=True)
            for found in (*built.missed, *plausibility(design, content))
        )
        return replace(design, warnings=warnings)

    def _limit(self, key: str) -> float | None:
        path: Path = ("modes", key)
        if path not in self.values.numbers:
            return None
        return self.values.positive(path, "a frequency")

    def _support(
        self,
        index: int,
        support: Support,
        places: Mapping[str, Place],
        parts: tuple[PartValue, ...],
    ) -> SupportValue | None:
        place = self.sites.find(("supports", index, "site"), support.site, places)
        if place is None:
            return None
        part = next(part for part in parts if part.name == place.part)
        word = isinstance(support.hold, str)
        held: tuple[int, ...]
        if isinstance(support.hold, str):
            words_held = HELD_ON_WALL if part.is_wall else HELD_BY_WORD
            if support.hold not in words_held:
                self.values.add(
                    ("supports", index, "hold"),
                    f"the end of a member cannot be “{support.hold}”; it can be “pinned”",
                )
                return None
            held = words_held[support.hold]
        else:
            held = tuple(sorted({DIRECTIONS.index(name) for name in support.hold}))
        own = support.axes == "own" or (support.axes is None and word)
        words = support.hold if isinstance(support.hold, str) else ", ".join(support.hold)
        springs = self._springs(("supports", index), support)
        return SupportValue(
            support.name or place.site,
            place,
            direction_rows(held),
            words,
            direction_rows(tuple(springs)),
            np.array(list(springs.values())),
            own,
            # A word goes by the site's axes, but springs beside it by the sheet's.
            support.axes == "own",
        )

    def _springs(self, path: Path, support: Support) -> dict[int, float]:
        """Stiffness by direction, those of zero left out."""
        springs = read_springs(self.values, path)
        if (
            isinstance(support.hold, str)
            and "hold" not in support.model_fields_set
            and not (support.springs or support.turning_springs)
        ):
            self.values.add(path, "give “hold”, “springs” or “turning_springs”")
        return springs

    def _masses(self, places: Mapping[str, Place]) -> tuple[MassValue, ...]:
        """All masses; copies of patterns come after those the sheet lists."""
        patterns = PatternReader(self.sheet, self.values).plane_copies("mass")
        found: list[MassValue] = []
        copies: list[MassValue] = []
        for index, mass in enumerate(self.sheet.content.masses):
            body = self._mass(index, mass, places)
            if body is None:
                continue
            found.append(body)
            for copy in patterns.get(mass.name, ()):
                if body.place.feature is not None or body.place.near is not None:
                    self.values.add(
                        ("masses", index, "site"),
                        "only a mass at a named point of a plate or shell can be repeated",
                    )
                    break
                name = f"{body.name} {copy.number}"
                copies.append(replace(body, name=name, place=moved_place(body.place, copy, name)))
        return (*found, *copies)

    def _mass(self, index: int, mass: Mass, places: Mapping[str, Place]) -> MassValue | None:
        path: Path = ("masses", index)
        place = self.sites.find((*path, "site"), mass.site, places)
        kilograms = self.values.numbers[(*path, "mass")]
        inertia = (0.0, 0.0, 0.0)
        if isinstance(mass.inertia, tuple):
            inertia = tuple(self.values.numbers[(*path, "inertia", axis)] for axis in range(3))  # type: ignore[assignment]
        elif mass.inertia is not None:
            inertia = (self.values.numbers[(*path, "inertia")],) * 3
        if not kilograms >= 0 or min(inertia) < 0:
            self.values.add((*path, "mass"), "a mass and its inertia must not be negative")
        offset = (0.0, 0.0, 0.0)
        if mass.offset is not None:
            offset = tuple(self.values.numbers[(*path, "offset", axis)] for axis in range(3))  # type: ignore[assignment]
        spread = mass.spread == "even"
        if spread and (max(inertia) > 0 or any(offset)):
            self.values.add(
                (*path, "spread"),
                "a mass spread evenly has neither inertia nor offset of its own; leave them out, "
                "or let it be “rigid”",
            )
        if place is None:
            return None
        return MassValue(mass.name or place.site, place, kilograms, inertia, offset, spread)

    def _targets(self) -> tuple[TargetValue, ...]:
        found: list[TargetValue] = []
        for index, target in enumerate(self.sheet.content.targets):
            path: Path = ("targets", index)
            share = self.values.positive((*path, "tolerance"), "a tolerance")
            within, frequency, times = share, None, 1.0
            if (target.frequency is None) == (target.times is None):
                words = "state either a “frequency” or how many “times” that of another mode"
                self.values.add(path, words)
            elif target.frequency is not None:
                frequency = self.values.positive((*path, "frequency"), "a frequency")
                within = share * frequency
                if target.within is not None:
                    within = self.values.positive((*path, "within"), "a frequency")
            else:
                times = self.values.positive((*path, "times"), "a ratio")
                if target.of is None:
                    self.values.add((*path, "times"), "say of which mode: “of = { place = 1 }”")
            apart = 0.0
            if target.apart is not None:
                apart = self.values.positive((*path, "apart"), "a share")
            mode, other = (
                None if each is None else ModeName(each.kind, each.place)
                for each in (target.mode, target.of)
            )
            assert mode is not None
            name = target.name or mode.words
            found.append(TargetValue(name, mode, frequency, times, other, within, apart))
        return tuple(found)

    def _bands(self) -> tuple[BandValue, ...]:
        bands: list[BandValue] = []
        for index, band in enumerate(self.sheet.content.excitation.bands):
            path: Path = ("excitation", "bands", index)
            low = self.values.numbers[(*path, "from")]
            high = self.values.positive((*path, "to"), "a frequency")
            if low < 0:
                self.values.add((*path, "from"), "a frequency must not be negative")
            elif high < low:
                self.values.add((*path, "to"), f"the band “{band.name}” must end above its start")
            bands.append(BandValue(band.name, low, high, band.spares, *self._shaking(path, band)))
        for index, source in enumerate(self.sheet.content.excitation.sources):
            shaking = self._shaking(("excitation", "sources", index), source)
            path = ("excitation", "sources", index, "speed")
            if isinstance(source.speed, tuple):
                low = self.values.positive((*path, 0), "a speed")
                high = self.values.positive((*path, 1), "a speed")
                if high < low:
                    self.values.add((*path, 1), "the speed range must end above its start")
            else:
                low = high = self.values.positive(path, "a speed")
            for order in source.orders:
                name = source.name if order == 1 else f"{source.name} {order:g}×"
                factor = order / (2 * math.pi)
                ends = low * factor, high * factor
                bands.append(BandValue(name, *ends, source.spares, *shaking))
        return tuple(bands)

    def _shaking(self, path: Path, stated: Band | Source) -> tuple[int | None, float]:
        """The axis something shakes along, and the share of the mass a mode must move along it."""
        least = self.values.numbers[(*path, "least")]
        if not 0 <= least <= 1:
            self.values.add((*path, "least"), "a share of the mass is from 0 % to 100 %")
        return (None, 0.0) if stated.along is None else ("xyz".index(stated.along), least)
