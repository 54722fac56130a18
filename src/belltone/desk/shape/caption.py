"""What stands over a picture that shows something of its own."""

from __future__ import annotations

from belltone.desk.shape.seen import Seen
from belltone.drawing.shown import Shown, state_values
from belltone.sheet.units import format_number

__all__ = ["caption"]


def caption(seen: Seen, shown: Shown, index: int | None) -> tuple[str, str] | None:
    """A heading, and a line below it; ``index`` is the place of the mode in the list."""
    answer, units = seen.answer, seen.design.shown
    if answer is None or index is None:
        return None
    base = answer.modes.base
    if shown.kind == "bare":
        bare, partner = seen.bare, seen.bare_partner
        if bare is None or partner is None:
            return "Without preload", "finding it …" if bare is None else "no partner found"
        mode = bare.modes.mode(partner)
        frequency = units.frequency_text(mode.frequency)
        return f"Without preload: mode {mode.number} · {frequency}", mode.kind
    if shown.kind != "mode" and base is not None:
        heading = shown.heading(base)
        if not shown.of_state:
            return heading, "a shape, relative; it has no size of its own"
        values, unit = state_values(base, shown.kind, units)
        text = f"at most {format_number(float(values.max()), 4)} {unit}"
        return heading[0].upper() + heading[1:], text
    mode = answer.modes.mode(index)
    name = "Rigid" if mode.rigid else f"Mode {mode.number}"
    return f"{name} · {units.frequency_text(mode.frequency)}", mode.kind
