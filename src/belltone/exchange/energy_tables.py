"""What pieces of a component hold of the energies of modes, as tables and plain data."""

from __future__ import annotations

from typing import Any, Final

from belltone.modes.modeset import ModeSet
from belltone.modes.shares import MASS, PART, SPRING
from belltone.sheet.units import format_number

__all__ = ["ELEMENT_COLUMNS", "element_rows", "elements_data", "part_rows", "shares_data"]

ELEMENT_COLUMNS: Final = (
    "mode",
    "frequency (Hz)",
    "part",
    "element",
    "x (mm)",
    "y (mm)",
    "z (mm)",
    "strain",
    "moving",
)
"""Elements are told by their middle as made, and their shares of strain and kinetic energy."""


def part_rows(modes: ModeSet) -> tuple[tuple[str, ...], list[tuple[str, ...]]]:
    """Header and one row of text for each flexible mode: its energies by part and place.

    Strain energy in each part, spring and region, and how much of what moves each part is.
    """
    strains, moves = (
        [at for at, piece in enumerate(modes.held.place_pieces) if piece != without]
        for without in (MASS, SPRING)
    )
    places = modes.held.places
    header = (
        "mode",
        "frequency (Hz)",
        *(f"strain in {name}" for name in modes.part_names),
        *(f"strain in {places[at]}" for at in strains),
        *(f"moving in {name}" for name in modes.part_names),
        *(f"moving in {places[at]}" for at in moves),
    )
    rows = [
        (
            str(mode.number),
            format_number(mode.frequency, 7),
            *(
                f"{100 * share:.1f} %"
                for shares in (
                    modes.held.part_strain[index],
                    modes.held.place_strain[index, strains],
                    modes.held.part_motion[index],
                    modes.held.place_motion[index, moves],
                )
                for share in shares
            ),
        )
        for index, mode in enumerate(modes.modes())
        if not mode.rigid
    ]
    return header, rows


def element_rows(modes: ModeSet, least: float) -> list[tuple[str, ...]]:
    """Under `ELEMENT_COLUMNS`: elements that hold most of each flexible mode's energies.

    Those with at least a share ``least`` of its strain or kinetic energy, the most first.
    """
    return [
        (
            str(mode.number),
            format_number(mode.frequency, 7),
            held.name,
            str(held.number),
            *(format_number(1e3 * along, 5) for along in held.centre or ()),
            f"{100 * held.strain:.2f} %",
            f"{100 * held.motion:.2f} %",
        )
        for index, mode in enumerate(modes.modes())
        if not mode.rigid
        for held in sorted(modes.held.elements(index, least), key=lambda held: -held.most)
    ]


def elements_data(modes: ModeSet, least: float) -> dict[str, Any]:
    """Elements that hold at least a share of a mode's energies, as plain data for JSON."""
    return {
        "least_share": least,
        "modes": [
            {
                "number": mode.number,
                "frequency_hz": mode.frequency,
                "elements": [
                    {
                        "part": held.name,
                        "element": held.number,
                        "centre_m": held.centre,
                        "strain_energy_share": held.strain,
                        "kinetic_energy_share": held.motion,
                    }
                    for held in modes.held.elements(index, least)
                ],
            }
            for index, mode in enumerate(modes.modes())
            if not mode.rigid
        ],
    }


def shares_data(modes: ModeSet, index: int) -> dict[str, dict[str, float]]:
    """What parts and places hold of one mode, as plain data for JSON."""
    pieces = list(modes.held.pieces(index))
    parts = [held for held in pieces if held.piece == PART]
    places = [held for held in pieces if held.piece != PART]
    return {
        "energy_share_by_part": {held.name: held.strain for held in parts},
        "energy_share_by_place": {held.name: held.strain for held in places if held.piece != MASS},
        "motion_share_by_part": {held.name: held.motion for held in parts},
        "motion_share_by_place": {
            held.name: held.motion for held in places if held.piece != SPRING
        },
    }
