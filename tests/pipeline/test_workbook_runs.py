"""A workbook that another system made: its rows are figures, and a part goes beside what Gonnet draws."""

from __future__ import annotations

import io
import re
from pathlib import Path
from typing import Any

import openpyxl
import pypdfium2
import pytest
import xlsxwriter

from gonnet.ledger import PackageRecord, RunRecord
from support import RULES, Dairy

ALONE = """\
title: Visits
data: {members: {file: members.csv}}
arrivals:
  visits:
    workbook: in/visits.xlsx
    totals: ^Total
    key: {column: Farm}
    read: {fee: {column: Fee, as: number}, last: {column: Day, as: date}}
recipients: {rows: members, key: farm_no, name: farm_name, to: email}
package: {documents: [{arrival: visits}], name: "{{ key }} visits"}
messages: {standard: {subject: "{{ figures.visits_rows }} visits", body: "{{ figures.fee | money }}, last on {{ figures.last | date }}"}}
deliver: [{email: {from: lab@tarnvale.example}}]
checks: {identifying: [farm_name]}
"""
ROWS = [
    ("00042", 46296, 120.25, "late"),
    ("117", 46297, 80.5, "calving"),
    ("00042", 46298, 60.0, ""),
    ("118", 46299, 9, ""),
]


def visits(folder: Path, note: str = "Visits of the vet", rows: list[tuple[Any, ...]] = ROWS) -> None:
    path = folder / "in/visits.xlsx"
    path.parent.mkdir(exist_ok=True)
    with xlsxwriter.Workbook(str(path)) as book:
        sheet = book.add_worksheet("Visits")
        sheet.write_row(0, 0, ("Farm", "Day", "Fee", "Remark"))
        sheet.set_header(f"&L{note}")
        for at, row in enumerate(rows, 1):
            sheet.write_string(at, 0, row[0])
            sheet.write_row(at, 1, row[1:])
        sheet.write_row(len(rows) + 1, 0, ("Total", "", sum(row[2] for row in rows)))


def prepared(dairy: Dairy, *changes: tuple[str, str]) -> tuple[RunRecord, dict[str, PackageRecord], dict[str, bytes]]:
    """A run of the job that has nothing but the workbook: it, its packages, and all files by name."""
    return dairy.made("visits", ALONE, *changes)


def rows_of(data: bytes) -> list[tuple[Any, ...]]:
    sheet = openpyxl.load_workbook(io.BytesIO(data), data_only=True).worksheets[0]
    return list(sheet.iter_rows(values_only=True))


def test_rows_are_cut_counted_and_told(dairy: Dairy) -> None:
    visits(dairy.folder)
    run, packages, files = prepared(dairy)
    assert {key: (str(one.state), one.figures["fee"], one.figures["last"]) for key, one in packages.items() if one.documents} == {
        "00042": ("ready", "180.25", "2026-10-03"), "117": ("ready", "80.50", "2026-10-02"), "118": ("ready", "9.00", "2026-10-04"),
    }  # fmt: skip
    assert [row[2] for row in rows_of(files["00042 visits.xlsx"])] == ["Fee", 120.25, 60, 180.25]
    assert (run.account["read"], run.account["delivered"], run.account["withheld"]) == (4, 4, {})
    assert packages["117"].messages[0].subject == "1 visits"


def test_a_note_for_all_that_names_somebody_holds_the_others(dairy: Dairy) -> None:
    visits(dairy.folder, note="As agreed with Hallbank")
    _, packages, _ = prepared(dairy)
    assert {key: str(packages[key].state) for key in ("00042", "117", "118")} == {
        "00042": "held", "117": "held", "118": "ready",
    }  # fmt: skip


def test_a_control_figure_stops_the_run(dairy: Dairy) -> None:
    visits(dairy.folder)
    dairy.write(
        "jobs/visits.yaml", ALONE.replace("    read:", "    expect: {total: {column: fee, is: 270}}\n    read:")
    )
    assert "fee must add up to 270, it adds up to 269.75" in dairy.gonnet("prepare", "visits", code=2).stderr


@pytest.mark.parametrize(("join", "count"), [("", 3), ("  join: {}\n", 3)])
def test_its_parts_stand_beside_reports_and_are_not_joined_with_them(dairy: Dairy, join: str, count: int) -> None:
    visits(dairy.folder)
    with dairy.tools() as tools:
        run = dairy.prepared(
            tools,
            ("split:", "arrivals: {visits: {workbook: in/visits.xlsx, totals: ^Total, key: {column: Farm}}}\nsplit:"),
            ("  documents: [", f"{join}  documents: [{{arrival: visits, file: '{{{{ key }}}} visits'}}, "),
            (RULES, "  - {name: few, when: visits_rows < 2, drop: visits}\n"),
        )
        packages = dairy.by_key(tools, run)
        assert len(packages["00042"].documents) == count
        first = packages["00042"].documents[0]
        assert (first.name, [row[0] for row in rows_of(tools.store.get(first.sha256))][-1]) == (
            "00042 visits.xlsx",
            "Total",
        )
    assert len(packages["117"].documents) == count - 1
    account: Any = run.account
    other = account["others"]["visits"]
    assert (other["read"], other["delivered"], sum(other["withheld"].values())) == (4, 2, 2)


def test_the_same_workbook_gives_the_same_bytes(dairy: Dairy) -> None:
    visits(dairy.folder)
    _, _, files = prepared(dairy)
    assert prepared(dairy)[2] == files


def test_a_part_is_drawn_and_joined_with_reports(dairy: Dairy) -> None:
    visits(dairy.folder, rows=[("00042", 46296 + at, at + 0.5, f"visit {at}") for at in range(70)])
    with dairy.tools() as tools:
        run = dairy.prepared(
            tools,
            ("split:", "arrivals: {visits: {workbook: in/visits.xlsx, totals: ^Total, key: {column: Farm}}}\nsplit:"),
            ("  documents: [", "  join: {as: pdf, contents: true}\n  documents: [{arrival: visits, as: pdf}, "),
        )
        document = dairy.by_key(tools, run)["00042"].documents[0]
        data = tools.store.get(document.sha256)
    pages = [page.get_textpage().get_text_range() for page in pypdfium2.PdfDocument(data)]
    assert document.pages == len(pages) == 4
    seen = " ".join(" ".join(pages[1:3]).split())
    assert re.findall(r"visit (\d+)", seen) == [str(at) for at in range(70)]
    assert "Total" in seen
    assert "2450" in seen


def test_what_a_drawn_part_says_of_others_holds_it(dairy: Dairy) -> None:
    visits(dairy.folder, note="As agreed with Hallbank")
    _, packages, _ = prepared(dairy, ("{arrival: visits}", "{arrival: visits, as: pdf}"))
    assert {key: str(packages[key].state) for key in ("00042", "118")} == {"00042": "held", "118": "ready"}
    assert "Hallbank" in packages["00042"].reason
