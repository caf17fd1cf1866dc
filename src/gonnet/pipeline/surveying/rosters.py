"""The rosters of a job: read before its data, and brought together with them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from gonnet.data import Engine
from gonnet.data.loading import Ready
from gonnet.findings import Finding, Weight
from gonnet.jobs import Job
from gonnet.jobs.contents import DocumentSpec, Enclosure
from gonnet.recipients import Recipient, Ways, roster
from gonnet.recipients.roll import together
from gonnet.recipients.roster import Known, Roster, Seen
from gonnet.recipients.roster.lines import ROW, Line
from gonnet.recipients.roster.reading import PEOPLE, Slip


@dataclass(frozen=True, slots=True, kw_only=True)
class Rostered:
    """A list of the job that is a circle of a roster.

    Attributes:
        roster: The workbook.
        circle: The circle.
        lines: Its people.
    """

    roster: Roster
    circle: str
    lines: tuple[Line, ...]

    def findings(self) -> Iterator[Finding]:
        """What of the workbook cannot be meant, each once."""
        slips = [*self.roster.slips, *self.roster.doubts(self.circle)]
        slips += [slip for line in self.lines for slip in line.slips]
        for text in dict.fromkeys(map(str, slips)):
            yield self._told(text)
        if not self.lines:
            yield self._told(f"nobody is marked under '{self.circle}'")

    def about(self, row: int, column: str, text: str) -> Finding:
        """A finding about a line."""
        return self._told(str(Slip(sheet=PEOPLE, row=row, column=column, text=text)))

    def _told(self, text: str) -> Finding:
        return Finding(weight=Weight.ATTENTION, text=f"{self.roster.file}, {text}", about=self.roster.file)


def rosters_of(job: Job) -> dict[int, Rostered]:
    """Number of a list → the circle of a roster that it is; each workbook is read once.

    Raises:
        JobError: a workbook lies outside of the workspace.
        DataError: one cannot be read, or lacks a sheet or a column.
    """
    read: dict[str, Roster] = {}
    found = {}
    for index, (_, spec) in enumerate(job.lists):
        if spec.roster is None:
            continue
        where = job.at_list(index, "roster")
        if spec.roster not in read:
            read[spec.roster] = roster.read_roster(job.reach.file(spec.roster, where), where)
        book = read[spec.roster]
        circle = book.column(spec.circle or job.name, job.at_list(index, "circle" if spec.circle else "roster"))
        found[index] = Rostered(roster=book, circle=circle, lines=roster.lines_of(book, circle, _known(job)))
    return found


def _known(job: Job) -> Known:
    package = job.file.package
    parts: list[DocumentSpec | Enclosure] = [*package.documents, *package.enclose]
    return Known(
        messages=tuple(job.file.messages),
        documents=tuple(dict.fromkeys(name for one in parts for name in one.called)),
        ways=Ways.of(job.file.deliver),
    )


def as_tables(job: Job, found: Mapping[int, Rostered]) -> dict[str, Ready]:
    """Table of a list → its lines."""
    tables = {}
    for index, one in found.items():
        names, rows = roster.table_of(one.lines, one.roster)
        fixed = dict.fromkeys(names, "text")
        tables[job.lists[index][0]] = Ready(
            names=names, rows=rows, where=job.at_list(index, "roster"), fixed=fixed, numbers={}, dates={}
        )
    return tables


def brought_together(
    job: Job, index: int, one: Rostered, lines: Sequence[Recipient], engine: Engine, counts: Mapping[str, int]
) -> tuple[tuple[Recipient, ...], dict[int, Seen], list[Finding]]:
    """The lines of a roster with what holds for each, what each may see, and what the operator should know.

    Raises:
        DataError: the data have no column by which lines say what they may see.
    """
    spec = job.file.recipients[index]
    by_row = {line.row: line for line in one.lines}
    cells = ((row, line.fields) for row, line in by_row.items())
    seen = roster.seen_by(engine, cells, spec.sees, counts, everything=spec.everything)
    findings = list(one.findings())
    people = []
    for person in lines:
        row = int(str(person.fields[ROW]))
        what, line = seen[row], by_row[row]
        findings += [one.about(row, column, text) for column, text in what.troubles.items()]
        refused = (f"column '{column}': {text}" for column, text in what.troubles.items() if what.is_refused)
        if not what.keys and not what.troubles:
            findings.append(one.about(row, "", f"{person.name} would get nothing: no row has {what.said}"))
        people.append(
            replace(
                person,
                line=row,
                source=one.roster.file,
                settings=line.settings,
                problem=together((person.problem, line.problem, *refused)),
            )
        )
    return tuple(people), seen, findings
