"""Addresses that were put right by hand, until the list is: `corrections.csv` of the workspace.

A correction is for one key of one job, and for what the list said when it was made. Where the list says something else
by now it does nothing, so that what is put right at its source always wins.
"""

from __future__ import annotations

import csv
import io
import os
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from pathlib import Path

from gonnet import private
from gonnet.errors import DataError, StorageError
from gonnet.findings import Finding, Weight
from gonnet.recipients.addresses import NotAnAddressError, parse

FILE = "corrections.csv"


@dataclass(frozen=True, slots=True, kw_only=True)
class Correction:
    """One address put right.

    Attributes:
        job: Of which job.
        key: Whose.
        was: What the list said: addresses separated by `;`, or nothing.
        now: What is used in its place.
        by: Who said so.
        on: When: ISO 8601.
        why: The reason.
    """

    job: str
    key: str
    was: str
    now: str
    by: str
    on: str
    why: str


_COLUMNS = tuple(part.name for part in fields(Correction))


def kept(folder: Path, job: str) -> dict[str, Correction]:
    """Key → the last correction of it for a job.

    Raises:
        DataError: the file cannot be read, or a line of it has no usable address; names the line.
    """
    place = folder / FILE
    if not place.is_file():
        return {}
    try:
        text = place.read_text("utf-8-sig")
    except (OSError, UnicodeError) as error:
        raise DataError("the corrections cannot be read", where=FILE, fix="Write the file in UTF-8") from error
    lines = csv.DictReader(io.StringIO(text))
    if lines.fieldnames is None or set(_COLUMNS) - set(lines.fieldnames):
        raise DataError("a column lacks", where=f"{FILE}:1", fix=f"The first line is {','.join(_COLUMNS)}")
    found = {}
    for number, line in enumerate(lines, 2):
        if line["job"] == job:
            found[line["key"]] = Correction(**{name: (line[name] or "").strip() for name in _COLUMNS})
            try:
                parse(line["now"] or "")
            except NotAnAddressError as error:
                what = f"'{line['now']}' is not an address: {error}"
                raise DataError(what, where=f"{FILE}:{number}", fix="Correct it, or take out the line") from error
    return found


def forget_key(folder: Path, key: str) -> None:
    """Take every correction of a key out of the file.

    Raises:
        StorageError: the file cannot be written.
    """
    place = folder / FILE
    if not place.is_file():
        return
    lines = list(csv.DictReader(io.StringIO(place.read_text("utf-8-sig"))))
    left = [line for line in lines if (line.get("key") or "").strip().casefold() != key.strip().casefold()]
    if len(left) != len(lines):
        _write(place, left)


def keep(folder: Path, correction: Correction) -> None:
    """Add a correction to the file; one for the same key of the same job is none any more.

    Raises:
        StorageError: the file cannot be written.
        DataError: it cannot be read.
    """
    earlier = kept(folder, correction.job).get(correction.key)
    if earlier is not None and _identities(earlier.now) == _identities(correction.was):
        correction = replace(correction, was=earlier.was)  # what was corrected again is not what the list says
    place = folder / FILE
    others: list[Mapping[str, str]] = []
    if place.is_file():
        lines = csv.DictReader(io.StringIO(place.read_text("utf-8-sig")))
        others = [line for line in lines if (line["job"], line["key"]) != (correction.job, correction.key)]
    _write(place, [*others, {name: getattr(correction, name) for name in _COLUMNS}])


def _write(place: Path, lines: Sequence[Mapping[str, str]]) -> None:
    target = io.StringIO()
    writer = csv.DictWriter(target, _COLUMNS, extrasaction="ignore", lineterminator="\n")
    writer.writeheader()
    writer.writerows(lines)
    new = place.with_name(f".{FILE}.new")
    try:
        private.write(new, target.getvalue().encode("utf-8"))
        os.replace(new, place)  # noqa: PTH105  whole or not at all
    except OSError as error:
        raise StorageError(
            f"the correction cannot be kept: {error.strerror}", where=str(place), fix="Check that it can be written"
        ) from error


class Corrections:
    """The corrections of a job while its lists are read.

    Args:
        known: Key → its correction.
    """

    def __init__(self, known: Mapping[str, Correction]) -> None:
        self._known = known
        self._used: dict[str, bool] = {}

    def put_right(self, key: str, cell: object) -> object:
        """What counts of an address cell of the list."""
        one = self._known.get(key)
        if one is None:
            return cell
        fits = _identities(cell) == _identities(one.was)
        self._used[key] = self._used.get(key, False) or fits
        return one.now if fits else cell

    def findings(self) -> Iterator[Finding]:
        """What each of them does: it is used, or the list says something else by now."""
        for key, fits in self._used.items():
            one = self._known[key]
            said = f"{one.by} on {one.on[:10]}" + (f" ({one.why})" if one.why else "")
            text = f"{key} is written to at {one.now} in place of {one.was or 'no address'}, as put right by {said}"
            if not fits:
                text = f"the list has another address of {key} than when it was put right by {said}: the list counts; "
                text += f"take the line out of {FILE}"
            yield Finding(weight=Weight.NOTE, text=text, key=key)


def _identities(cell: object) -> frozenset[str]:
    try:
        return frozenset(address.identity for address in parse(str(cell or "")))
    except NotAnAddressError:
        return frozenset()
