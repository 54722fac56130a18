"""The program's start: ``belltone`` and ``python -m belltone``."""

import sys


def main() -> None:
    """Run the command line; Ctrl+C is answered in order even while libraries load."""
    try:
        from belltone.cli.program import main as run  # inside, so that Ctrl+C meets this frame
    except KeyboardInterrupt:
        print("belltone: stopped", file=sys.stderr)
        sys.exit(130)
    run()


if __name__ == "__main__":
    main()
