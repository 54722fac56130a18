"""The program among others on a desktop: its entry, icon, file type, manual page, completion."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Annotated, Final

import typer

from belltone.cli.messages import fail
from belltone.files import write_text

_SHARE: Final = Path(__file__).resolve().parents[1] / "share"
_PLACES: Final = {
    "applications/org.belltone.BellTone.desktop": "applications/org.belltone.BellTone.desktop",
    "icons/belltone.svg": "icons/hicolor/scalable/apps/belltone.svg",
    "mime/belltone.xml": "mime/packages/belltone.xml",
    "metainfo/org.belltone.BellTone.metainfo.xml": ("metainfo/org.belltone.BellTone.metainfo.xml"),
    "man/belltone.1": "man/man1/belltone.1",
    "completion/belltone.bash": "bash-completion/completions/belltone",
    "completion/belltone.zsh": "zsh/site-functions/_belltone",
    "completion/belltone.fish": "fish/vendor_completions.d/belltone.fish",
}
"""Each file and where it belongs below a folder of shared data."""
_REFRESH: Final = (("update-desktop-database", "applications"), ("update-mime-database", "mime"))


def install_desktop(
    remove: Annotated[bool, typer.Option("--remove", help="Take it all away again.")] = False,
    folder: Annotated[
        Path | None,
        typer.Option(metavar="FOLDER", help="Shared data; without it, that of the user."),
    ] = None,
) -> None:
    """Put Bell Tone on the desktop: menu, icon, file type, manual page, shell completion."""
    there = folder or _users()
    for own, place in _PLACES.items():
        target = there / place
        try:
            if remove:
                target.unlink(missing_ok=True)
            else:
                target.parent.mkdir(parents=True, exist_ok=True)
                write_text(_text(_SHARE / own), target)
        except OSError as error:
            fail(f"{target}: {error.strerror or error}")
    for program, part in _REFRESH:
        found = shutil.which(program)
        if found is not None and (there / part).is_dir():
            subprocess.run([found, str(there / part)], check=False, capture_output=True)
    print(f"{'removed from' if remove else 'put into'} {there}")


def _text(path: Path) -> str:
    """The file's text; the desktop entry starts this very program, wherever it is installed."""
    text = path.read_text(encoding="utf-8")
    if path.suffix != ".desktop":
        return text
    own = Path(sys.argv[0]).resolve()
    started = str(own) if own.name == "belltone" and own.is_file() else "belltone"
    return text.replace("Exec=belltone ", f"Exec={_quoted(started)} ")


def _quoted(program: str) -> str:
    """A program's path as the entry wants it (Desktop Entry Specification, the Exec key)."""
    if not any(sign in program for sign in " \t\"'\\<>~|&;$*?#()`"):
        return program
    for sign in '\\"`$':
        program = program.replace(sign, "\\" + sign)
    return f'"{program}"'


def _users() -> Path:
    named = os.environ.get("XDG_DATA_HOME")
    return Path(named) if named else Path.home() / ".local" / "share"
