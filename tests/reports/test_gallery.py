"""The gallery of the demo: every block once, in files that agree with the source, whoever draws them."""

from __future__ import annotations

import csv
import datetime as dt
import io
import itertools
import zipfile
from decimal import Decimal
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

import openpyxl
import pypdfium2
import pytest
from ruamel.yaml import YAML

from gonnet.demo.workspace_files import write_workspace
from gonnet.jobs import load_job, load_workspace
from gonnet.jobs.blocks import Block
from gonnet.ledger import State
from gonnet.pipeline.prepare import prepare
from gonnet.pipeline.survey import Request
from gonnet.pipeline.tools import open_tools

KEYS = ("00116", "00227", "00264")


def prepared(folder: Path, processes: int) -> dict[tuple[str, str], bytes]:
    """Key and format → the bytes of the gallery's document."""
    workspace = load_workspace(folder)
    with open_tools(workspace, processes) as tools:
        request = Request(as_of=dt.date(2026, 11, 5), asked={}, only=KEYS)
        run = prepare(load_job(workspace, "gallery"), tools, request)
        packages = tools.ledger.packages(run.id)
        assert [(package.key, package.state, package.reason) for package in packages] == [
            (key, State.READY, "") for key in KEYS
        ]
        return {(p.key, d.format): tools.store.get(d.sha256) for p in packages for d in p.documents}


class Page(HTMLParser):
    """The cells of a page's tables, and how deep its elements are at the end."""

    def __init__(self, data: bytes) -> None:
        super().__init__()
        self.rows: list[list[str]] = []
        self.open: list[str] = []
        self.feed(data.decode())

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if tag not in ("meta", "br", "img", "rect", "polyline"):
            self.open.append(tag)
        if tag == "tr":
            self.rows.append([])
        if tag in ("td", "th"):
            self.rows[-1].append("")

    def handle_endtag(self, tag: str) -> None:
        if tag not in ("rect", "polyline"):
            assert self.open.pop() == tag

    def handle_data(self, data: str) -> None:
        if self.open and self.open[-1] in ("td", "th"):
            self.rows[-1][-1] += data


@pytest.fixture(scope="module")
def workspace(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("gallery") / "tarnvale"
    write_workspace(folder)
    return folder


@pytest.fixture(scope="module")
def files(workspace: Path) -> dict[tuple[str, str], bytes]:
    return prepared(workspace, 1)


def rows(workspace: Path, key: str) -> list[dict[str, str]]:
    with (workspace / "data" / "collections.csv").open(encoding="utf-8", newline="") as lines:
        found = [row for row in csv.DictReader(lines) if row["farm_no"].strip() == key]
    return [row for row in found if row["collected_on"].startswith("2026-10")]


def section(data: bytes, title: str, which: int = 0) -> list[tuple[Any, ...]]:
    """The rows of a workbook's sheet from a line that begins with `title` to the next empty row."""
    sheet = openpyxl.load_workbook(io.BytesIO(data), data_only=True).active
    assert sheet is not None
    found = list(sheet.iter_rows(values_only=True))
    first = [number for number, row in enumerate(found) if row[0] == title][which]
    return list(itertools.takewhile(lambda row: any(cell is not None for cell in row), found[first:]))


def total(data: bytes, title: str) -> list[Any]:
    """The values of a section's line of totals."""
    line = next(row for row in section(data, title) if row[0] == "Total")
    return [value for value in line if value is not None]


def test_every_kind_of_block_is_in_the_gallery(workspace: Path) -> None:
    job = YAML().load((workspace / "jobs" / "gallery.yaml").read_text("utf-8"))
    used = {name for block in job["reports"]["review"]["blocks"] for name in block}
    assert {next(iter(kind.model_fields.keys() - {"when"} - OPTIONS)) for kind in Block.__args__} <= used
    assert {"when", "columns", "width", "align"} <= used


OPTIONS = {"columns", "alt", "width", "align", "language"}


@pytest.mark.parametrize("key", KEYS)
def test_every_sum_of_the_opened_files_is_the_sources(
    workspace: Path, files: dict[tuple[str, str], bytes], key: str
) -> None:
    source = rows(workspace, key)
    litres, amount = (sum(Decimal(row[name]) for row in source) for name in ("litres", "amount"))
    book = files[key, "xlsx"]
    daily = [row for row in section(book, "Every collection") if isinstance(row[0], dt.datetime)]
    assert (sum(row[2] for row in daily), len(daily)) == (litres, len(source))
    assert sum(Decimal(str(row[6])) for row in daily) == amount == Decimal(str(total(book, "Every collection")[5]))
    assert total(book, "Litres by cell count (thousands)")[-1] == litres
    assert total(book, "Litres by driver and week")[-1] == litres
    assert total(book, "The five dearest collections")[1] == litres
    drivers = section(book, "Driver", -1)[1:]
    assert sum(row[1] for row in drivers) == litres
    page = Page(files[key, "html"])
    assert page.open == []
    assert page.rows[-1][2] == f"{litres:,}"
    assert page.rows[-1][6] == f"{amount:,}"
    assert sum(Decimal(row[6]) for row in page.rows[-len(source) - 5 :] if len(row) == 8 and row[7:] != ["1"] and
               row[0][:3] in ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")) == amount  # fmt: skip
    lines = list(csv.DictReader(files[key, "csv"].decode("utf-8-sig").splitlines()))
    assert [(row["Collected on"], Decimal(row["Amount"])) for row in lines] == [
        (row["collected_on"], Decimal(row["amount"])) for row in source
    ]
    pdf = "".join(page.get_textpage().get_text_bounded() for page in pypdfium2.PdfDocument(files[key, "pdf"]))
    assert pdf.count(f"{litres:,}") >= 4
    assert pdf.count(f"{amount:,}") >= 4


def test_totals_are_formulas_over_the_rows_they_total(files: dict[tuple[str, str], bytes]) -> None:
    sheet = openpyxl.load_workbook(io.BytesIO(files["00116", "xlsx"])).active
    assert sheet is not None
    formulas = [str(cell.value) for row in sheet.iter_rows() for cell in row if cell.data_type == "f"]
    assert {formula.split(",")[0] for formula in formulas} == {
        f"=SUBTOTAL({number}" for number in (9, 1, 4, 3)
    }  # fmt: skip
    assert len({formula.split(",")[1] for formula in formulas}) == len(formulas)


def test_a_workbook_has_native_charts_a_picture_and_a_legal_sheet_name(files: dict[tuple[str, str], bytes]) -> None:
    with zipfile.ZipFile(io.BytesIO(files["00116", "xlsx"])) as book:
        names = book.namelist()
    assert sum(name.startswith("xl/charts/chart") for name in names) == 4
    assert "xl/media/image1.png" in names
    assert openpyxl.load_workbook(io.BytesIO(files["00116", "xlsx"])).sheetnames == ["00116 2026-10"]


def test_two_processes_make_the_same_bytes_as_one(workspace: Path, files: dict[tuple[str, str], bytes]) -> None:
    assert prepared(workspace, 2) == files
