"""The command line, over the same functions the window uses."""

from __future__ import annotations

import signal
import sys
from typing import Annotated

import typer

from belltone import __version__
from belltone.cli.loaded import preload_command, speeds
from belltone.cli.look import check, modes, refine_command, summary
from belltone.cli.making import frame
from belltone.cli.output import fail
from belltone.cli.tuning import pull, reach_command, sweep
from belltone.cli.waiting import INTERRUPTED, Interrupted, interrupt
from belltone.cli.window import demo, desk
from belltone.progress import Cancelled
from belltone.store.failures import error_words

__all__ = ["app", "main"]

app = typer.Typer(
    help="Tune the natural frequencies of a component until every excitation band is clear.",
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    context_settings={"help_option_names": ["-h", "--help"]},
)
for _name, _command in (
    ("check", check),
    ("summary", summary),
    ("refine", refine_command),
    ("modes", modes),
    ("sweep", sweep),
    ("preload", preload_command),
    ("speeds", speeds),
    ("pull", pull),
    ("reach", reach_command),
    ("frame", frame),
    ("desk", desk),
    ("demo", demo),
):
    app.command(_name)(_command)


def main() -> None:
    """Run the command line: exit code 0 good, 1 bad input with one message, 2 usage."""
    before = signal.signal(signal.SIGINT, interrupt)
    try:
        app()
    except (KeyboardInterrupt, Interrupted):
        fail("stopped; everything finished so far is kept", INTERRUPTED)
    except Cancelled:
        fail("stopped; everything finished so far is kept", INTERRUPTED)
    except BrokenPipeError:
        # The reader went away (a pager was closed); nothing is left to say, and nowhere to say it.
        sys.stderr.close()
        sys.exit(0)
    except OSError as error:
        fail(f"{error.filename or 'a file'}: {error.strerror or error}")
    except Exception as error:
        fail(error_words(error))
    finally:
        signal.signal(signal.SIGINT, before)


@app.callback(invoke_without_command=True)
def _version(
    version: Annotated[bool, typer.Option("--version", help="Print the version.")] = False,
) -> None:
    if version:
        print(f"belltone {__version__}")
        raise typer.Exit
