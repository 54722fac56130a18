"""``python -m belltone`` is the command line."""

from belltone.cli import main

if __name__ == "__main__":
    main()
