"""Reports of one package over different tables, split by the same key: everybody's own rows of each, and all of them."""

from __future__ import annotations

import io
from decimal import Decimal
from pathlib import Path
from typing import Any

import openpyxl
import pytest

from gonnet.errors import GonnetError
from gonnet.ledger import PackageRecord, RunRecord
from gonnet.pipeline.tools import Tools
from support import Dairy

DUES = """\
farm,invoice,owed
117,D1,12.50
00042,D2,7.25
117,D3,80.00
00555,D4,3.10
119,D5,1.75
,D6,9.99
"""
MEMBERS = "00555,Skelgill,skelgill@members.tarnvale.example,\n"
CHANGES = (
    ("  members: {file", "  dues: {file: dues.csv}\n  members: {file"),
    ("by: farm_no}", "by: farm_no, also: {dues: farm}}"),
    (
        "payable: sum(amount)}",
        'payable: "coalesce(sum(amount), 0)", debt: {rows: dues, value: sum(owed)}, bills: BILLS}',
    ),
    ("BILLS", "{rows: dues, value: count(*)}"),
    (
        "package:\n",
        "  dues:\n    title: Dues\n    rows: dues\n    blocks:\n      - table: {columns: COLUMNS}\npackage:\n",
    ),
    ("COLUMNS", "[{field: invoice}, {field: owed, total: sum}]"),
    ("{report: statement, as: pdf}, {report: statement, as: xlsx}", "{report: statement, as: xlsx}, DUES"),
    ("DUES", "{report: dues, as: xlsx}"),
    ("name: idle, when: rows = 0, skip", "name: idle, when: rows = 0 and debt is null, skip"),
)


@pytest.fixture
def farms(dairy: Dairy) -> Dairy:
    dairy.write("dues.csv", DUES)
    dairy.write("members.csv", (dairy.folder / "members.csv").read_text("utf-8") + MEMBERS)
    return dairy


def made(dairy: Dairy, tools: Tools, *changes: tuple[str, str]) -> tuple[RunRecord, dict[str, PackageRecord]]:
    run = dairy.prepared(tools, *CHANGES, *changes)
    return run, dairy.by_key(tools, run)


def invoices(tools: Tools, package: PackageRecord) -> list[str]:
    """The invoices that stand anywhere in the workbooks of a package."""
    cells: list[Any] = []
    for document in package.documents:
        book = openpyxl.load_workbook(io.BytesIO(tools.store.get(document.sha256)))
        cells += [cell.value for page in book for row in page.iter_rows() for cell in row]
    return sorted(cell for cell in cells if isinstance(cell, str) and cell[:1] == "D" and cell[1:].isdigit())


def test_everybody_gets_their_own_rows_of_each_table_and_every_row_is_accounted_for(farms: Dairy) -> None:
    with farms.tools() as tools:
        run, found = made(farms, tools)
        shown = {key: invoices(tools, package) for key, package in found.items() if str(package.state) == "ready"}
        assert shown == {"00042": ["D2"], "00555": ["D4"], "117": ["D1", "D3"], "119": ["D5"]}
        assert {key: package.rows for key, package in found.items()} == {
            "00042": 3,
            "00555": 1,
            "117": 4,
            "118": 1,
            "119": 1,
        }
        account: Any = run.account
        assert (account["read"], account["delivered"], account["withheld"]) == (5, 4, {"rule": 1})
        dues = account["others"]["dues"]
        assert (dues["read"], dues["delivered"], dues["withheld"]) == (6, 5, {"no key": 1})
        (control,) = dues["controls"]
        assert Decimal(control["delivered"]) + Decimal(control["withheld"]) == Decimal(control["whole"])
        assert control["withheld"] == "9.99"
    review = farms.gonnet("review", "last", code=3).stdout
    assert "6 read of dues = 5 to deliver + 1 withheld (1 no key)" in review
    assert "owed of dues: 114.59 read = 104.60 to deliver + 9.99 withheld" in review


def test_figures_of_each_table_stand_side_by_side_in_rules_and_texts(farms: Dairy) -> None:
    rule = "  - {name: owes much, when: debt > litres / 20 and whole.bills = 5, hold: too much}\n"
    text = ("payable: **{{ figures.payable | money }}**", "owed: {{ figures.debt }} of {{ figures.bills }}")
    with farms.tools() as tools:
        _, found = made(farms, tools, ("rules:\n", f"beyond: few farms know each other\nrules:\n{rule}"), text)
        figures = {key: dict(package.figures) for key, package in found.items()}
        assert (figures["117"]["debt"], figures["117"]["bills"], figures["117"]["rows"]) == ("92.50", "2", "2")
        assert (figures["118"]["debt"], figures["118"]["bills"]) == ("", "0")
        assert (figures["00555"]["rows"], figures["00555"]["litres"]) == ("0", "")
        assert found["117"].reason == "too much"
        assert b"owed: 7.25 of 1" in tools.store.get(found["00042"].messages[0].sha256)


def test_rows_that_no_document_shows_are_not_called_delivered(farms: Dairy) -> None:
    drop = ("rules:\n", "rules:\n  - {name: small, when: debt < 10, drop: dues}\n")
    with farms.tools() as tools:
        run, found = made(farms, tools, drop)
        assert [document.report for document in found["00042"].documents] == ["statement"]
        account: Any = run.account
        dues = account["others"]["dues"]
        assert (dues["delivered"], dues["withheld"]) == (2, {"no key": 1, "in no document": 3})


@pytest.mark.parametrize("form", ["as: joined", "as: whole", "as: apart"])
def test_a_bundle_has_the_rows_of_its_keys_in_each_table(farms: Dairy, form: str) -> None:
    lists = (
        "recipients: {rows: members, key: farm_no, name: farm_name, to: email, cc: adviser}",
        "recipients:\n  - {rows: members, where: adviser is not null, key: farm_no, to: adviser, bundle: FORM}",
    )
    with farms.tools() as tools:
        everybody = [(f"name: {rule}, when", f"name: {rule}, for: all, when") for rule in ("idle", "a lot")]
        same = [("Statement of {{ recipient.farm_name }}", "S"), ("Dear {{ recipient.farm_name }}", "Hello")]
        run, found = made(farms, tools, lists, *everybody, ("FORM", f"{{{form}}}"), *same)
        package = found["ines@tarnvale.example"]
        assert (str(package.state), package.rows, package.figures["debt"]) == ("ready", 7, "99.75")
        assert invoices(tools, package) == ["D1", "D2", "D3"]
        account: Any = run.account
        assert account["others"]["dues"]["delivered"] == 3


def test_the_rows_of_one_key_can_be_looked_at_in_each_table(farms: Dairy) -> None:
    farms.job(*CHANGES)
    found = farms.gonnet("rows", "statements", "dues", "--key", "117").stdout
    assert "D3" in found
    assert "D2" not in found


def test_a_run_in_two_processes_gives_the_same_files(farms: Dairy) -> None:
    files = []
    for processes in (1, 2):
        with farms.tools(processes) as tools:
            found = made(farms, tools)[1]
            files.append({key: [part.sha256 for part in package.documents] for key, package in found.items()})
    assert files[0] == files[1]


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (("also: {dues: farm}", "also: {due: farm}"), "there is no data set 'due'"),
        (("also: {dues: farm}", "also: {milk: farm_no}"), "'milk' is the one that is split already"),
        (("also: {dues: farm}", "also: {dues: [farm, invoice]}"), "2 columns here and 1 where the job splits"),
        (("also: {dues: farm}", "also: {dues: nobody}"), "no column 'nobody'"),
        (("    rows: dues\n", "    rows: members\n"), "data set 'members' is not split"),
        (("    rows: dues\n", "    rows: doos\n"), "there is no data set 'doos'"),
        (("debt: {rows: dues", "debt: {rows: doos"), "there is no data set 'doos'"),
        (("{field: invoice}", "{field: litres}"), "data set 'dues' has no column 'litres'"),
        (("value: sum(owed)", "value: sum(litres)"), "figure 'debt' does not run"),
    ],
)
def test_a_table_that_cannot_be_used_is_told_with_its_place(farms: Dairy, change: tuple[str, str], says: str) -> None:
    with farms.tools() as tools, pytest.raises(GonnetError, match=says) as error:
        made(farms, tools, change)
    assert "jobs/statements.yaml:" in str(error.value)


def test_the_review_page_accounts_for_each_table(farms: Dairy, tmp_path: Path) -> None:
    with farms.tools() as tools:
        made(farms, tools)
    farms.gonnet("review", "last", "--html", str(tmp_path / "page.html"), code=None)
    page = (tmp_path / "page.html").read_text("utf-8")
    assert "Rows of dues" in page
    assert "Withheld rows of dues: 1 no key" in page
