"""A list in a workbook that people without SQL keep: who gets what, what holds for a circle, what a line may see."""

from __future__ import annotations

import datetime as dt
import io
from collections.abc import Sequence
from decimal import Decimal
from typing import Any

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gonnet.errors import GonnetError
from gonnet.recipients.roster.seeing import CannotBeMeantError, wanted_by
from support import SETTINGS, Dairy

Cells = Sequence[Sequence[Any]]

JOB = """\
title: Regions
data: {milk: {file: milk.csv, types: {farm_no: text}}}
split: {rows: milk, by: farm_no}
recipients: {roster: readers.xlsx, circle: Managers, sees: [region, kind]}
reports:
  sums: {title: "For {{ recipient.name }}", blocks: [table: {columns: [{field: region}, {field: litres, total: sum}]}]}
  days: {title: Days, blocks: [table: {columns: [{field: day}, {field: litres}]}]}
package:
  documents: [{report: sums, as: pdf}, {report: days, as: pdf}]
  name: "{{ recipient['File name'] or key }}"
messages:
  standard: {subject: "{{ recipient.Subject or 'Milk' }}", body: "Dear {{ recipient.name }}"}
  short: {subject: Short, body: Hi}
deliver:
  - {name: mail, email: {from: lab@tarnvale.example}}
  - {name: shelf, optional: true, folder: {root: shelf}}
"""
MILK = """\
farm_no,region,kind,day,litres
1,North,goat,2026-10-01,100
2,North,cow,2026-10-01,200
3,East,cow,2026-10-01,300
3,East,cow,2026-10-09,310
4,East,cow,2026-10-02,400
4,North,cow,2026-10-02,401
5,,cow,2026-10-03,500
"""
HEAD = ("Name", "Address", "Managers", "Board", "region", "kind", "Format", "Documents", "Message", "Way", "Language",
    "Copy to", "Subject", "File name")  # fmt: skip
INES, OONA = ("Ines", "ines@t.example"), ("Oona", "oona@t.example")


@pytest.fixture
def readers(dairy: Dairy) -> Dairy:
    dairy.write("milk.csv", MILK)
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + "folders: {shelf: {path: shelf}}\n")
    return dairy


def keep(dairy: Dairy, people: Cells, circles: Cells = (), head: Sequence[str] = HEAD) -> None:
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "People"
    for line in (head, *people):
        sheet.append(list(line))
    if circles:
        sheet = book.create_sheet("Circles")
        for line in (("Circle", "Message", "Format", "Documents", "Way", "Copy to"), *circles):
            sheet.append(list(line))
    target = io.BytesIO()
    book.save(target)
    dairy.write("readers.xlsx", target.getvalue())


def packages(dairy: Dairy, *changes: tuple[str, str]) -> dict[str, Any]:
    _, found, _ = dairy.made("regions", JOB, *changes)
    return {key: one for key, one in found.items() if key not in "12345"}


def told(dairy: Dairy) -> list[str]:
    with dairy.tools() as tools:
        return [text for _, text in tools.ledger.run("last").findings if "readers.xlsx" in text]


@pytest.mark.parametrize(
    ("region", "kind", "keys"),
    [
        ("North", "*", "1 2"),
        ("north", "cow", "2"),
        ("North; East", "*", "1 2 3 4"),
        ("*", "cow", "2 3 4 5"),
        ("East", "goat", ""),
        ("all", "goat; cow", "1 2 3 4 5"),
    ],
)
def test_a_line_sees_the_keys_of_which_every_row_is_as_all_of_its_columns_say(
    readers: Dairy, region: str, kind: str, keys: str
) -> None:
    keep(readers, [(*INES, "x", "", region, kind)])
    (package,) = packages(readers).values()
    assert " ".join(package.keys) == keys


def test_what_is_wider_than_the_job_allows_or_cannot_be_meant_is_held_and_told_by_its_cell(readers: Dairy) -> None:
    keep(readers, [
        (*INES, "x", "", "*", "*"), (*OONA, "x", "", "", "cow"), ("Tobias", "t@t.example", "x", "", "> 3", "cow"),
        ("Brid", "b@t.example", "x", "", "Nort", "cow"), ("Marek", "m@t.example", "no", "", "North", "cow"),
        ("Iris", "i@t.example", "x", "", "North", "cow", "pfd", "sum", "shrt", "fax", "klingon", "nobody"),
        ("Colm", "", "x", "", "North", "cow"),
    ])  # fmt: skip
    found = {one.name: (str(one.state), one.reason) for one in packages(readers).values()}
    assert "Marek" not in found
    assert found["Ines"][1].startswith("column 'region': '*' everywhere is all rows, which the job does not allow")
    assert found["Oona"] == ("held", "column 'region': it is empty. Write what the person may see; '*' is every value")
    assert "is a limit, and this column has texts" in found["Tobias"][1]
    assert found["Brid"][0] == "skipped"
    assert found["Iris"][0] == found["Colm"][0] == "held"
    said = told(readers)
    for place, text in {
        "line 2, column 'region'": "'*' everywhere is all rows",
        "line 5, column 'region'": "'Nort' is in no row of the data. Did you mean 'North'?",
        "line 6, column 'Managers'": "'no' is unclear. Put an x",
        "line 7, column 'Format'": "'pfd' is no format of this job",
        "line 7, column 'Documents'": "'sum' is no document of this job. Did you mean 'sums'?",
        "line 7, column 'Message'": "'shrt' is no message of this job. Did you mean 'short'?",
        "line 7, column 'Way'": "'fax' is no way of this job",
        "line 7, column 'Language'": "'klingon' is not a language",
        "line 7, column 'Copy to'": "'nobody' is not an address",
        "line 8, column 'Address'": "there is no address, and it goes by mail",
    }.items():
        assert any(place in one and text in one for one in said), (place, said)


def test_each_line_has_its_own_settings_and_else_those_of_its_circle(readers: Dairy) -> None:
    keep(
        readers,
        [
            (*INES, "x", "", "North", "*", "", "", "", "", "", "", "Your North", "north"),
            (*OONA, 1, "", "East", "*", "xlsx", "days", "", "", "", "", "Your East", "east"),
            ("Tobias", "", "✓", "", "*", "goat", "", "", "", "shelf", "", "", "", "tobias"),
        ],
        [("Managers", "short", "pdf", "sums", "", "office@t.example")],
    )
    found = packages(readers)
    made = {key: ([one.name for one in package.documents], list(package.ways)) for key, package in found.items()}
    assert made == {
        "ines@t.example": (["north.pdf"], ["mail"]),
        "oona@t.example": (["east.xlsx"], ["mail"]),
        "Tobias": (["tobias.pdf"], ["shelf"]),
    }
    mails = {key: [(one.called, list(one.cc)) for one in package.messages] for key, package in found.items()}
    assert mails["ines@t.example"] == [("short", ["office@t.example"])]


def test_one_address_on_two_lines_is_two_packages_or_one_bundle_as_said(readers: Dairy) -> None:
    lines = [(*INES, "x", "", "North", "*", "xlsx"), (*INES, "x", "", "East", "*", "pdf")]
    keep(readers, lines)
    apart = {key: [one.format for one in package.documents][:1] for key, package in packages(readers).items()}
    assert apart == {
        "ines@t.example (region North)": ["xlsx"],
        "ines@t.example (region East)": ["pdf"],
    }
    together = ("sees: [region, kind]}", "sees: [region, kind], bundle: {each: address}}")
    (held,) = packages(readers, together).values()
    assert held.reason == (
        "lines 2 and 3 of readers.xlsx have one address and ask for different formats, documents or messages"
    )
    keep(readers, [line[:6] for line in lines])
    (one,) = packages(readers, together).values()
    assert one.keys == ("1", "2", "3") or set(one.keys) == {"1", "2", "3"}


def test_nobody_in_a_circle_and_a_line_that_sees_nothing_are_told(readers: Dairy) -> None:
    keep(readers, [(*INES, "", "x", "East", "goat")], [("Managers",), ("Drivers",), ("",) * 2 + ("pdf",)])
    packages(readers)
    said = told(readers)
    assert "readers.xlsx, nobody is marked under 'Managers'" in said
    assert any(
        "sheet Circles, line 3" in one and "no column of the sheet People is called 'Drivers'" in one for one in said
    )
    assert any("sheet Circles, line 4" in one and "the circle has no name" in one for one in said)
    packages(readers, ("circle: Managers", "circle: board"))
    assert "readers.xlsx, sheet People, line 2: Ines would get nothing: no row has region East; kind goat" in told(
        readers
    )


@pytest.mark.parametrize(
    ("head", "change", "expected"),
    [
        (HEAD, ("Managers", "Manager"), "no column 'Manager' on the sheet People, under which people are marked"),
        (HEAD, ("[region, kind]", "[region, breed]"), "has no column 'breed'"),
        (("Nam", *HEAD[1:]), ("", ""), "has no column 'Name' on the sheet People"),
        ((*HEAD, "Name"), ("", ""), "has the column 'Name' twice"),
        (HEAD, (", sees: [region, kind]", ""), "a roster needs `sees`"),
        (HEAD, ("circle:", "to: email, circle:"), "`to` is a column of the roster itself"),
    ],
)
def test_a_workbook_that_cannot_be_used_is_a_mistake(
    readers: Dairy, head: Sequence[str], change: tuple[str, str], expected: str
) -> None:
    keep(readers, [(*INES, "x", "", "North", "*")], head=head)
    with pytest.raises(GonnetError) as caught:
        packages(readers, *([change] if change[0] else []))
    assert any(expected in one.what for one in caught.value.mistakes), caught.value.mistakes


@pytest.mark.parametrize(
    ("cell", "kind", "inside", "outside"),
    [
        ("100 .. 200", "number", "100 150.5 200", "99.99 200.01"),
        ("100 to 200", "number", "100 200", "201"),
        ("from 100 to 200", "number", "100", "99"),
        ("> 400", "number", "400.01", "400"),
        ("more than 400", "number", "401", "400"),
        (">= 400", "number", "400", "399"),
        ("at most 4", "number", "4 -1", "4.1"),
        ("2026-10-01 .. 2026-10-31", "date", "2026-10-01 2026-10-31", "2026-11-01"),
        ("less than 2026-10-02", "date", "2026-10-01", "2026-10-02"),
    ],
)
def test_ranges_and_limits(cell: str, kind: str, inside: str, outside: str) -> None:
    wanted = wanted_by(cell, kind)

    def is_in(text: str) -> bool:
        value: Any = Decimal(text) if kind == "number" else dt.date.fromisoformat(text)
        low, high = wanted.low, wanted.high
        above = low is None or value > low[0] or (low[1] and value == low[0])
        return bool(above and (high is None or value < high[0] or (high[1] and value == high[0])))

    assert all(map(is_in, inside.split()))
    assert not any(map(is_in, outside.split()))


@pytest.mark.parametrize(
    ("cell", "kind", "says"),
    [("", "text", "it is empty"), ("20 .. 10", "number", "ends before it begins"), ("> many", "number", "not a number"),
     ("*; North", "text", "stands with other values"), ("31.10.2026", "date", "not a date such as"), ("<b", "text", "is a limit")],
)  # fmt: skip
def test_what_cannot_be_meant(cell: str, kind: str, says: str) -> None:
    with pytest.raises(CannotBeMeantError, match=says):
        wanted_by(cell, kind)


@given(st.text(max_size=12), st.sampled_from(["text", "number", "date"]))
def test_no_cell_widens_by_accident(cell: str, kind: str) -> None:
    try:
        wanted = wanted_by(cell, kind)
    except CannotBeMeantError:
        return
    assert wanted.every == (" ".join(cell.split()) in ("*", "all"))
    assert wanted.every or wanted.values or wanted.low or wanted.high
