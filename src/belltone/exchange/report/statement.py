"""The sheet in words and tables: parts, what holds, hangs on, joins and loads them."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from belltone.design.preload import PreloadValue
from belltone.design.values import Design, JointValue, KnobValue, SupportValue
from belltone.design.words import part_words
from belltone.exchange.report.blocks import Block, Rows, Words
from belltone.modes.mass_properties import mass_properties, part_masses
from belltone.sheet.document import Sheet
from belltone.sheet.shown_units import ShownUnits
from belltone.sheet.units import format_number
from belltone.tune.bands import spared_words

__all__ = ["excitation_blocks", "statement_blocks"]

Array = NDArray[np.float64]

_MOTIONS = ("x", "y", "z", "turn x", "turn y", "turn z")
_STANDARD_GRAVITY = 9.80665  # m/s²


def statement_blocks(sheet: Sheet, design: Design) -> Iterator[Block]:
    """Everything the sheet says of the component, as tables."""
    units = design.shown
    heavy, long = units.unit("mass"), units.unit("length")
    masses = part_masses(design)
    rows = [
        (
            part.name,
            part_words(part, design.shown),
            ", ".join(made.name for made in part.materials),
            units.number(masses[part.name], "mass", 4),
        )
        for part in design.solid_parts
    ]
    whole = mass_properties(design)
    yield Rows(("part", "what it is", "material", f"mass ({heavy})"), tuple(rows), "Parts")
    centre = _lengths(np.round(whole.centre, 6) + 0.0, units)
    yield Words(
        f"{units.mass_text(whole.mass, 5)} in all, with what hangs on it; its centre is at "
        f"{centre} {long}.",
        "quiet",
    )
    if design.knobs:
        notes = {name: knob.note for name, knob in sheet.content.knobs.items()}
        knobs = tuple(
            (name, knob.text(), _range(knob), notes.get(name, ""))
            for name, knob in design.knobs.items()
        )
        yield Rows(("knob", "value", "range", "note"), knobs, "Knobs")
    if design.supports:
        held = tuple(
            (each.name, each.place.site, _hold(each)) for each in design.supports if each.holds
        )
        yield Rows(("support", "at", "how"), held, "Supports")
    else:
        yield Words("Nothing holds it: it is free in space.")
    joints = [each for each in design.joints if not each.implied]
    if joints:
        told = tuple((each.name, _between(each), _joined(each, units)) for each in joints)
        yield Rows(("joint", "between", "how"), told, "Joints")
    if design.masses:
        hung = tuple(
            (
                each.name,
                each.place.site,
                units.number(each.mass, "mass", 5),
                _lengths(np.array(each.offset), units) if any(each.offset) else "at the site",
                "spread evenly" if each.even else "one rigid body",
            )
            for each in design.masses
        )
        heads = ("mass", "at", f"mass ({heavy})", f"centre off the site ({long})", "how")
        yield Rows(heads, hung, "Masses")
    if design.preload is not None:
        loads = tuple(_loads(design.preload, units))
        yield Rows(("load", "on", "how much"), loads, "Preload")


def excitation_blocks(sheet: Sheet, design: Design) -> Iterator[Block]:
    """What shakes the component, and what is asked of its modes."""
    units = design.shown
    hertz = units.unit("frequency")
    if not design.bands and not design.targets:
        yield Words("Nothing is said of what shakes it.")
    if design.bands:
        bands = tuple(
            (
                each.name,
                units.number(each.low, "frequency", 5),
                units.number(each.high, "frequency", 5),
                spared_words(each),
            )
            for each in design.bands
        )
        yield Rows(("band", f"from ({hertz})", f"to ({hertz})", "does not shake"), bands)
        share = format_number(100 * design.margin, 4)
        yield Words(f"Every mode is to stay {share} % away from every band, above and below.")
    sources = sheet.content.excitation.sources
    if sources:
        turning = tuple(
            (
                each.name,
                each.speed if isinstance(each.speed, str) else " to ".join(each.speed),
                ", ".join(f"{order:g}×" for order in each.orders),
            )
            for each in sources
        )
        yield Rows(("source", "speed", "orders"), turning, "What turns")
    if design.targets:
        targets = tuple(
            (
                each.name,
                each.mode.words,
                f"at {units.frequency_text(each.frequency, 6)}"
                if each.frequency is not None
                else f"{format_number(each.times, 5)} times {each.of.words if each.of else ''}",
            )
            for each in design.targets
        )
        yield Rows(("target", "mode", "is to stand"), targets, "Targets")


def _range(knob: KnobValue) -> str:
    low, high = knob.range
    words = f"{format_number(low, 5)} to {format_number(high, 5)} {knob.unit}".strip()
    if knob.stock:
        stock = ", ".join(format_number(each, 5) for each in knob.stock)
        words = f"{stock} {knob.unit} in stock"
    elif knob.step is not None:
        words += f", in steps of {format_number(knob.step, 4)}"
    if knob.spread is not None:
        size = knob.spread.size
        told = f"{format_number(100 * size, 3)} %" if knob.spread.relative else knob.text(size, 3)
        words += f"; {'deviation' if knob.spread.deviation else '±'} {told}"
    return words


def _hold(support: SupportValue) -> str:
    words = [support.words] if len(support.directions) else []
    return ", ".join(words + _springs(support.spring_directions, support.spring_stiffness))


def _springs(directions: Array, stiffness: Array) -> list[str]:
    found = []
    for row, value in zip(directions, stiffness, strict=True):
        motion = int(np.argmax(np.abs(row)))
        unit = "N/mm" if motion < 3 else "N m/rad"
        number = format_number(float(value) * (1e-3 if motion < 3 else 1.0), 5)
        found.append(f"spring in {_MOTIONS[motion]} of {number} {unit}")
    return found


def _between(joint: JointValue) -> str:
    return f"{joint.first.words} and {joint.second.words}"


def _joined(joint: JointValue, units: ShownUnits) -> str:
    words = [joint.how if joint.how != "none" else "not joined"]
    if joint.spots:
        radius = units.length_text(joint.radius, 4)
        words = [f"{len(joint.spots)} spots of {radius} radius"]
    return ", ".join(words + _springs(joint.spring_directions, joint.spring_stiffness))


def _loads(preload: PreloadValue, units: ShownUnits) -> Iterator[tuple[str, str, str]]:
    for force in preload.forces:
        told = []
        if np.any(force.force):
            told.append(f"{_triple(force.force)} N")
        if np.any(force.moment):
            told.append(f"{_triple(force.moment)} N m")
        own = " by the site's own axes" if force.own else ""
        yield force.name, force.place.site, " and ".join(told) + own
    for pressure in preload.pressures:
        size = f"{format_number(1e-3 * pressure.pressure, 5)} kPa"
        if np.any(pressure.growth):
            size += f", growing by {_triple(1e-3 * pressure.growth)} kPa/m"
        yield pressure.name, pressure.place.site, size
    for part, warmth in preload.warmths.items():
        if warmth:
            yield "temperature change", part, f"{warmth:+.5g} K"
    for part, pull in preload.pulls.items():
        if pull:
            yield "pretension", part, f"{format_number(pull, 5)} N"
    for move in preload.moves:
        shift = move.values @ move.directions
        told = []
        if np.any(shift[:3]):
            told.append(f"{_lengths(shift[:3], units)} {units.unit('length')}")
        if np.any(shift[3:]):
            told.append(f"turned by {_triple(np.degrees(shift[3:]))}°")
        yield "set displacement", move.place.site, ", ".join(told)
    if np.any(preload.acceleration):
        share = float(np.linalg.norm(preload.acceleration)) / _STANDARD_GRAVITY
        how = f"{_triple(preload.acceleration)} m/s² ({format_number(share, 4)} g)"
        yield "acceleration", "everything", how
    if preload.spin is not None:
        rpm = 60 * preload.spin.speed / (2 * math.pi)
        words = f"{format_number(rpm, 5)} rpm about {_triple(preload.spin.axis)}"
        if preload.spin.gyroscopic:
            words += ", with gyroscopic forces"
        yield "spin", "everything", words
    if preload.scale != 1.0:
        yield "scale", "all of it", f"{format_number(preload.scale, 5)} times"


def _lengths(values: Array, units: ShownUnits) -> str:
    return _triple(units.factor("length") * values)


def _triple(values: Array) -> str:
    return ", ".join(format_number(float(value), 5) for value in values)
