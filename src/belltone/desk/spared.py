"""Kinds of modes that are spared, as they are typed."""

from __future__ import annotations

from collections.abc import Iterable

__all__ = ["spared_kinds", "spared_text"]


def spared_kinds(text: str, known: Iterable[str]) -> tuple[str, ...]:
    """Kinds parted by semicolons, or by commas where there is none.

    Words with commas between that together begin one of the ``known`` kinds, such as “twist,
    2 half-waves”, are one then, too.
    """
    if ";" in text:
        return tuple(part.strip() for part in text.split(";") if part.strip())
    words = [word.strip() for word in text.split(",") if word.strip()]
    kinds, found = tuple(known), []
    while words:
        heads = [(many, ", ".join(words[:many])) for many in range(len(words), 0, -1)]
        many, kind = next(
            (own for own in heads if any(each.startswith(own[1]) for each in kinds)), heads[-1]
        )
        found.append(kind)
        words = words[many:]
    return tuple(found)


def spared_text(kinds: Iterable[str]) -> str:
    """The same to be typed on."""
    told = tuple(kinds)
    if any("," in kind for kind in told):
        return " ".join(f"{kind};" for kind in told)
    return ", ".join(told)
