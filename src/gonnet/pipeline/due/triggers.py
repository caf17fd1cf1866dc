"""What an entry waits for besides its time: a file that is new and at rest, or a value of a database that changed."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from gonnet.errors import GonnetError
from gonnet.jobs.calendar import Wait
from gonnet.pipeline.tools import Tools

_FOUND = 5  # names of files that are told


@dataclass(frozen=True, slots=True, kw_only=True)
class Look:
    """What was found of what an entry waits for.

    Attributes:
        mark: What tells it from what was there before; empty where nothing is there.
        is_met: Whether it is there, is new, and is at rest.
        why: Why not, or what was found.
        failed: Why it could not be asked for, or None.
    """

    mark: str = ""
    is_met: bool = False
    why: str = ""
    failed: GonnetError | None = None


def look(wait: Wait, before: str, tools: Tools, where: str) -> Look:
    """Look whether what is waited for has come.

    Args:
        wait: What it is.
        before: Its mark when the entry ran last; empty where it never did.
        tools: The tools.
        where: The entry, for messages.
    """
    try:
        if wait.file is not None:
            return _file(wait, before, tools, where)
        return _value(wait, before, tools, where)
    except GonnetError as error:
        return Look(why=f"it could not be asked for: {error.what}", failed=error)


def _file(wait: Wait, before: str, tools: Tools, where: str) -> Look:
    name = wait.file or ""
    found = list(_files(name, tools, where))
    if not found:
        return Look(why=f"no file {name} is there yet")
    try:
        changed = max(path.stat().st_mtime_ns for path in found)
    except OSError as error:
        return Look(why=f"{name} cannot be looked at: {error.strerror}")
    mark = f"{changed:020d}"
    age = tools.clock() - dt.datetime.fromtimestamp(changed / 1e9, dt.UTC)
    shown = ", ".join(path.name for path in found[:_FOUND]) + (" …" if len(found) > _FOUND else "")
    if before and mark <= before:
        return Look(mark=mark, why=f"{shown} is not newer than the last time")
    if age < wait.settled:
        return Look(
            mark=mark, why=f"{shown} is still being written: it changed less than {said_length(wait.settled)} ago"
        )
    return Look(mark=mark, is_met=True, why=f"{shown} is new")


def _files(name: str, tools: Tools, where: str) -> Iterator[Path]:
    """The files of a name or a pattern, from where a job may take them."""
    reach = tools.workspace.reach
    path = reach.file(name, where)
    if not any(sign in name for sign in "*?["):
        yield from (path,) if path.is_file() else ()
        return
    base = Path(path.anchor) if path.is_absolute() else reach.folder
    for found in sorted(base.glob(str(path.relative_to(base)))):
        if found.is_file():
            yield reach.file(found, where)


def _value(wait: Wait, before: str, tools: Tools, where: str) -> Look:
    name = wait.database or ""
    from gonnet.data.databases.asking import one_value  # the engine is not loaded where nothing is due

    workspace = tools.workspace
    database = workspace.database(name, where)
    mark = one_value(wait.sql or "", name, database, workspace.secrets, workspace.folder, where)
    if mark is None:
        return Look(why=f"the database {name} has no value yet")
    return Look(
        mark=mark, is_met=mark != before, why=f"it is {mark}" + ("" if mark != before else ", as the last time")
    )


def said_length(length: dt.timedelta) -> str:
    """A length of time in words: `3 days`."""
    seconds = int(length.total_seconds())
    for size, unit in ((86_400, "day"), (3_600, "hour"), (60, "minute"), (1, "second")):
        if seconds >= size and seconds % size == 0:
            count = seconds // size
            return f"{count} {unit}{'s' if count != 1 else ''}"
    return "0 seconds"


def latest(wait: Wait | None, due: dt.datetime, tools: Tools) -> dt.datetime | None:
    """Until when what is waited for must have come; None where it may come at any time."""
    if wait is None or wait.latest is None:
        return None
    if isinstance(wait.latest, dt.timedelta):
        return due + wait.latest
    local = due.astimezone(tools.workspace.zone)
    end = dt.datetime.combine(local.date(), wait.latest, tools.workspace.zone)
    return end if end > local else end + dt.timedelta(days=1)
