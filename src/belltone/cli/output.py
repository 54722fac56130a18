"""What the commands print and write."""

from __future__ import annotations

import sys
from pathlib import Path

from numpy import float64
from numpy.typing import NDArray
from rich.console import Console
from rich.table import Table

from belltone.exchange.tables import percent
from belltone.files import write_text
from belltone.modes.modeset import ModeSet
from belltone.sheet.units import format_number


def triple(values: NDArray[float64], unit: str) -> str:
    """Three values and their unit."""
    return "  ".join(format_number(float(value), 5) for value in values) + f" {unit}"


def table(header: tuple[str, ...], rows: list[tuple[str, ...]]) -> str:
    """A table as text."""
    drawn = Table(box=None, pad_edge=False, header_style="bold")
    for column in header:
        words = column in ("kind", "excitation", "of", "value")
        drawn.add_column(column, justify="left" if words else "right", no_wrap=True)
    for row in rows:
        drawn.add_row(*row)
    # As wide as the numbers need, whatever the terminal: a cut number is a wrong number.
    console = Console(width=10_000, color_system=None, highlight=False)
    with console.capture() as capture:
        console.print(drawn)
    return "".join(f"{line.rstrip()}\n" for line in capture.get().splitlines())


def write(text: str, output: Path | None) -> None:
    """Write a result to the screen, or to a file."""
    if output is None:
        sys.stdout.write(text)
    else:
        write_text(text, output)


def mode_notes(found: ModeSet, accuracy: float) -> str:
    """What stands under a table of modes: how many, and whether the list is complete."""
    worst = float(found.errors.max(initial=0.0))
    short = ""
    if worst > accuracy:
        short = (
            f"The largest error stated is {percent(worst)}, more than the {percent(accuracy)} "
            "asked for: a received mesh is as accurate as it was made, and divisions stated by "
            "hand as they allow.\n"
        )
    if found.complete and not len(found.flexible):
        return (
            f"none, proved by a count; {found.rigid_count} rigid modes, {found.skipped} flexible "
            "ones below\n"
        )
    proof = {
        True: "A count of eigenvalues proves that none is missing.",
        False: "A count of eigenvalues says that some are missing.",
        None: "No count of eigenvalues could be made.",
    }[found.complete]
    return (
        f"{len(found.flexible)} flexible modes, {found.rigid_count} rigid; "
        f"{format_number(found.mass, 5)} kg; {found.unknowns} unknowns. {proof}\n{short}"
    )


def look_notes(found: ModeSet) -> str:
    """What stands under a table of modes that are a first look."""
    worst = percent(float(found.errors.max(initial=0.0)))
    return (
        f"A first look: these frequencies are within {worst} of the last ones, and nobody has "
        "counted yet whether one is missing.\n"
    )
