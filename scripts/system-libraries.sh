#!/bin/sh
# Makes sure the system libraries that Qt and the off-screen 3-D view load are present:
# installs them with apt when run as root, else prints the exact command.
set -eu

PACKAGES="libegl1 libgl1 libgl1-mesa-dri libopengl0 libxkbcommon0 libxkbcommon-x11-0 libdbus-1-3
libfontconfig1 libfreetype6 libglib2.0-0 libx11-6 libx11-xcb1 libxrender1 libxcb1 libxcb-cursor0
libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0
libxcb-shm0 libxcb-sync1 libxcb-xfixes0 libxcb-xkb1 fonts-dejavu-core"

if ! command -v dpkg-query >/dev/null 2>&1; then
    echo "belltone: this is not a Debian system; make sure Qt 6, EGL and Mesa libraries are present." >&2
    exit 0
fi

missing=""
for package in $PACKAGES; do
    state=$(dpkg-query -W -f '${Status}' "$package" 2>/dev/null || true)
    case "$state" in
        *"install ok installed") ;;
        *) missing="$missing $package" ;;
    esac
done
[ -z "$missing" ] && exit 0

if [ "$(id -u)" = 0 ]; then
    echo "belltone: installing system libraries:$missing" >&2
    apt-get update -qq
    # shellcheck disable=SC2086  # one word for each package is meant
    DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing >/dev/null
else
    echo "belltone: system libraries are missing. Please run:" >&2
    echo "    sudo apt-get install --no-install-recommends$missing" >&2
    exit 1
fi
