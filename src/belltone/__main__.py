"""The program's start: ``belltone`` and ``python -m belltone``."""

from belltone.cli.leaving import leave_on_interrupt


def main() -> None:
    """Run the command line; Ctrl+C is answered in order even while libraries load."""
    leave_on_interrupt()
    from belltone.cli.program import main as run  # after that, since it loads libraries

    run()


if __name__ == "__main__":
    main()
