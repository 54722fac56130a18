"""Writes the manual page and the completion scripts from the commands there are."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import click
import typer
from typer._completion_shared import get_completion_script

from belltone.cli.program import app

SHARE = Path(__file__).resolve().parents[1] / "src" / "belltone" / "share"


def manual_page() -> str:
    """The manual page of all commands, in the macros of ``man``."""
    group: Any = typer.main.get_command(app)
    context = click.Context(group, info_name="belltone")
    lines = [
        '.TH BELLTONE 1 "" "Bell Tone" "User Commands"',
        ".SH NAME",
        "belltone \\- tune the natural frequencies of a component until every band is clear",
        ".SH SYNOPSIS",
        ".B belltone",
        "[\\fICOMMAND\\fR] [\\fIARGUMENTS\\fR]",
        ".SH DESCRIPTION",
        "A component of beams, plates and shells is stated in a sheet, a plain text file. The "
        "commands below solve it, sweep and tune it, and hand the result over;",
        ".B belltone desk",
        "opens the window.",
        ".SH COMMANDS",
    ]
    for name in group.list_commands(context):
        command: Any = group.get_command(context, name)
        own = click.Context(command, info_name=name, parent=context)
        usage = " ".join(command.collect_usage_pieces(own))
        lines += [".SS " + plain(f"belltone {name} {usage}"), plain(command.help or "")]
        for parameter in command.get_params(own):
            record = parameter.get_help_record(own)
            if record is not None and "--help" not in record[0]:
                lines += [".TP", f"\\fB{plain(record[0])}\\fR", plain(record[1])]
    lines += [
        ".SH EXIT STATUS",
        "0 on success, 1 on bad input (with one message), 2 on wrong usage, 130 when stopped.",
        ".SH FILES",
        ".TP",
        "\\fI~/.cache/belltone\\fR",
        "Results and pictures that can be made again.",
        ".TP",
        "\\fI~/.local/state/belltone\\fR",
        "Unsaved work, and the log of failures.",
    ]
    return "\n".join(lines) + "\n"


def plain(text: str) -> str:
    """Words on one line, with what the macros would take for commands kept as it is."""
    words = " ".join(text.split()).replace("\\", "\\e").replace("-", "\\-")
    return "\\&" + words if words.startswith((".", "'")) else words


def completion(shell: str) -> str:
    """The completion script for a shell."""
    script = get_completion_script(
        prog_name="belltone", complete_var="_BELLTONE_COMPLETE", shell=shell
    )
    return script.strip() + "\n"


def written() -> dict[str, str]:
    """Every file made here, by its place."""
    files = {"man/belltone.1": manual_page()}
    files |= {
        f"completion/belltone.{shell}": completion(shell) for shell in ("bash", "zsh", "fish")
    }
    return files


def main() -> int:
    """Write all of them."""
    for place, text in written().items():
        path = SHARE / place
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text, encoding="utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main())
