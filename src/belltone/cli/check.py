"""Whether a sheet is good; loads no more than that needs, so that it is said at once."""

from __future__ import annotations

from belltone.cli.messages import counted, warn
from belltone.cli.options import SheetPath
from belltone.design.words import design_words
from belltone.modes.mass_properties import mass_properties
from belltone.reading.family import evaluate
from belltone.sheet.document import read_sheet
from belltone.sheet.units import format_number


def check(sheet: SheetPath) -> None:
    """Read a sheet and say what is wrong, or what looks odd, without solving anything."""
    design = evaluate(read_sheet(sheet))
    warn(design)
    whole = mass_properties(design)
    if design.joints:
        from belltone.mesh.discretisation import Discretisation
        from belltone.system.assembly import Assembly

        # Raises where a joint finds nothing to join; makes no matrices.
        Assembly(design, Discretisation(1, 3))
    print(
        f"{sheet}: good. {design_words(design)}, "
        f"{format_number(whole.mass, 4)} kg in all; {counted(len(design.supports), 'support')}, "
        f"{counted(len(design.bands), 'excitation band')}, {counted(len(design.knobs), 'knob')}."
    )
