"""What goes wrong and is the user's to mend."""

from __future__ import annotations

__all__ = ["UserError"]


class UserError(Exception):
    """Base of every error whose text is meant for the user.

    The text names the thing, says what is wrong and what would be right. Whoever stands before
    the user, command line or window, shows it as it is; any other error is a fault of the program.
    """
