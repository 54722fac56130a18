"""Answers that follow a knob while it is turned: read off a model, or moved by their slopes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import Design, KnobValue
from belltone.desk.session.answer import Answer
from belltone.desk.session.identity import carry_over
from belltone.exchange.tables import percent
from belltone.modes.failure import PointFailure
from belltone.modes.matching import clusters
from belltone.modes.modeset import ModeSet, Spectrum
from belltone.modes.pairing import pair
from belltone.modes.solve import request_for
from belltone.reduce.model import Gap, Line, Piece, ReducedModes
from belltone.sheet.document import Sheet
from belltone.tune.pull import Pull

__all__ = ["Known", "answer_at", "count_asked", "outside_words"]

Array = NDArray[np.float64]

_RECOGNISED: Final = 0.3
_SURE: Final = 0.85  # assurance from which a mode of the model is that of the exact answer


@dataclass(frozen=True)
class Known:
    """What is known of a knob.

    ``line`` is of the design as it is, ``older`` of before other knobs were turned, and ``about``
    of all knobs about the design.
    """

    line: Line | None
    older: Line | None
    about: Line | None


def answer_at(
    rest: Answer,
    sheet: Sheet,
    design: Design,
    knob: KnobValue,
    value: float,
    known: Known,
) -> tuple[Answer, str]:
    """The answer at a value of a knob (base units), by the best there is, and why there is none.

    ``rest`` is the answer where the knob stands as ``knob`` says.
    """
    model, older = known.line, known.older
    before = replace(rest, design=design, final=False, source="before")
    told = None if model is None else model.at(value)
    if isinstance(told, PointFailure):
        return before, told.detail
    found: Answer | None = None
    if model is not None and told is not None:
        found = _by_model(rest, sheet, design, told, model.piece_at(value))
        if found is not None:
            pulled = [line for line in (model, known.about) if line is not None]
            found = replace(found, pulls=_pulls(found, rest, design, pulled, value))
    if found is None and older is not None:
        found = _by_older_model(rest, sheet, design, older, knob.base, value)
    if found is None:
        found = _by_slopes(rest, sheet, design, knob, value)
    return found or before, ""


def outside_words(told: ModeSet, exact: ModeSet, bound: float) -> str:
    """What is to be said where exact modes are outside what a model told, else nothing."""
    partners, certainty = pair(told, exact)
    sure = (partners >= 0) & (certainty >= _SURE)
    there = exact.flexible[np.maximum(partners, 0)]
    off = np.where(sure, np.abs(told.flexible / there - 1), 0.0)
    allowed = told.errors[told.rigid_count :] + bound
    allowed = allowed + exact.errors[exact.rigid_count :][np.maximum(partners, 0)]
    if not np.any(off > allowed):
        return ""
    worst = int(np.argmax(off - allowed))
    return (
        f"the model was {percent(float(off[worst]))} off at mode {worst + 1}, more than the "
        f"{percent(float(allowed[worst]))} it told; what stands now is solved"
    )


def _by_model(
    rest: Answer, sheet: Sheet, design: Design, found: ReducedModes, piece: Piece | Gap | None
) -> Answer | None:
    """The answer of a model, begun from that at ``rest``; ``None`` where the two are unlike."""
    if not isinstance(piece, Piece):
        return None
    rigid, old = found.rigid_count, rest.modes
    if rigid != old.rigid_count or piece.shapes.shape[1] != old.shapes.shape[1]:
        return None
    count = count_asked(design, found)
    partners, certainty = pair(found, old, range(count))
    known = certainty >= _RECOGNISED
    rows = np.concatenate([np.arange(rigid), rigid + np.maximum(partners, 0)]).astype(int)
    motions = piece.motions(found)[: rigid + count]
    known_as = found.signatures[: rigid + count].copy()
    for group in clusters(found.flexible[:count]):
        same = slice(rigid + group.start, rigid + group.stop)
        if group.stop - group.start > 1 and old.lagging is None:
            rows[same] = np.sort(rows[same])
            turn = _turned_back(motions[same], old.shapes[rows[same]])
            motions[same] = np.tensordot(turn, motions[same], axes=1)
            known_as[same] = turn @ known_as[same]
    errors = found.errors[: rigid + count] + old.errors[rows]
    sure = np.concatenate([np.ones(rigid, bool), known])
    scaled = _scaled(motions, old, rows, sure)
    lagging = None
    if old.lagging is not None:
        lagging = np.asarray(scaled.imag) if np.iscomplexobj(scaled) else np.zeros_like(scaled)
    modes = replace(
        old.picked(rows),
        lagging=lagging,
        waves=found.waves[: rigid + count] if any(found.waves) else old.picked(rows).waves,
        frequencies=found.frequencies[: rigid + count],
        errors=errors,
        mass=found.mass,
        kinds=found.kinds[: rigid + count],
        signatures=known_as,
        shapes=np.asarray(scaled.real),
    )
    return _answer(rest, sheet, design, modes, "model")


def _pulls(
    found: Answer, rest: Answer, design: Design, lines: list[Line], value: float
) -> Mapping[str, Pull] | None:
    """Pulls by the models of a knob at a value; those they do not know are of the design before."""
    if rest.pulls is None:
        return None
    begun, _ = pair(found.modes, rest.modes)
    before = np.maximum(begun, 0)
    pulls = {
        name: replace(pull, frequencies=pull.frequencies[before])
        for name, pull in rest.pulls.items()
    }
    for line in lines:
        told, piece = line.at(value), line.piece_at(value)
        if not isinstance(told, ReducedModes) or not isinstance(piece, Piece):
            continue
        partners, certainty = pair(found.modes, told)
        slopes = piece.slopes(line.place_at(value), told)[:, np.maximum(partners, 0)]
        for name, own in zip(line.model.knobs, slopes, strict=True):
            if name in pulls:
                told_here = design.knobs[name].base * own / found.modes.flexible
                frequencies = np.where(certainty >= _RECOGNISED, told_here, pulls[name].frequencies)
                pulls[name] = replace(pulls[name], frequencies=frequencies)
    return pulls


def _by_older_model(
    rest: Answer, sheet: Sheet, design: Design, model: Line, base: float, value: float
) -> Answer | None:
    """The answer at a value, by the model of a design whose other knobs stood elsewhere.

    Every frequency moves by the factor that model tells from ``base``, where the answer at rest
    stands; nobody knows how far that is off. ``None`` where the model does not say.
    """
    there, here = model.at(value), model.at(base)
    if not isinstance(there, ReducedModes) or not isinstance(here, ReducedModes):
        return None
    moved = _by_model(rest, sheet, design, there, model.piece_at(value))
    if moved is None:
        return None
    partners, certainty = pair(here, moved.modes)
    begun, sure = pair(here, rest.modes)
    frequencies = moved.modes.frequencies.copy()
    rigid = rest.modes.rigid_count
    for place, (to, start) in enumerate(zip(partners, begun, strict=True)):
        if min(to, start) >= 0 and min(certainty[place], sure[place]) >= _RECOGNISED:
            frequencies[rigid + to] *= rest.modes.flexible[start] / here.flexible[place]
    order = np.concatenate(
        [np.arange(rigid), rigid + np.argsort(frequencies[rigid:], kind="stable")]
    )
    modes = replace(moved.modes, frequencies=frequencies).picked(order)
    return _answer(rest, sheet, design, modes, "older model")


def _by_slopes(
    rest: Answer, sheet: Sheet, design: Design, knob: KnobValue, value: float
) -> Answer | None:
    """The answer at rest with frequencies moved by their pulls; ``None`` where there are none."""
    pull = None if rest.pulls is None else rest.pulls.get(knob.name)
    if pull is None or not knob.base or value / knob.base <= 0:
        return None
    # A pull is percent for percent, so a power of the knob holds farthest.
    powers = (value / knob.base) ** pull.frequencies
    order = np.argsort(rest.modes.flexible * powers, kind="stable")
    rigid = rest.modes.rigid_count
    rows = np.concatenate([np.arange(rigid), rigid + order])
    frequencies = np.concatenate([np.zeros(rigid), (rest.modes.flexible * powers)[order]])
    modes = replace(rest.modes.picked(rows), frequencies=frequencies)
    identities = tuple(rest.identities[at] for at in order)
    return replace(
        _answer(rest, sheet, design, modes, "slopes"), identities=identities, pulls=rest.pulls
    )


def _answer(rest: Answer, sheet: Sheet, design: Design, modes: ModeSet, source: str) -> Answer:
    identities = carry_over(rest.modes, rest.identities, modes)
    return Answer(sheet, design, modes, identities, 0.0, rest.pulls, False, source)


def count_asked(design: Design, found: Spectrum) -> int:
    """How many of the modes found a design asks for."""
    request = request_for(design)
    count = request.count
    if request.up_to is not None:
        count = max(count, int(np.count_nonzero(found.flexible <= request.up_to)))
    return min(count, len(found.flexible))


def _turned_back(motions: Array, before: Array) -> Array:
    """The turn of shapes of one frequency among themselves that brings them nearest to others.

    P. H. Schönemann, "A generalized solution of the orthogonal Procrustes problem", Psychometrika
    31 (1966) 1-10.
    """
    flat, wanted = (own.reshape(len(own), -1) for own in (motions, before))
    lengths = np.linalg.norm(flat, axis=1)
    sides = np.linalg.svd(wanted @ (flat / np.where(lengths > 0, lengths, 1.0)[:, None]).T)
    return np.asarray(sides[0] @ sides[2])


def _scaled(
    motions: NDArray[Any], old: ModeSet, rows: NDArray[np.intp], known: NDArray[np.bool_]
) -> NDArray[Any]:
    """Shapes as large, and at the same point of their cycle, as those they were before."""
    flat = motions.reshape(len(motions), -1)
    before = old.shapes[rows].reshape(len(rows), -1)
    if old.lagging is not None:
        before = before + 1j * old.lagging[rows].reshape(len(rows), -1)
    squares = np.einsum("mi,mi->m", flat.conj(), flat).real
    along = np.einsum("mi,mi->m", flat.conj(), before) / np.where(squares > 0, squares, 1.0)
    largest = np.linalg.norm(motions[..., :3], axis=2).max(axis=1)
    alone = 1.0 / np.where(largest > 0, largest, 1.0)
    return np.asarray(motions * np.where(known, along, alone)[:, None, None])
