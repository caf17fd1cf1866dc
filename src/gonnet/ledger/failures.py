"""Database failures in the operator's words."""

from __future__ import annotations

import functools
from collections.abc import Callable
from typing import ParamSpec, TypeVar

from sqlalchemy.exc import SQLAlchemyError

from gonnet.errors import StorageError

P = ParamSpec("P")
R = TypeVar("R")
_DAMAGED = ("not a database", "malformed", "a database of something else", "no such table", "no such column")


def explained(method: Callable[P, R]) -> Callable[P, R]:
    """Let a method's database failures appear as StorageError."""

    @functools.wraps(method)
    def wrapper(*args: P.args, **kwargs: P.kwargs) -> R:
        try:
            return method(*args, **kwargs)
        except SQLAlchemyError as error:
            ledger = args[0]
            raise storage_error(error, getattr(ledger, "place", "the ledger")) from error

    return wrapper


def storage_error(error: Exception, place: object) -> StorageError:
    """The error an operator sees when the ledger at `place` fails."""
    reason = str(getattr(error, "orig", None) or error).partition("\n")[0]
    if any(sign in reason for sign in _DAMAGED):
        return StorageError(
            f"the ledger is damaged, or is no ledger: {reason}",
            where=str(place),
            fix="Put it back from a backup. To begin a new record, move its folder away: what was sent before is then "
            "not known, and nothing stops it from being sent again",
        )
    if "readonly" in reason or "read-only" in reason:
        return StorageError(
            "the ledger can only be read here", where=str(place), fix="Check the permissions of the file and its folder"
        )
    return StorageError(
        f"the ledger cannot be read or written: {reason}",
        where=str(place),
        fix="Check the disk and the permissions; what was written so far is kept, so it can be run again",
    )
