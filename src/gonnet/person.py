"""Who is at work, for the record: the user that the system knows, whatever the environment says."""

from __future__ import annotations

import os


def acting() -> str:
    """The name of the user whose process this is; the number where the system has no name for it."""
    try:
        import pwd
    except ModuleNotFoundError:  # not a POSIX system
        import getpass

        return getpass.getuser()
    number = os.getuid()
    try:
        return pwd.getpwuid(number).pw_name
    except KeyError:
        return f"user {number}"
