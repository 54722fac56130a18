"""From what was gathered to the sections of a report."""

from __future__ import annotations

import hashlib
import platform
from collections.abc import Callable, Iterator, Mapping
from datetime import datetime
from importlib.metadata import version
from typing import Final

import numpy as np

from belltone import __version__
from belltone.compare.among import among
from belltone.compare.differs import in_brief
from belltone.compare.likeness import Side
from belltone.compare.matched import compare
from belltone.compare.measured import held_against, how_matched
from belltone.drawing.charts import branch_chart, plane_chart, ruler_chart
from belltone.exchange.compare_tables import (
    among_table,
    variant_columns,
    variant_row,
)
from belltone.exchange.gathered import SLOW, Gathered, held
from belltone.exchange.hand_tables import hand_columns, hand_rows
from belltone.exchange.measurements import held_columns, held_rows, measured_of, spread_words
from belltone.exchange.preload_tables import (
    LARGEST_COLUMNS,
    REACTION_COLUMNS,
    effect_columns,
    effect_rows,
    largest_rows,
    reaction_rows,
    state_words,
)
from belltone.exchange.report.blocks import Block, Cards, Chart, Pages, Points, Rows, Section, Words
from belltone.exchange.report.pictures import component_photo, shape_cards, state_photos
from belltone.exchange.report.statement import excitation_blocks, statement_blocks
from belltone.exchange.report.titles import TITLES
from belltone.exchange.sweep_tables import failure_lines, meeting_lines, sweep_words
from belltone.exchange.tables import MODE_COLUMNS, mode_rows, percent
from belltone.exchange.tuning_tables import (
    cleared_lines,
    proposal_words,
    spread_columns,
    spread_rows,
    tolerance_lines,
)
from belltone.exchange.verdicts import how_it_stands
from belltone.hand.checks import hand_checks
from belltone.progress import Progress
from belltone.sheet.model import ReportPart
from belltone.store.results import method_version
from belltone.system.factor import solver_name
from belltone.tune.bands import mode_standing, separation, shaken

__all__ = ["pages"]

_MODE_HEADS: Final = ("mode", "frequency (Hz)", "rpm", "error", "kind", "excitation")


def pages(found: Gathered, progress: Progress, now: datetime) -> Pages:
    """Write a report of what was gathered. Raises ``Cancelled``."""
    design, modes, sheet = found.design, found.modes, found.sheet
    stands = how_it_stands(modes, design)
    sections = []
    for number, part in enumerate(found.parts):
        progress.report(number, len(found.parts), f"report: {TITLES[part].lower()}")
        blocks = list(_WRITERS[part](found, progress))
        if blocks:
            sections.append(Section(part, TITLES[part], blocks))
    title = sheet.content.title or (found.path.stem if found.path is not None else "A component")
    author = sheet.content.report.author
    under = f"{now:%d %B %Y, %H:%M}" + (f" · {author}" if author else "")
    text = f"{stands.head} {stands.text}".strip() if "verdict" in found.parts else ""
    foot = f"Bell Tone {__version__} · sheet {_hash(sheet.text)[:12]}"
    return Pages(title, under, text, stands.tone, tuple(sections), foot)


def _component(found: Gathered, _progress: Progress) -> Iterator[Block]:
    for note in (found.sheet.content.note, found.sheet.content.report.note):
        if note:
            yield Words(note)
    yield component_photo(found.design, found.modes)
    yield from statement_blocks(found.sheet, found.design)


def _excitation(found: Gathered, _progress: Progress) -> Iterator[Block]:
    yield from excitation_blocks(found.sheet, found.design)


def _verdict(found: Gathered, _progress: Progress) -> Iterator[Block]:
    design, modes = found.design, found.modes
    yield Chart(
        ruler_chart(design, modes),
        "Every mode on the frequency axis; bands are hatched, their margins lighter.",
    )
    rows = []
    kinds = modes.kinds[modes.rigid_count :]
    for band in design.bands:
        told = [
            (separation(float(modes.flexible[at]), band), int(at))
            for at in np.flatnonzero(shaken(modes, band))
        ]
        if told:
            share, at = min(told)
            stands = f"{percent(share)} from it" if share >= 0 else "in it"
            frequency = design.shown.frequency_text(float(modes.flexible[at]), 6)
            rows.append((band.name, str(modes.skipped + at + 1), frequency, kinds[at], stands))
    if rows:
        yield Rows(("band", "nearest mode", "at", "kind", "stands"), tuple(rows))


def _modes(found: Gathered, _progress: Progress) -> Iterator[Block]:
    modes, design = found.modes, found.design
    whole = mode_rows(modes, design)
    told = [MODE_COLUMNS.index(head) for head in _MODE_HEADS]
    rows = tuple(tuple(row[at] for at in told) for row in whole)
    strong = set()
    for at, entry in enumerate(modes.entries()):
        mode = modes.mode(entry.start)
        if not mode.rigid:
            standing = mode_standing(mode, design)
            if standing is not None and standing.place != "clear":
                strong.add(at)
    yield Rows(_MODE_HEADS, rows, strong=frozenset(strong))
    proof = {
        True: "A count of eigenvalues proves that no mode is missing up to the last one listed.",
        False: "A count of eigenvalues says that modes are missing from this list.",
        None: "No count of eigenvalues could be made, so nobody knows whether a mode is missing.",
    }[modes.complete]
    yield Words(
        f"{len(modes.flexible)} flexible modes, {modes.rigid_count} rigid. Errors are estimates of "
        f"how far each frequency may be off the exact solution of the stated problem. {proof}",
        "quiet",
    )


def _shapes(found: Gathered, progress: Progress) -> Iterator[Block]:
    cards = shape_cards(found.design, found.modes, progress)
    if cards:
        yield Cards(
            tuple(cards),
            "Colour is relative motion: pale where nothing moves, dark where most does. Lines on "
            "walls are where a mode stands still. Sizes of motion are relative: a mode has none.",
        )


def _one_knob(found: Gathered, _progress: Progress) -> Iterator[Block]:
    sweep, design = found.sweep, found.design
    if sweep is None:
        return
    knob = sweep.knob
    yield Chart(
        branch_chart(sweep, design, found.intervals),
        f"Branches over {knob.name}: a mode keeps its colour. The dashed line is the design.",
    )
    lines = []
    if design.bands:
        clear = " and ".join(
            f"{knob.text(each.start, 5)} to {knob.text(each.stop, 5)}" for each in found.intervals
        )
        lines.append(
            f"every band is clear from {clear}" if clear else f"no {knob.name} clears every band"
        )
    lines += meeting_lines(sweep)
    lines += failure_lines(sweep)
    lines.append(f"largest error of any frequency: {percent(sweep.worst_error)}")
    lines.append(sweep_words(sweep.solutions, sweep.exact))
    yield Points(tuple(lines))


def _two_knobs(found: Gathered, _progress: Progress) -> Iterator[Block]:
    if found.plane is None:
        return
    plane = found.plane
    yield Chart(
        plane_chart(plane, found.design),
        f"The least margin over {plane.knobs[0]} and {plane.knobs[1]}: green where every band is "
        "clear, the line where the margin asked for begins, red within a band. The cross is the "
        "design.",
    )
    yield Words(
        f"Read off a model, within {percent(max(plane.error, 1e-6))} of solutions.", "quiet"
    )


def _variants(found: Gathered, _progress: Progress) -> Iterator[Block]:
    if not found.variants:
        return
    own = Side("this design", found.design, found.modes)
    units = found.design.shown
    heads = [variant_row(own, "the design of this report", units)]
    heads += [
        variant_row(side, in_brief(differ), units)
        for side, differ in zip(found.variants, found.differ, strict=True)
    ]
    yield Rows(variant_columns(units), tuple(heads))
    for side, differ in zip(found.variants, found.differ, strict=True):
        yield Words(f"“{side.name}” differs by:")
        yield Points(tuple(each.words for each in differ) or ("nothing",))
    beside = among_table(among([own, *found.variants])).shown(units)
    yield Rows(beside.heads, tuple(beside.texts), "Modes matched by shape.")


def _preload(found: Gathered, _progress: Progress) -> Iterator[Block]:
    base = found.modes.base
    if base is None:
        return
    yield Points(tuple(state_words(base)))
    yield from state_photos(found.design, found.modes)
    yield Rows(LARGEST_COLUMNS, tuple(largest_rows(base)), "Largest values")
    yield Rows(REACTION_COLUMNS, tuple(reaction_rows(base)), "Reactions")
    if found.bare is not None:
        bare = Side("without preload", found.design, found.bare)
        changed = compare(bare, Side("with preload", found.design, found.modes)).matches
        units = found.design.shown
        rows = tuple(effect_rows(changed, units))
        yield Rows(effect_columns(units), rows, "Modes without and with it")


def _by_hand(found: Gathered, _progress: Progress) -> Iterator[Block]:
    modes = found.modes
    checks = [hand_checks(found.design, modes, at) for at in range(len(modes))]
    if not any(known for known, _ in checks):
        why = next((reason for _, reason in checks[modes.rigid_count :]), "")
        yield Words(f"No textbook value fits these modes: {why}.", "quiet")
        return
    units = found.design.shown
    yield Rows(hand_columns(units), tuple(hand_rows(modes, checks, units)))


def _proposal(found: Gathered, _progress: Progress) -> Iterator[Block]:
    if found.cleared is None:
        return
    cleared = found.cleared
    wanted = "the least change" if cleared.aim == "change" else f"the least {cleared.aim}"
    if cleared.aim == "margin":
        wanted = "the most margin"
    bands = ", ".join(f"“{band.name}”" for band in found.design.bands) or "none"
    asked = f"Asked: bands {bands} clear by {percent(found.design.margin)}"
    targets = ", ".join(f"“{each.name}”" for each in found.design.targets)
    asked += f", targets {targets} met" if targets else ""
    yield Words(f"{asked}, with {wanted}.")
    yield Points(tuple(line.strip() for line in cleared_lines(cleared, found.design.shown)))
    if cleared.best is not cleared.present:
        rows = tuple(
            (
                proposal_words(each, cleared.present, found.design.shown),
                "yes" if each.clear else "; ".join(missed.words for missed in each.missed),
            )
            for each in cleared.proposals
        )
        yield Rows(("proposal", "checked: clear"), rows, "Each was solved with all its modes")


def _tolerances(found: Gathered, _progress: Progress) -> Iterator[Block]:
    if found.tolerances is None:
        return
    told = found.tolerances
    units = found.design.shown
    yield Rows(spread_columns(told, units), tuple(spread_rows(told, units)))
    yield Points(tuple(tolerance_lines(told)))


def _grounds(found: Gathered, _progress: Progress) -> Iterator[Block]:
    design, modes, sheet = found.design, found.modes, found.sheet
    assumed = ["materials are linear and elastic; nothing damps the motion"]
    if design.has_walls:
        assumed.append(
            "walls are shells that may shear: stresses through the thickness are left out"
        )
    if any(not part.is_wall for part in design.solid_parts):
        assumed.append(
            "members are beams that may shear and twist; their sections keep their shape"
        )
    if design.supports:
        assumed.append("what is held without a spring is held without any give")
    if any(not joint.implied for joint in design.joints):
        assumed.append(
            "joints stated are without play; what touches and is not joined passes freely"
        )
    if design.preload is not None:
        large = modes.base is not None and modes.base.large
        how = "its own state, however far that is" if large else "the shape as made"
        assumed.append(f"vibrations are small motions about the loaded component, by {how}")
    yield Words("Assumed:")
    yield Points(tuple(assumed))
    unproved = []
    if modes.complete is not True:
        unproved.append("that no mode is missing from the list")
    if design.has_received:
        unproved.append("how well the received mesh stands for the part it was made of")
    unproved.append("amplitudes: shapes are relative, and say nothing of stress or displacement")
    unproved += [str(warning) for warning in design.warnings]
    unproved += list(found.notes)
    pinned = bool(found.variants)
    left = [part for part in held(sheet, design, pinned) if part not in found.parts]
    left = [part for part in left if part in SLOW]
    if left:
        unproved.append(f"not looked at here: {', '.join(TITLES[part].lower() for part in left)}")
    yield Words("Not proved:")
    yield Points(tuple(unproved))
    mesh = modes.discretisation
    rows = (
        ("accuracy asked", percent(design.accuracy)),
        ("discretisation", f"order {mesh.order}, {modes.unknowns} unknowns"),
        ("solver", solver_name()),
        ("program", f"Bell Tone {__version__}, method {method_version()}"),
        (
            "with",
            f"Python {platform.python_version()}, numpy {version('numpy')}, "
            f"scipy {version('scipy')}",
        ),
        ("sheet (SHA-256)", _hash(sheet.text)),
        ("what decides the modes", sheet.answer_hash()),
        ("frequencies (SHA-256)", _hash(modes.frequencies.tobytes())),
    )
    yield Rows(("", ""), rows)
    yield Words("The sheet, as it was:")
    yield Words(sheet.text, "code")


def _measured(found: Gathered, _progress: Progress) -> Iterator[Block]:
    told = measured_of(found.sheet)
    said = found.sheet.content.measured
    if told is None or not len(told) or said is None:
        return
    how = how_matched(told, said.match)
    held = held_against(Side("", found.design, found.modes), told, how)
    yield Chart(
        ruler_chart(found.design, found.modes, measured=told.frequencies.tolist()),
        "Modes above the axis, what was measured below it.",
    )
    units = found.design.shown
    yield Rows(held_columns(units), tuple(held_rows(held, told.notes, units)))
    yield Words(f"Matched by {how}; {spread_words(held)}.", "quiet")


def _hash(content: str | bytes) -> str:
    data = content.encode() if isinstance(content, str) else content
    return hashlib.sha256(data).hexdigest()


_WRITERS: Final[Mapping[ReportPart, Callable[[Gathered, Progress], Iterator[Block]]]] = {
    "component": _component,
    "excitation": _excitation,
    "verdict": _verdict,
    "modes": _modes,
    "shapes": _shapes,
    "one knob": _one_knob,
    "two knobs": _two_knobs,
    "variants": _variants,
    "preload": _preload,
    "by hand": _by_hand,
    "measured": _measured,
    "proposal": _proposal,
    "tolerances": _tolerances,
    "grounds": _grounds,
}
