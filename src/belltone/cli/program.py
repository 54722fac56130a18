"""The command line, over the same functions the window uses."""

from __future__ import annotations

import signal
import sys
from importlib import import_module
from pathlib import Path
from typing import Annotated, Any, Final

import typer
from typer.core import TyperGroup

from belltone import __version__
from belltone.cli.leaving import INTERRUPTED, left_on_interrupt
from belltone.cli.messages import fail
from belltone.cli.waiting import Interrupted, interrupt
from belltone.progress import Cancelled
from belltone.store.failures import error_words, write_log

__all__ = ["app", "main"]

_COMMANDS: Final = {
    "check": "check:check",
    "summary": "look:summary",
    "refine": "look:refine_command",
    "modes": "look:modes",
    "sweep": "sweeping:sweep",
    "preload": "loaded:preload_command",
    "speeds": "loaded:speeds",
    "pull": "tuning:pull",
    "reach": "tuning:reach_command",
    "clear": "clearing:clear_command",
    "tolerance": "clearing:tolerance_command",
    "compare": "comparing:compare_command",
    "variants": "comparing:variants_command",
    "export": "handing:export",
    "film": "filming:film",
    "picture": "filming:picture",
    "report": "reporting:report",
    "tables": "reporting:tables_command",
    "measured": "measuring:measured_command",
    "fit": "measuring:fit_command",
    "frame": "making:frame",
    "plate": "making:plate",
    "solids": "making:solids",
    "mesh": "making:mesh",
    "profile": "making:profile",
    "revise": "making:revise",
    "desk": "window:desk",
    "demo": "window:demo",
    "install-desktop": "settling:install_desktop",
}
"""Where each command is. Only the one asked for is loaded: libraries take longer than most work."""
_SETTINGS: Final = {"help_option_names": ["-h", "--help"]}


class _Commands(TyperGroup):
    """Loads a command when it is asked for."""

    def shell_complete(self, ctx: Any, incomplete: str) -> list[Any]:
        """Names of commands, told without loading one."""
        from click.shell_completion import CompletionItem

        if incomplete.startswith("-"):
            return super().shell_complete(ctx, incomplete)
        return [CompletionItem(name) for name in _COMMANDS if name.startswith(incomplete)]

    def list_commands(self, ctx: Any) -> list[str]:
        return list(_COMMANDS)

    def get_command(self, ctx: Any, cmd_name: str) -> Any:
        if cmd_name not in _COMMANDS:
            return None
        module, name = _COMMANDS[cmd_name].split(":")
        alone = typer.Typer(add_completion=False, rich_markup_mode=None)
        with left_on_interrupt():
            function = getattr(import_module(f"belltone.cli.{module}"), name)
        alone.command(cmd_name, context_settings=_SETTINGS)(function)
        return typer.main.get_command(alone)


app = typer.Typer(
    cls=_Commands,
    help="Tune the natural frequencies of a component until every excitation band is clear.",
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    context_settings=_SETTINGS,
)


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
    log: Annotated[
        Path | None,
        typer.Option("--log", metavar="FILE", help="Write down what is done, and every failure."),
    ] = None,
) -> None:
    if log is not None:
        write_log(log)
    if version:
        print(f"belltone {__version__}")
        raise typer.Exit
