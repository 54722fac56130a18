"""The terms of the window and of the trade, each with a few plain words."""

from __future__ import annotations

import html
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from pathlib import Path

from PySide6.QtWidgets import QWidget

__all__ = ["Term", "docs_folder", "pages", "set_term", "term_html", "term_of", "terms"]

_ORDER = (
    "working", "tuning", "sheet", "modes", "hand-checks", "sweeps", "received-parts", "hand-over",
    "formulations", "verification", "extending",
)  # fmt: skip
"""The pages in the order of work; any other comes behind."""
_PACKAGE = Path(__file__).resolve().parents[2]


@dataclass(frozen=True)
class Term:
    """One term: its words, and other terms to look at."""

    name: str
    text: str
    see: tuple[str, ...]


@cache
def terms() -> Mapping[str, Term]:
    """Every term by its name."""
    text = files("belltone.desk.help").joinpath("terms.toml").read_text(encoding="utf-8")
    return {
        name: Term(name, entry["text"], tuple(entry["see"]))
        for name, entry in tomllib.loads(text).items()
    }


def term_html(name: str) -> str:
    """A term as a small page, with links to others."""
    term = terms()[name]
    links = " · ".join(f'<a href="term:{other}">{html.escape(other)}</a>' for other in term.see)
    head = html.escape(name[0].upper() + name[1:])
    return f"<h2>{head}</h2><p>{html.escape(term.text)}</p><p>See also: {links}.</p>"


def docs_folder() -> Path:
    """Return the folder of the manual: in the installed package, or in the project."""
    installed = _PACKAGE / "docs"
    return installed if installed.is_dir() else _PACKAGE.parents[1] / "docs"


def pages() -> Mapping[str, Path]:
    """Pages of the manual by their titles, in the order of work."""
    folder = docs_folder()
    known = sorted(folder.rglob("*.md"))
    places = {name: place for place, name in enumerate(_ORDER)}
    known.sort(key=lambda path: places.get(path.stem, len(places)))
    found: dict[str, Path] = {}
    for path in known:
        with path.open(encoding="utf-8") as file:
            title = file.readline().lstrip("# ").strip()
        found.setdefault(title or path.stem, path)
    return found


def set_term(widget: QWidget, name: str) -> None:
    """Say which term F1 explains in a widget and all it holds."""
    if name not in terms():
        raise KeyError(name)
    widget.setProperty("term", name)


def term_of(widget: QWidget | None) -> str:
    """The term of a widget, or of the nearest one that holds it and has one; else none."""
    while widget is not None:
        name = widget.property("term")
        if name:
            return str(name)
        widget = widget.parentWidget()
    return ""
