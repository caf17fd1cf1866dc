"""Whose each page of a run is: by what it says, by bookmarks, by labels, or by a list."""

from __future__ import annotations

import csv
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any, Protocol

from gonnet.arrivals.pages import Pages
from gonnet.arrivals.typed import TypedPages
from gonnet.errors import DataError
from gonnet.jobs.arrivals import InText, KeyFrom, KeyInText, Named

_SHOWN = 3


class Says(Protocol):
    """A page, of whatever kind."""

    def text(self, within: Any = None) -> str:  # noqa: ANN401  the place is of the kind of the page
        """What it says, or what stands in a place of it."""


Keys = Callable[[int, Says], tuple[str, ...]]
"""The keys that a page (from 1) has; each once."""


def keys_of(spec: KeyFrom | KeyInText, pages: Pages | TypedPages, listed: Path | None) -> Keys:
    """What says whose the pages are.

    Args:
        spec: What the job says of it.
        pages: The run.
        listed: The file with the list, where there is one.

    Raises:
        DataError: the list cannot be used.
    """
    if spec.text is not None:
        pattern, within = re.compile(spec.text), spec.within
        return lambda _, page: every_match(pattern, page.text(within))
    if isinstance(spec, KeyFrom) and isinstance(pages, Pages):
        if spec.label is not None:
            pattern = re.compile(spec.label)
            return lambda number, _: every_match(pattern, pages.label(number))
        if spec.bookmark is not None:
            return _by_bookmark(re.compile(spec.bookmark), pages)
    assert listed is not None
    ranges = _ranges(listed, len(pages))
    return lambda number, _: ranges.get(number, ())


def every_match(pattern: re.Pattern[str], text: str) -> tuple[str, ...]:
    """What a pattern finds in a text, each once; blanks around it do not count."""
    found = (match[_group(pattern)] or "" for match in pattern.finditer(text))
    return tuple(dict.fromkeys(value for one in found if (value := " ".join(one.split()))))


def value_of(spec: Named | InText, page: Says) -> str | None:
    """The first value that a page says; None where it says none."""
    found = every_match(re.compile(spec.text), page.text(spec.within))
    return found[0] if found else None


def _group(pattern: re.Pattern[str]) -> int:
    named = pattern.groupindex.get("key", pattern.groupindex.get("value"))
    return named if named is not None else min(pattern.groups, 1)


def _by_bookmark(pattern: re.Pattern[str], pages: Pages) -> Keys:
    """The bookmark at or before a page; of those that match on one page, all."""
    at: dict[int, tuple[str, ...]] = {}
    for number, title in pages.bookmarks():
        found = every_match(pattern, title)
        if found:
            at[number] = tuple(dict.fromkeys((*at.get(number, ()), *found)))
    current: tuple[str, ...] = ()
    known = {number: (current := at.get(number, current[-1:])) for number in range(1, len(pages) + 1)}
    return lambda number, _: known[number]


def _ranges(path: Path, count: int) -> dict[int, tuple[str, ...]]:
    """Page → key, from a list with `key`, `first` and `last`.

    Raises:
        DataError: it cannot be read, lacks a column, or names pages that are not there.
    """
    found: dict[int, tuple[str, ...]] = {}
    try:
        text = path.read_text("utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        raise DataError("this list of pages cannot be read", where=path.name, fix="Save it as CSV in UTF-8") from error
    separator = ";" if text.partition("\n")[0].count(";") else ","
    for number, row in enumerate(csv.DictReader(text.splitlines(), delimiter=separator), 2):
        where = f"{path.name}, line {number}"
        key, first, last = ((row.get(name) or "").strip() for name in ("key", "first", "last"))
        if not key or not first.isdecimal() or not last.isdecimal():
            fix = "A list of pages has the columns key, first and last; pages are whole numbers from 1"
            raise DataError("this line does not say which pages are whose", where=where, fix=fix)
        if not 1 <= int(first) <= int(last) <= count:
            what = f"the pages {first} to {last} are not there: the run has {count:,}"
            raise DataError(what, where=where, fix="Have the list and the run made again together")
        for page in range(int(first), int(last) + 1):
            found[page] = tuple(dict.fromkeys((*found.get(page, ()), key)))
    return found


def told(keys: tuple[str, ...]) -> str:
    """Several keys in a sentence."""
    more = f" and {len(keys) - _SHOWN:,} more" if len(keys) > _SHOWN else ""
    return ", ".join(f"'{key}'" for key in keys[:_SHOWN]) + more
