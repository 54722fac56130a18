#!/bin/sh
# Opens the demo sheet. With no display it computes the same sheet, prints its frequencies and
# writes the picture of the window.
set -eu
if [ -n "${DISPLAY:-}${WAYLAND_DISPLAY:-}" ]; then
    exec .venv/bin/belltone demo
fi
exec .venv/bin/belltone demo --picture infeed_rail.png
