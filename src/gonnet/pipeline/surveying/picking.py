"""Which keys are meant: by name, by pattern, from one to another, or as a file lists them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from fnmatch import fnmatchcase
from pathlib import Path

from gonnet.errors import DataError, meant
from gonnet.ledger import RunRecord
from gonnet.pipeline.tools import Tools

CONDITION = "where "
"""How a choice begins that is a condition, in SQL over figures and the list."""

_RANGE = ".."
_LIST = "@"
_WILD = "*?["


def picked(wanted: Sequence[str], known: Sequence[str], where: str = "--only") -> list[str]:
    """The keys that are meant, in the order of `known`.

    Args:
        wanted: Keys; patterns with `*`, `?` and `[…]`; ranges such as `P-0101..P-0103`; `@FILE`, a key on each line.
        known: The keys there are, in order.
        where: What to name in an error.

    Raises:
        DataError: a key is not there, or nothing is like a pattern or in a range.
    """
    found: set[str] = set()
    names = set(known)
    for part in _spelled_out(wanted, names, where):
        if part in names:
            found.add(part)
            continue
        some = _like(part, known)
        if not some:
            what = f"there is no key '{part}' in this run" if some is None else f"no key is {_called(part)}"
            raise DataError(what, where=where, fix=meant(part, list(known), noun="key"))
        found.update(some)
    return [key for key in known if key in found]


def picked_of(run: RunRecord, tools: Tools, wanted: Sequence[str]) -> tuple[str, ...]:
    """The keys of a run that are meant; none where all are.

    Raises:
        DataError: a key is not there, or a condition is asked of a run.
    """
    if not wanted:
        return ()
    if not any(part.startswith((_LIST, CONDITION)) or _RANGE in part or set(_WILD) & set(part) for part in wanted):
        return tuple(wanted)  # what is not there is told by the ledger
    known = [package.key for package in tools.ledger.packages(run.id)]
    if any(part.startswith(CONDITION) and part not in known for part in wanted):
        fix = "Prepare a run with it, or choose keys by pattern"
        raise DataError("a condition chooses keys of a job, not of a run that was prepared", where="--only", fix=fix)
    return tuple(picked(wanted, known))


def _spelled_out(wanted: Sequence[str], known: set[str], where: str) -> Iterator[str]:
    """The choices, with those of files in place of the files."""
    for part in wanted:
        if part in known or not part.startswith(_LIST):
            yield part
            continue
        path = Path(part.removeprefix(_LIST)).expanduser()
        try:
            lines = path.read_text("utf-8-sig").splitlines()
        except (OSError, UnicodeError) as error:
            why = getattr(error, "strerror", None) or "it is not UTF-8 text"
            raise DataError(f"the list of keys {path} cannot be read: {why}", where=where, fix="Check it") from error
        keys = [line.strip() for line in lines if line.strip()]
        if not keys:
            raise DataError(f"the list of keys {path} is empty", where=where, fix="Write a key on each line")
        yield from keys


def _like(part: str, known: Sequence[str]) -> list[str] | None:
    """The keys in a range or like a pattern; None where it is neither."""
    first, sign, last = part.partition(_RANGE)
    if sign and first and last:
        return [key for key in known if first <= key <= last]
    if any(sign in part for sign in _WILD):
        return [key for key in known if fnmatchcase(key, part)]
    return None


def _called(part: str) -> str:
    first, sign, last = part.partition(_RANGE)
    return f"between '{first}' and '{last}'" if sign and first and last else f"like '{part}'"
