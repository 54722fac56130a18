"""What can be found in a sheet and its answer: numbers, names and modes."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from belltone.desk.finding.finds import Find
from belltone.desk.session.session import Session
from belltone.desk.values import shown_value
from belltone.sheet.errors import Path
from belltone.sheet.handbook import handbook

__all__ = ["sheet_finds"]


def sheet_finds(session: Session) -> Iterator[Find]:
    """Yield everything of the sheet that can be gone to."""
    yield from _knobs(session)
    yield from _parts_and_sites(session)
    yield from _numbers(session)
    yield from _materials(session)
    yield from _modes(session)


def _knobs(session: Session) -> Iterator[Find]:
    for name, knob in session.design.knobs.items():
        path: Path = ("knobs", name, "value")
        note = session.sheet.content.knobs[name].note
        detail = f"{knob.text()}{f' · {note}' if note else ''}"
        yield Find(name, "knob", detail, partial(session.pointing.seek_value, path))


def _parts_and_sites(session: Session) -> Iterator[Find]:
    for name in session.sheet.content.parts:
        yield Find(name, "part", "choose it", partial(session.parts.select, [name]))
    for site, place in session.design.places.items():
        detail = f"on “{place.part}”"
        yield Find(site, "site", detail, partial(_show_site, session, site))


def _show_site(session: Session, site: str) -> None:
    session.pointing.point_at(site)
    session.pointing.seek_site(site)


def _numbers(session: Session) -> Iterator[Find]:
    content = session.sheet.content
    for path in session.sheet.values:
        if path[0] in ("knobs", "measured"):
            continue
        value = shown_value(session.sheet, session.design, path)
        owner = session.sheet.value((*path[:2], "name")) if isinstance(path[1], int) else ""
        if not owner and isinstance(path[1], int) and path[0] in ("supports", "masses"):
            entries = content.supports if path[0] == "supports" else content.masses
            owner = entries[path[1]].site
        steps = path[2:] if owner else [step for step in path if step not in ("parts", "sites")]
        told = " ".join(_step_words(step, place) for place, step in enumerate(steps))
        words = f"{told}{f' of {owner}' if owner else ''}"
        yield Find(
            words,
            "number",
            value.shown,
            partial(session.pointing.seek_value, path),
        )


def _step_words(step: str | int, place: int) -> str:
    """A step of a path as words; a number behind words is an axis."""
    if isinstance(step, int):
        return "xyz"[step] if place and step < len("xyz") else str(step + 1)
    return step.replace("_", " ")


def _materials(session: Session) -> Iterator[Find]:
    for name in (*session.sheet.content.materials, *handbook()):
        chosen = ", ".join(session.parts.chosen)
        yield Find(
            name,
            "material",
            f"make “{chosen}” of it",
            partial(_make_of, session, name),
        )


def _make_of(session: Session, material: str) -> None:
    made: dict[Path, str] = {("parts", part, "material"): material for part in session.parts.chosen}
    problem = session.edit(f"material {material}", lambda sheet: sheet.with_values(made))
    if problem is not None:
        session.told.emit(problem)


def _modes(session: Session) -> Iterator[Find]:
    answer = session.answer
    if answer is None:
        return
    for identity in answer.identities:
        index = answer.index_of(identity)
        if index is None:
            continue
        mode = answer.modes.mode(index)
        detail = f"{session.design.shown.frequency_text(mode.frequency)} · {mode.kind}"
        yield Find(
            f"mode {mode.number}",
            "mode",
            detail,
            partial(session.choose, identity),
        )
