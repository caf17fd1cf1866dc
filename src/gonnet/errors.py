"""Every problem an operator can act on, drawn as one tree.

GonnetError
├── JobError          the job or workspace file is wrong
├── ParameterError    a value given for a parameter is wrong or missing
├── DataError         a file, a data set or a key is wrong
│   └── AbsentError   a file is not there; it may yet come
├── RunError          the run asked for is not there, or not in a state for this
│   └── BusyError     another process is at it; it can be tried again
├── SealError         what is stored is not what was reviewed
├── StorageError      the workspace folder or its ledger cannot be written or read
└── UnreachableError  an outside service did not answer; nothing is lost

Anything else that escapes is a defect of ours. Findings (things collected and judged together) and outcomes (the
normal results of a hand-over) are values, not errors.
"""

from __future__ import annotations

import difflib
import importlib.util
import shlex
from collections.abc import Iterable, Sequence
from typing import Self


class GonnetError(Exception):
    """What went wrong, where, and how to put it right.

    Args:
        what: One sentence without a full stop: what is wrong.
        where: File and line, data set, key or server; empty where the sentence says it.
        fix: What the operator can do about it; empty only where nothing can be.
        others: Other mistakes of the same file.
    """

    def __init__(self, what: str, *, where: str = "", fix: str = "", others: Sequence[GonnetError] = ()) -> None:
        super().__init__(what)
        self.what = what
        self.where = where
        self.fix = fix
        self.others = tuple(others)

    @classmethod
    def of(cls, mistakes: Sequence[GonnetError]) -> Self:
        """One error that carries all `mistakes` (at least one), in file order."""
        first, *rest = mistakes
        return cls(first.what, where=first.where, fix=first.fix, others=rest)

    @property
    def mistakes(self) -> tuple[GonnetError, ...]:
        """This mistake and the others found with it."""
        return (self, *self.others)

    def __str__(self) -> str:
        head = f"{self.where}: {self.what}" if self.where else self.what
        return f"{head}. {self.fix}" if self.fix else head

    def __reduce__(self) -> tuple[object, ...]:  # errors cross process borders
        return (_rebuild, (type(self), self.what, self.where, self.fix))


def _rebuild(kind: type[GonnetError], what: str, where: str, fix: str) -> GonnetError:
    error = kind.__new__(kind)
    GonnetError.__init__(error, what, where=where, fix=fix)
    return error


class JobError(GonnetError):
    """The job or workspace file is wrong. Holds every mistake of the file, not the first alone."""


class ParameterError(GonnetError):
    """A value given for a parameter is missing, unknown or of the wrong kind."""


class DataError(GonnetError):
    """A file cannot be read, a column is missing, a query does not run, a key cannot be used."""


class AbsentError(DataError):
    """A file is not there; it may yet come."""


class RunError(GonnetError):
    """No such run, or its state does not allow what was asked."""


class BusyError(RunError):
    """Another process is at it; it can be tried again."""


class SealError(GonnetError):
    """A stored file or message is no longer the one that was reviewed."""


class StorageError(GonnetError):
    """The workspace's folder, store or ledger cannot be read or written."""


class UnreachableError(GonnetError):
    """An outside service could not be reached; nothing is lost, and the command can be run again."""


def nearest(word: str, known: Iterable[str]) -> str | None:
    """The entry of `known` that was most probably meant by `word`, or None."""
    by_folded = {entry.casefold(): entry for entry in known}
    found = difflib.get_close_matches(word.casefold(), list(by_folded), n=1, cutoff=0.6)
    return by_folded[found[0]] if found else None


def meant(word: str, known: Sequence[str], *, noun: str = "one") -> str:
    """The "how to put it right" of an unknown name: the near miss, else what there is."""
    close = nearest(word, known)
    if close is not None:
        return f"Did you mean '{close}'?"
    if not known:
        return f"There is no such {noun} to choose from."
    shown = ", ".join(f"'{entry}'" for entry in known[:12])
    return f"Known: {shown}{' …' if len(known) > 12 else ''}"


def typed(*words: object) -> str:
    """A command as it is typed in a shell: `gonnet release 3 'Anvil & Co'`; a key is a word of its own."""
    return shlex.join(["gonnet", *map(str, words)])


def require_library(module: str, does: str, extra: str, where: str) -> None:
    """Refuse where a library that few need is not installed.

    Args:
        module: What it is imported as.
        does: What it does: "the library that ... is not installed".
        extra: The extra that installs it.
        where: What asks for it.

    Raises:
        JobError: names the line that installs it.
    """
    if importlib.util.find_spec(module) is None:
        fix = f"Install it: pip install 'gonnet[{extra}]'"
        raise JobError(f"the library that {does} is not installed", where=where, fix=fix)
