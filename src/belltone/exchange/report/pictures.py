"""Pictures for a report: the component with dimensions, and every shape, still and in motion."""

from __future__ import annotations

import io
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from belltone.design.values import Design
from belltone.drawing.colours import LIGHT
from belltone.drawing.dimensions import overlay
from belltone.drawing.options import SceneOptions
from belltone.drawing.shown import STATE_KINDS, Shown, state_values
from belltone.drawing.stills import View, swing_at, taking
from belltone.exchange.report.blocks import Card, Photo
from belltone.exchange.tables import entry_kind, entry_numbers, percent, standing_text
from belltone.modes.modeset import ModeSet
from belltone.progress import Progress
from belltone.sheet.units import format_number
from belltone.tune.bands import mode_standing

__all__ = ["component_photo", "shape_cards", "state_photos"]

_WIDE: Final = (860, 430)
_CARD: Final = (420, 270)
_MOVING_WIDTH: Final = 260
_LEAST: Final = 0.25  # of the width: no picture is flatter
_REACH: Final = 0.08  # of the width: so far a shape moves up and down
_FRAMES: Final = 16
_TICK: Final = 75  # ms a frame is seen
_MOST_MOVING: Final = 40  # modes; a page with more would be large
_STILL_QUALITY: Final = 82
_MOVING_QUALITY: Final = 62
_SHOWN: Final = 0.03  # of the strain energy; a part with less is not told


def component_photo(design: Design, modes: ModeSet) -> Photo:
    """The component at rest, with its overall dimensions and names."""
    view = _flat(design, modes, View(*_WIDE, filled=0.68, options=SceneOptions(axes=False)), 110)
    with taking(design, modes, view) as still:
        pixels = still.rest()
        over = overlay(still, design, LIGHT)
    caption = "The component as stated; dimensions are overall, along the sheet's axes."
    return Photo(_webp(pixels), view.width, view.height, caption, over)


def _flat(design: Design, modes: ModeSet, view: View, room: float) -> View:
    """The same view no higher than what is long and thin needs, with room above and below."""
    with taking(design, modes, view) as still:
        flat = still.scene.eye.project(still.scene.part.points, view.height)
    reach = room + 2 * _REACH * float(np.ptp(flat[:, 0]))
    height = round(float(np.ptp(flat[:, 1])) + reach)
    return replace(view, height=min(max(height, round(_LEAST * view.width)), view.height))


def shape_cards(design: Design, modes: ModeSet, progress: Progress) -> list[Card]:
    """One card for each entry of the list of modes: a pair is one."""
    cards = []
    view = _flat(design, modes, View(*_CARD, options=SceneOptions(axes=False)), 24)
    high = round(_MOVING_WIDTH * view.height / view.width)
    bare = SceneOptions(axes=False, clutter=False)
    small = View(_MOVING_WIDTH, high, options=bare)
    entries = [each for each in modes.entries() if not modes.mode(each.start).rigid]
    with taking(design, modes, view) as still, taking(design, modes, small) as moving:
        for number, entry in enumerate(entries):
            progress.report(number, len(entries), "shapes")
            place = entry.start
            mode = modes.mode(place)
            standing = mode_standing(mode, design)
            facts = [f"error {percent(max(float(modes.errors[at]) for at in entry))}"]
            facts += [text] if (text := standing_text(standing)) else []
            facts.append(_energy(modes, place))
            motion = None
            if number < _MOST_MOVING:
                frames: list[NDArray[np.uint8]] = []
                for at in range(_FRAMES):
                    mirrored = _FRAMES - at
                    if at > _FRAMES // 2 and not moving.whirls(place):
                        frames.append(frames[mirrored])
                    else:
                        frames.append(moving.mode(place, *swing_at(at / _FRAMES)))
                motion = _moving_webp(frames)
            numbers = entry_numbers(modes, entry)
            head = f"Mode{'s' if len(entry) > 1 else ''} {numbers} · "
            head += design.shown.frequency_text(mode.frequency, 6)
            photo = Photo(_webp(still.mode(place)), view.width, view.height)
            bad = standing is not None and standing.place != "clear"
            kind = entry_kind(modes, entry)
            cards.append(Card(head, kind, tuple(facts), photo, motion, bad))
    return cards


def state_photos(design: Design, modes: ModeSet) -> list[Photo]:
    """What the preload does: displacement, stress, and the first buckling shape."""
    base = modes.base
    assert base is not None
    photos = []
    view = View(*_CARD, options=SceneOptions(axes=False))
    with taking(design, modes, view) as still:
        for kind, words in STATE_KINDS.items():
            values, unit = state_values(base, kind, design.shown)
            most = f"at most {format_number(float(values.max(initial=0.0)), 4)} {unit}"
            pixels = still.state(Shown(kind))
            photos.append(Photo(_webp(pixels), *_CARD, f"{words[0].upper()}{words[1:]}; {most}."))
        if base.factors:
            shown = Shown("buckling", 0)
            caption = f"{shown.heading(base)}; the shape is relative."
            photos.append(Photo(_webp(still.state(shown)), *_CARD, caption))
    return photos


def _energy(modes: ModeSet, place: int) -> str:
    """Where the strain energy is: by part where there are several, else by kind of strain."""
    if len(modes.part_names) > 1 or modes.held.places:
        told = [(name, share) for name, share in modes.held.strained(place) if share >= _SHOWN]
    else:
        mode = modes.mode(place)
        told = sorted(
            ((name, share) for name, share in mode.energy if share >= _SHOWN),
            key=lambda each: -each[1],
        )
    words = ", ".join(f"{name} {100 * share:.0f} %" for name, share in told[:4])
    return f"strain energy: {words}"


def _webp(pixels: NDArray[np.uint8]) -> bytes:
    stream = io.BytesIO()
    picture = Image.fromarray(np.ascontiguousarray(pixels[..., :3]))
    picture.save(stream, "WEBP", quality=_STILL_QUALITY, method=4)
    return stream.getvalue()


def _moving_webp(frames: list[NDArray[np.uint8]]) -> bytes:
    pictures = [Image.fromarray(np.ascontiguousarray(frame[..., :3])) for frame in frames]
    stream = io.BytesIO()
    pictures[0].save(
        stream,
        "WEBP",
        save_all=True,
        append_images=pictures[1:],
        duration=_TICK,
        loop=0,
        quality=_MOVING_QUALITY,
        method=3,
    )
    return stream.getvalue()
