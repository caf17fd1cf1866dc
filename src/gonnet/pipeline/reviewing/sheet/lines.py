"""What the sheet of a review says of each package: a line each, with room for what a person decides."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from enum import Enum

from gonnet.jobs import load_job
from gonnet.ledger import PackageRecord, RunRecord
from gonnet.pipeline.reviewing.comparison import Comparison, number
from gonnet.pipeline.reviewing.listing import changes
from gonnet.pipeline.tools import Tools

Value = str | int | Decimal | None


class Use(Enum):
    """What a column is for."""

    TELLS = "tells"
    NUMBER = "number"
    DECIDES = "decides"
    MARKS = "marks"


@dataclass(frozen=True, slots=True)
class Column:
    """A column of the sheet.

    Attributes:
        heading: What stands above it.
        use: What it is for.
        width: In characters.
    """

    heading: str
    use: Use
    width: int


KEY, STATE, RUN, MARK = "Key", "State", "Run", "Mark"
DECISION, REASON, MESSAGE, SUBJECT, TEXT = "Decision", "Reason", "Other message", "Other subject", "Other text"
TO, CC, BCC, FILE = "Other To", "Other Cc", "Other Bcc", "One more file"
LONGEST = 32_767
"""Characters that a cell of a workbook holds (ECMA-376, part 1, 18.3.1.96, as programs apply it)."""
VERBS = ("send", "hold", "skip")

_FIRST = ((STATE, 8), ("Why", 28), ("To", 33))
_DECIDED = (
    *(
        (DECISION, 10),
        (REASON, 26),
        (TO, 30),
        (CC, 24),
        (BCC, 24),
        (MESSAGE, 15),
        (SUBJECT, 26),
        (TEXT, 34),
        (FILE, 22),
    ),
)
_THEN = (("Contacts", 40), ("Way", 12), ("Cc", 28), ("Bcc", 22), ("Subject", 40), ("Message", 12), ("Documents", 40))


@dataclass(frozen=True, slots=True, kw_only=True)
class Table:
    """The sheet of a run.

    Attributes:
        run: The run.
        packages: Its packages, in the order of the sheet.
        messages: The messages of the job, of which another may be taken.
        columns: Its columns.
        before: Key → figure → what it was in the last run of which something was sent.
        changed: Key → in words, what is otherwise than then.
    """

    run: RunRecord
    packages: Sequence[PackageRecord]
    messages: Sequence[str]
    columns: Sequence[Column]
    before: Mapping[str, Mapping[str, str]]
    changed: Mapping[str, Sequence[str]]

    def lines(self) -> Iterator[list[Value]]:
        """What stands in each column, package by package."""
        for package in self.packages:
            said = self.line(package)
            yield [said.get(column.heading) for column in self.columns]

    def line(self, package: PackageRecord) -> dict[str, Value]:
        """Heading → what the line of a package says; nothing under what is for decisions."""
        said: dict[str, Value] = {
            KEY: package.key,
            "Name": package.name,
            STATE: package.came_to,
            "Why": package.reason,
            "To": "; ".join(package.to),
            "Way": "; ".join(dict.fromkeys(part.way or str(part.kind) for part in package.hand_overs)),
            "Contacts": "; ".join(map(str, package.contacts)),
            "Cc": _each(address for message in package.messages for address in message.cc),
            "Bcc": _each(address for message in package.messages for address in message.bcc),
            "Subject": _each(message.subject for message in package.messages),
            "Message": _each(message.called for message in package.messages),
            "Documents": _each(document.name for document in package.documents),
            "Rows": package.rows,
            "Odd": "; ".join((*package.odd, *self.changed.get(package.key, ()))),
            RUN: self.run.id,
            MARK: mark_of(self.run, package),
        }
        for name, text in package.figures.items():
            if name != "rows":
                said |= _figure(name, text, self.before.get(package.key, {}).get(name, ""))
        return said


def table_of(
    run: RunRecord,
    packages: Sequence[PackageRecord],
    messages: Sequence[str] = (),
    before: Sequence[PackageRecord] = (),
    against: Comparison | None = None,
) -> Table:
    """The sheet of a run.

    Args:
        run: The run.
        packages: Its packages, in the order in which they are to stand.
        messages: The messages of the job, of which another may be taken.
        before: Those of the last run of which something was sent.
        against: What is otherwise than then.
    """
    figures = [name for name in (packages[0].figures if packages else {}) if name != "rows"]
    found = [Column(KEY, Use.TELLS, 11), Column("Name", Use.TELLS, 22)]
    found += [Column(heading, Use.TELLS, width) for heading, width in _FIRST]
    found += [Column(heading, Use.DECIDES, width) for heading, width in _DECIDED]
    found += [Column(heading, Use.TELLS, width) for heading, width in _THEN]
    found.append(Column("Rows", Use.NUMBER, 8))
    found += [Column(heading, Use.NUMBER, 14) for name in figures for heading in _headings(name)]
    found += [Column("Odd", Use.TELLS, 44), Column(RUN, Use.MARKS, 6), Column(MARK, Use.MARKS, 18)]
    return Table(
        run=run,
        packages=packages,
        messages=messages,
        columns=found,
        before={package.key: package.figures for package in before},
        changed=changes(against),
    )


def messages_of(run: RunRecord, tools: Tools) -> tuple[str, ...]:
    """The messages of the job of a run, as it is now.

    Raises:
        JobError: it is not there any longer, or has a mistake.
    """
    return tuple(load_job(tools.workspace, run.job).file.messages)


def mark_of(run: RunRecord, package: PackageRecord) -> str:
    """What tells whether a package is still as it was: it is another one after every change, and in every run."""
    said = [
        *(run.id, run.prepared.isoformat(), package.key, package.id, str(package.state), package.reason, package.seal),
        [[part.message_id, part.sha256, part.to, part.cc, part.bcc] for part in package.messages],
        [[part.id, str(part.state)] for part in package.hand_overs],
    ]
    return hashlib.sha256(json.dumps(said).encode("ascii")).hexdigest()[:16]


def _headings(figure: str) -> tuple[str, str, str]:
    return figure, f"{figure} before", f"{figure} change"


def _figure(name: str, text: str, before: str) -> dict[str, Value]:
    now, was = number(text), number(before)
    change = now - was if now is not None and was is not None else None
    values: tuple[Value, ...] = (text if now is None else now, before if was is None else was, change)
    return dict(zip(_headings(name), values, strict=True))


def _each(texts: Iterator[str]) -> str:
    return "; ".join(dict.fromkeys(texts))
