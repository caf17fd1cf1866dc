"""Writing a roster to fill in: headings, drop-downs, what each column means, and an example."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import xlsxwriter
from xlsxwriter.format import Format
from xlsxwriter.worksheet import Worksheet

from gonnet.recipients.roster import reading
from gonnet.recipients.roster.reading import CIRCLES, PEOPLE

_LINES = 500  # that have drop-downs
_MOST = 250  # characters of a list of choices
_HEAD, _ROOM, _MARKED, _SEEN = "#dde6e1", "#fdf6e0", "#f3d98b", "#cfe0d8"
_SHOWN = 3
_TELLS = {
    reading.NAME: "How the person is called, in messages and file names.",
    reading.ADDRESS: "The e-mail address; several with ; between them. It may stay empty where nothing goes by mail.",
    reading.WAY: "How it gets there. Empty: as its circle says, else the usual way. Several with ; between them.",
    reading.FORMAT: "One of the formats. Empty: as its circle says.",
    reading.DOCUMENTS: "Which documents; several with ; between them. Empty: as its circle says, else the usual ones.",
    reading.MESSAGE: "Which message. Empty: as its circle says.",
    reading.LANGUAGE: "The language, such as de or en-IE. Empty: as its circle says.",
    reading.COPY: "Who gets a copy: an address. Empty: as its circle says.",
    reading.CIRCLE: "What the column of the circle on the sheet People is called.",
    reading.ABOUT: "For you: what this circle gets.",
}
_MARK = "Put an x for everybody who belongs to it. Leave the others empty."
_SEES = "What this person may see: one value, several with ; between them, or * for every value."
_LIMITS = " Of numbers and dates also 100 .. 200, > 400, more than 400, at most 400."


@dataclass(frozen=True, slots=True, kw_only=True)
class Blank:
    """What a roster is to offer.

    Attributes:
        circles: Its circles.
        sees: Column of the data → its values, as far as they are few.
        choices: Heading → what may be chosen there.
    """

    circles: tuple[str, ...]
    sees: Mapping[str, Sequence[str]]
    choices: Mapping[str, Sequence[str]]


def blank(what: Blank) -> bytes:
    """A workbook to fill in: people, circles, an example, and how it is done."""
    target = io.BytesIO()
    with xlsxwriter.Workbook(
        target, {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    ) as book:
        book.set_properties({"title": "Who gets what"})
        looks = _Looks(book)
        people, circles = _headings(what), (reading.CIRCLE, reading.ABOUT, *reading.SETTINGS)
        first = book.add_worksheet(PEOPLE)
        _sheet(first, people, what, looks)
        second = book.add_worksheet(CIRCLES)
        _sheet(second, circles, what, looks)
        for row, circle in enumerate(what.circles, 1):
            second.write_string(row, 0, circle, looks.room)
        third = book.add_worksheet("Example")
        _sheet(third, people, what, looks)
        _example(third, people, what, looks)
        _explained(book.add_worksheet("How to"), people, circles, what, looks)
        _values(book, what, (first, people))
    return target.getvalue()


class _Looks:
    """The formats of a workbook."""

    def __init__(self, book: xlsxwriter.Workbook) -> None:
        usual = {"bold": True, "text_wrap": True, "valign": "top", "bottom": 1}
        self.head = book.add_format({**usual, "bg_color": _HEAD})
        self.marked = book.add_format({**usual, "bg_color": _MARKED})
        self.seen = book.add_format({**usual, "bg_color": _SEEN})
        self.room = book.add_format({"num_format": "@", "valign": "top"})
        self.mark = book.add_format({"num_format": "@", "align": "center"})
        self.text = book.add_format({"text_wrap": True, "valign": "top"})
        self.bold = book.add_format({"bold": True, "valign": "top"})

    def of(self, heading: str, what: Blank) -> Format:
        """That of a heading."""
        return self.marked if heading in what.circles else self.seen if heading in what.sees else self.head


def _headings(what: Blank) -> tuple[str, ...]:
    return (reading.NAME, reading.ADDRESS, *what.circles, *what.sees, *reading.SETTINGS)


def _sheet(sheet: Worksheet, headings: Sequence[str], what: Blank, looks: _Looks) -> None:
    for at, heading in enumerate(headings):
        is_mark = heading in what.circles
        width = 10 if is_mark else 30 if heading in (reading.NAME, reading.ADDRESS, reading.ABOUT) else 17
        sheet.set_column(at, at, width, looks.mark if is_mark else looks.room)
        sheet.write_string(0, at, heading, looks.of(heading, what))
        advice: dict[str, Any] = {"input_title": heading[:32], "input_message": _advice(heading, what)[:255]}
        choices = ["x"] if is_mark else list(what.choices.get(heading, ()))
        if choices and sum(map(len, choices)) + len(choices) < _MOST:
            advice |= {"validate": "list", "source": choices, "show_error": False}  # several may stand there
        else:
            advice |= {"validate": "any"}
        sheet.data_validation(1, at, _LINES, at, advice)
    sheet.set_row(0, 32)
    sheet.freeze_panes(1, 1)
    sheet.set_landscape()
    sheet.fit_to_pages(1, 0)
    sheet.repeat_rows(0)


def _advice(heading: str, what: Blank) -> str:
    if heading in what.circles:
        return _MARK
    return _SEES + _LIMITS if heading in what.sees else _TELLS.get(heading, "")


def _example(sheet: Worksheet, headings: Sequence[str], what: Blank, looks: _Looks) -> None:
    """Three people who are nobody's: this sheet is not read."""
    people = (
        ("Ines Calloway", "ines.calloway@tarnvale.example", (0,)),
        ("Tobias Renner", "tobias.renner@tarnvale.example", (0, 1)),
        ("Oona Farrelly", "oona.farrelly@tarnvale.example", (1,)),
    )
    for row, (name, address, marks) in enumerate(people, 1):
        cells = {reading.NAME: name, reading.ADDRESS: address}
        cells |= {circle: "x" for at, circle in enumerate(what.circles) if at in marks}
        for number, (column, values) in enumerate(what.sees.items()):
            shown = list(values)[row - 1 : row + (row == 2)] or ["*"]
            cells[column] = "; ".join(shown) if number == 0 else "*"
        for at, heading in enumerate(headings):
            sheet.write_string(row, at, cells.get(heading, ""), looks.mark if heading in what.circles else looks.room)


def _explained(sheet: Worksheet, people: Sequence[str], circles: Sequence[str], what: Blank, looks: _Looks) -> None:
    sheet.fit_to_pages(1, 0)
    sheet.set_column(0, 0, 22)
    sheet.set_column(1, 1, 92)
    lines: list[tuple[str, str]] = [
        ("How to fill it in", "Write on the sheets People and Circles. The sheets Example and How to are not read."),
        (PEOPLE, "One line for each person. The same person may have two lines, with other settings: two packages."),
        *((heading, _advice(heading, what)) for heading in people),
        ("Other columns", "You may add columns, such as File name or Subject: the texts of the job can use them."),
        (
            CIRCLES,
            "One line for each circle. What it says holds for everybody in it, unless their line says otherwise.",
        ),
        *((heading, _advice(heading, what)) for heading in circles if heading not in people),
        ("All must hold", "Somebody gets what meets every one of their green columns. An empty one is a mistake."),
        ("Look at it", "Save the file. `gonnet check JOB --list` says who would get what, and which cells are wrong."),
    ]
    for row, (label, text) in enumerate(lines):
        sheet.write_string(row, 0, label, looks.bold)
        sheet.write_string(row, 1, text, looks.text)


def _values(book: xlsxwriter.Workbook, what: Blank, people: tuple[Worksheet, Sequence[str]]) -> None:
    """Drop-downs of the data's values, which may be too many to stand in the cell itself."""
    sheet, headings = people
    aside = book.add_worksheet("Values")
    aside.hide()
    for at, (column, values) in enumerate(what.sees.items()):
        aside.write_string(0, at, column)
        for row, value in enumerate(values, 1):
            aside.write_string(row, at, value)
        if values:
            letter = xlsxwriter.utility.xl_col_to_name(at)
            place = headings.index(column)
            source = f"=Values!${letter}$2:${letter}${len(values) + 1}"
            said = {"input_title": column[:32], "input_message": (_SEES + _LIMITS)[:255], "show_error": False}
            sheet.data_validation(1, place, _LINES, place, {"validate": "list", "source": source, **said})
