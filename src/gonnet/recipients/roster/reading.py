"""Reading the workbook: its people, its circles, and what of it cannot be meant."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from gonnet.data.files.grids import Grid, grids
from gonnet.errors import DataError, meant

PEOPLE, CIRCLES = "People", "Circles"
NAME, ADDRESS, COPY, LANGUAGE, WAY = "Name", "Address", "Copy to", "Language", "Way"
FORMAT, DOCUMENTS, MESSAGE = "Format", "Documents", "Message"
CIRCLE, ABOUT = "Circle", "What it is for"
SETTINGS = (WAY, FORMAT, DOCUMENTS, MESSAGE, LANGUAGE, COPY)
"""What a circle says for all of its people, and a line for itself."""

OF_PEOPLE = (NAME, ADDRESS, *SETTINGS)
_DOUBTFUL = frozenset({"no", "n", "0", "-", "–", "—", "false", "none", "not", "nein", "non", "nie"})


@dataclass(frozen=True, slots=True, kw_only=True)
class Slip:
    """Something in the workbook that cannot be meant, in words for whoever keeps it.

    Attributes:
        sheet: The sheet.
        row: Its row, from 1.
        column: The heading of the column; empty for the whole row.
        text: What is wrong, and how to put it right.
    """

    sheet: str
    row: int
    column: str
    text: str

    def __str__(self) -> str:
        """The place and what is wrong there."""
        column = f", column '{self.column}'" if self.column else ""
        return f"sheet {self.sheet}, line {self.row}{column}: {self.text}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Person:
    """A line of the people, or of the circles: heading → what stands there."""

    row: int
    cells: Mapping[str, str]


@dataclass(frozen=True, slots=True, kw_only=True)
class Roster:
    """What the workbook says.

    Attributes:
        file: Its name.
        headings: The columns of the people.
        people: Their lines.
        circles: Circle → its line, with what holds for everybody in it.
        slips: What cannot be meant.
    """

    file: str
    headings: tuple[str, ...]
    people: tuple[Person, ...]
    circles: Mapping[str, Person]
    slips: tuple[Slip, ...] = ()

    def column(self, circle: str, where: str) -> str:
        """The heading of a circle's column.

        Raises:
            DataError: there is no such column.
        """
        for heading in self.headings:
            if heading.casefold() == circle.casefold() and heading not in OF_PEOPLE:
                return heading
        others = [heading for heading in self.headings if heading not in OF_PEOPLE]
        what = f"{self.file} has no column '{circle}' on the sheet {PEOPLE}, under which people are marked"
        raise DataError(what, where=where, fix=meant(circle, others, noun="column"))

    def members(self, circle: str) -> tuple[Person, ...]:
        """The people with a mark under a circle; a doubtful one counts as none."""
        return tuple(one for one in self.people if is_mark(one.cells.get(circle, "")))

    def doubts(self, circle: str) -> Iterator[Slip]:
        """Marks under a circle that may mean that somebody does not belong to it."""
        for one in self.people:
            cell = one.cells.get(circle, "")
            if cell and not is_mark(cell):
                text = f"'{cell}' is unclear. Put an x for who belongs to it, and leave the cell empty for who does not"
                yield Slip(sheet=PEOPLE, row=one.row, column=circle, text=text)


def is_mark(cell: str) -> bool:
    """Whether a cell is a mark: anything but what may mean no."""
    return bool(cell) and cell.casefold() not in _DOUBTFUL


@dataclass(slots=True)
class _Reader:
    """Reads the sheets of one workbook, and keeps what is wrong."""

    file: str
    where: str
    slips: list[Slip] = field(default_factory=list)

    def lines(self, name: str, grid: Grid, needed: Sequence[str]) -> tuple[tuple[str, ...], list[Person]]:
        """The headings of a sheet, and its lines that say something.

        Raises:
            DataError: a heading is missing, or stands there twice.
        """
        head = [cell.strip() for cell in (grid.rows[0] if grid.rows else ())]
        usual = {one.casefold(): one for one in (*OF_PEOPLE, CIRCLE, ABOUT)}
        head = [usual.get(cell.casefold(), cell) for cell in head]
        for one in needed:
            if one not in head:
                fix = f"{meant(one, [cell for cell in head if cell], noun='column')} The first row has the headings"
                raise DataError(f"{self.file} has no column '{one}' on the sheet {name}", where=self.where, fix=fix)
        twice = next((cell for cell in head if cell and head.count(cell) > 1), None)
        if twice is not None:
            what = f"{self.file} has the column '{twice}' twice on the sheet {name}"
            raise DataError(what, where=self.where, fix="Keep one of the two")
        found = []
        for number, row in enumerate(grid.rows[1:], 2):
            cells = {heading: cell for heading, cell in zip(head, row, strict=False) if heading}
            if any(cells.values()):
                found.append(Person(row=number, cells=cells))
            self.slips += self._without(name, grid, number, head)
        return tuple(filter(None, head)), found

    def _without(self, name: str, grid: Grid, number: int, head: Sequence[str]) -> Iterator[Slip]:
        for at, heading in enumerate(head):
            if (number - 1, at) in grid.without and heading:
                text = "there is an error, or a formula without a value. Open the file, correct it and save it"
                yield Slip(sheet=name, row=number, column=heading, text=text)


def read_roster(path: Path, where: str) -> Roster:
    """Read a workbook with a sheet of people and, where there are circles with settings, one of circles.

    Args:
        path: The workbook.
        where: What to name in an error.

    Raises:
        DataError: it is no workbook, or lacks a sheet or a column that it must have.
    """
    if not path.is_file():
        raise DataError(f"there is no file {path.name}", where=where, fix="`gonnet new --list FILE.xlsx` writes one")
    found = grids(path, where)
    sheets = {name.strip().casefold(): grid for name, grid in found.items()}
    if PEOPLE.casefold() not in sheets:
        fix = f"{meant(PEOPLE, list(found), noun='sheet')} `gonnet new --list FILE.xlsx` writes an example"
        raise DataError(f"{path.name} has no sheet '{PEOPLE}'", where=where, fix=fix)
    reader = _Reader(path.name, where)
    headings, people = reader.lines(PEOPLE, sheets[PEOPLE.casefold()], (NAME,))
    circles: dict[str, Person] = {}
    if CIRCLES.casefold() in sheets:
        _, lines = reader.lines(CIRCLES, sheets[CIRCLES.casefold()], (CIRCLE,))
        circles = dict(_circles(lines, headings, reader.slips))
    return Roster(file=path.name, headings=headings, people=tuple(people), circles=circles, slips=tuple(reader.slips))


def _circles(lines: Sequence[Person], headings: Sequence[str], slips: list[Slip]) -> Iterator[tuple[str, Person]]:
    seen: set[str] = set()
    by_form = {heading.casefold(): heading for heading in headings}
    for line in lines:
        said = line.cells.get(CIRCLE, "")
        if not said:
            slips.append(Slip(sheet=CIRCLES, row=line.row, column=CIRCLE, text="the circle has no name. Give it one"))
        elif said.casefold() in seen:
            slips.append(Slip(sheet=CIRCLES, row=line.row, column=CIRCLE, text=f"'{said}' is there twice. Keep one"))
        elif said.casefold() not in by_form:
            text = f"no column of the sheet {PEOPLE} is called '{said}', so nobody can be marked. Add the column"
            slips.append(Slip(sheet=CIRCLES, row=line.row, column=CIRCLE, text=text))
        else:
            cells = {heading: line.cells.get(heading, "") for heading in SETTINGS}
            yield by_form[said.casefold()], Person(row=line.row, cells=cells)
        seen.add(said.casefold())
