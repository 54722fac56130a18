"""What the commands say beside their results; loads nothing."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING, NoReturn

if TYPE_CHECKING:
    from belltone.design.values import Design


def fail(message: str, code: int = 1) -> NoReturn:
    """End the program with a message."""
    print(f"belltone: {message}", file=sys.stderr)
    sys.exit(code)


def note(text: str) -> None:
    """Say something beside the result."""
    print(f"belltone: note: {text}", file=sys.stderr)


def warn(design: Design) -> None:
    """Say what looks odd in a design."""
    for warning in design.warnings:
        note(str(warning))


def counted(number: int, what: str) -> str:
    """A number of things, in words."""
    return f"{number} {what}" if number == 1 else f"{number} {what}s"
