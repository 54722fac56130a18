"""How a design stands against everything it is asked, in two sentences."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from belltone.design.values import Design
from belltone.exchange.tables import percent
from belltone.modes.modeset import ModeSet
from belltone.tune.bands import verdict
from belltone.tune.demands import Demands

__all__ = ["Stands", "how_it_stands"]


@dataclass(frozen=True)
class Stands:
    """A heading, what there is to say, and whether that is good, bad, or neither."""

    head: str
    text: str
    tone: Literal["good", "bad", "missed", "open"]


def how_it_stands(modes: ModeSet, design: Design) -> Stands:
    """Which modes stand in bands, and which targets are missed."""
    if not design.bands and not design.targets:
        return Stands("Nothing shakes it yet", "", "open")
    found = verdict(modes, design.bands, design.margin)
    missed = Demands((), 0.0, design.targets).missed(modes)
    if found.clear and missed:
        return Stands("A target is missed:", f"{missed[0].words}.", "missed")
    if found.clear:
        head = "Every band is clear."
        text = f"No mode stands within {percent(design.margin)} of any excitation."
        if design.targets:
            head = "Every band is clear, every target met."
            if not design.bands:
                head, text = "Every target is met.", ""
        return Stands(head, text, "good")
    parts = [f"mode {number} in “{s.band.name}”" for number, s in found.inside]
    parts += [f"mode {number} in the margin of “{s.band.name}”" for number, s in found.margin]
    count = len({number for number, _ in (*found.inside, *found.margin)})
    what = "mode stands" if count == 1 else "modes stand"
    places = {(True, True): "in or too near a band", (True, False): "in a band"}
    where = places.get((bool(found.inside), bool(found.margin)), "too near a band")
    return Stands(f"{count} {what} {where}:", ", ".join(parts) + ".", "bad")
