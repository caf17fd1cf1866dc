"""What the lines of a sheet that came back ask for: a decision for each package, or why a line cannot be used."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from gonnet.errors import GonnetError
from gonnet.jobs.braces import has_field
from gonnet.ledger import PackageRecord, State
from gonnet.pipeline.reviewing.amending.amendment import Amendment
from gonnet.pipeline.reviewing.sheet.lines import (
    BCC,
    CC,
    DECISION,
    FILE,
    KEY,
    LONGEST,
    MARK,
    MESSAGE,
    REASON,
    RUN,
    SUBJECT,
    TEXT,
    TO,
    VERBS,
    Column,
    Table,
    Use,
    mark_of,
)
from gonnet.pipeline.reviewing.sheet.reading import Line
from gonnet.pipeline.tools import Tools

NOBODY = "nobody"
_STATES = {"send": State.READY, "hold": State.HELD, "skip": State.SKIPPED}
_NOT_HELD = (KEY, "Odd")  # known by its mark; and what depends on what the review compared with
_OTHER = re.compile("[^0-9A-Za-z]+")
_LOST = "\ufffd"
_AMENDING = (TO, CC, BCC, MESSAGE, SUBJECT, TEXT, FILE)


@dataclass(frozen=True, slots=True, kw_only=True)
class Decision:
    """What a line asks for.

    Attributes:
        line: Its number in the file.
        package: The package.
        to: The state that it is to have; None as it is.
        wanted: What is to be otherwise; None where nothing is.
        why: The reason.
    """

    line: int
    package: PackageRecord
    to: State | None
    wanted: Amendment | None
    why: str


@dataclass(frozen=True, slots=True)
class Refusal:
    """Why a line cannot be used."""

    line: int
    why: str


def decisions_of(lines: Sequence[Line], table: Table, tools: Tools) -> tuple[tuple[Decision, ...], tuple[Refusal, ...]]:
    """What the lines of a sheet ask for, in their order, and what of them cannot be used.

    Args:
        lines: The lines.
        table: The sheet as it would be written now.
        tools: The tools.
    """
    reader = _Reader(lines, table, tools)
    decisions: list[Decision] = []
    refusals: list[Refusal] = []
    for line in lines:
        try:
            if (found := reader.decision(line)) is not None:
                decisions.append(found)
        except _UnusableError as error:
            refusals.append(Refusal(line.number, str(error)))
    return tuple(decisions), tuple(refusals)


class _UnusableError(Exception):
    """A line cannot be used; its text says why."""


class _Reader:
    def __init__(self, lines: Sequence[Line], table: Table, tools: Tools) -> None:
        self._table, self._tools = table, tools
        self._packages = {package.key: package for package in table.packages}
        self._by_mark = {mark_of(table.run, package): package for package in table.packages}
        self._marks = Counter(line.cells.get(MARK, "") for line in lines)
        self._told = [column for column in table.columns if column.use is Use.TELLS and column.heading not in _NOT_HELD]

    def decision(self, line: Line) -> Decision | None:
        """What a line asks for; None where that is nothing.

        Raises:
            _UnusableError: it cannot be used.
        """
        package = self._package(line)
        for heading in (DECISION, REASON, *_AMENDING):
            if heading in line.unusable:
                raise _UnusableError(f"under '{heading}' stands {line.unusable[heading]}; write the text itself")
            if _LOST in line.cells.get(heading, ""):
                raise _UnusableError(
                    f"letters under '{heading}' cannot be read; save the sheet as a workbook, or in UTF-8"
                )
        self._require_untouched(line, package)
        verb, why = line.cells.get(DECISION, "").casefold(), line.cells.get(REASON, "")
        if verb and verb not in VERBS:
            raise _UnusableError(
                f"'{line.cells[DECISION]}' is no decision; write {', '.join(VERBS[:-1])} or {VERBS[-1]}"
            )
        to = _STATES.get(verb)
        to = None if to is package.state else to
        wanted = self._amendment(line.cells)
        if wanted is not None and wanted.message is not None and wanted.message not in self._table.messages:
            known = ", ".join(self._table.messages)
            raise _UnusableError(f"the job has no message '{wanted.message}'; it has {known}")
        if to is None and wanted is None:
            return None
        if to is not None and not why:
            raise _UnusableError(f"say the reason for '{verb}' under '{REASON}'")
        return Decision(line=line.number, package=package, to=to, wanted=wanted, why=why)

    def _package(self, line: Line) -> PackageRecord:
        key, mark, run = (line.cells.get(heading, "") for heading in (KEY, MARK, RUN))
        if not mark or not run:
            raise _UnusableError("it is not a line of the sheet as it was written; take it out")
        if run != str(self._table.run.id):
            raise _UnusableError(f"it is of run {run}, not of run {self._table.run.id}")
        if self._marks[mark] > 1:
            raise _UnusableError(f"key '{key}' stands in {self._marks[mark]} lines; keep one")
        package = self._by_mark.get(mark)
        if package is None and key in self._packages:
            now = self._packages[key]
            raise _UnusableError(f"package {key} was changed since the sheet was written; it is {now.came_to} now")
        if package is None:
            raise _UnusableError(f"run {run} has no package for key '{key}'")
        if _bare(key) != _bare(package.key) and _plain(key) != _plain(
            package.key
        ):  # cells of one column were sorted or moved without the others
            raise _UnusableError(f"its key is '{key}', and its mark is that of key '{package.key}'")
        return package

    def _require_untouched(self, line: Line, package: PackageRecord) -> None:
        """What only tells must tell what it did: who changed it there meant something that would not happen."""
        said = self._table.line(package)
        for column in self._told:
            if column.heading in line.unusable:
                raise _UnusableError(
                    f"under '{column.heading}', which only tells, stands {line.unusable[column.heading]}"
                )
            if _is_other(column, line.cells, str(said.get(column.heading) or "")):
                raise _UnusableError(f"'{column.heading}' only tells, and was changed{_instead(column.heading)}")

    def _amendment(self, cells: Mapping[str, str]) -> Amendment | None:
        cells = {heading: cells[heading] for heading in _AMENDING if heading in cells}
        if not cells:
            return None
        for heading in (SUBJECT, TEXT):
            if has_field(cells.get(heading, "")):
                raise _UnusableError(
                    f"merge fields are not filled under '{heading}'; write the words without {{{{ }}}}"
                )
        if cells.get(TO, "").casefold() == NOBODY:
            raise _UnusableError(f"'{NOBODY}' cannot stand under '{TO}'; write skip under '{DECISION}'")
        cc, bcc = ("" if cells.get(one, "").casefold() == NOBODY else cells.get(one) for one in (CC, BCC))
        return Amendment(
            to=cells.get(TO),
            cc=cc,
            bcc=bcc,
            message=cells.get(MESSAGE),
            subject=cells.get(SUBJECT),
            text=cells.get(TEXT),
            enclose=tuple(self._files(cells)),
        )

    def _files(self, cells: Mapping[str, str]) -> Iterator[Path]:
        if FILE in cells:
            try:
                path = self._tools.workspace.reach.file(cells[FILE], FILE)
            except GonnetError as error:
                raise _UnusableError(f"under '{FILE}': {error.what}") from error
            if not path.is_file():
                raise _UnusableError(f"under '{FILE}': there is no file {cells[FILE]} in the workspace")
            yield path


def _is_other(column: Column, cells: Mapping[str, str], said: str) -> bool:
    """Whether a cell says something else than was written; what is lost on the way makes no difference."""
    found = cells.get(column.heading)
    if found is None:  # the column was taken out, or its cell emptied: nothing is meant by that
        return False
    return found != said and _plain(found) not in (_plain(said), _plain(said[:LONGEST]))


def _instead(heading: str) -> str:
    other = {"To": TO, "Cc": CC, "Bcc": BCC, "Subject": SUBJECT, "Message": MESSAGE, "State": DECISION, "Why": REASON}
    other["Documents"] = FILE
    return f"; write under '{other[heading]}' instead" if heading in other else ""


def _plain(text: str) -> str:
    """The plain letters and digits of a text, which every program and every encoding keeps."""
    return _OTHER.sub("", text)


def _bare(key: str) -> str:
    """A key without what programs take away or add when they save it as a number."""
    found = key.strip().removeprefix("'").lstrip("0").removesuffix(".0")
    return found or key.strip()
