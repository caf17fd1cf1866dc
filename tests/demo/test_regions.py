"""The list that people keep: the demo's own, one to fill in and read back, mistakes told cell by cell."""

from __future__ import annotations

import shutil
from pathlib import Path

import openpyxl
import pytest

from gonnet.demo.workspace_files import write_workspace
from opened import saved_again
from support import Dairy


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Dairy:
    folder = tmp_path_factory.mktemp("demo") / "tarnvale"
    return Dairy(folder, write_workspace(folder))


def test_one_line_a_person_says_which_documents_file_names_and_rows(demo: Dairy) -> None:
    (found,) = demo.json("check", "regions", "--list")
    assert [(one["line"], one["name"], one["rows"], one["documents"]) for one in found["readers"]] == [
        (2, "Jonas Lund", 12, ["Upper Tarn.pdf"]),
        (3, "Hana Graham", 24, ["Milk 2026-10.xlsx"]),
        (4, "Ines Calloway", 16, ["My farms.pdf", "My farms.xlsx"]),
        (5, "Ines Calloway", 11, ["Skerrow.pdf"]),
    ]
    assert found["findings"] == []
    assert "region Lower Vale; Eastmoor" in demo.gonnet("check", "regions", "--list").stdout


def fill(path: Path, **cells: str) -> None:
    """One line in the sheet of people, by headings."""
    book = openpyxl.load_workbook(path)
    sheet = book["People"]
    head = {str(cell.value): at for at, cell in enumerate(sheet[1], 1)}
    for heading, text in cells.items():
        sheet.cell(row=2, column=head[heading.replace("_", " ")], value=text)
    book.save(path)


@pytest.mark.parametrize("program", ["openpyxl", "LibreOffice"])
def test_what_was_written_to_fill_in_is_filled_in_and_read(demo: Dairy, program: str) -> None:
    name = f"data/{program}.xlsx"
    told = demo.gonnet("new", "board", "--list", name).stdout
    said = next(line for line in told.splitlines() if line.startswith("The job says: ")).partition(": ")[2]
    assert said == f"recipients: {{roster: {name}, circle: Board, sees: [region, adviser]}}"
    fill(
        demo.folder / name,
        Name="Brid",
        Address="brid@t.example",
        Board="x",
        region="Eastmoor",
        adviser="*",
        Format="pdf",
    )
    if program == "LibreOffice":
        if shutil.which("soffice") is None:
            pytest.skip("LibreOffice is not installed")
        saved_again(demo.folder / name, "xlsx").replace(demo.folder / name)
    demo.write(f"jobs/{program.lower()}.yaml", f"like: board\n{said}\ncalendar: []\n")
    (found,) = demo.json("check", program.lower(), "--list")
    ((reader),) = found["readers"]
    assert (reader["line"], reader["sees"], reader["state"]) == (2, ["region Eastmoor, 12 keys with rows"], "ready")
    assert [one.rpartition(".")[2] for one in reader["documents"]] == ["pdf"]
    assert found["findings"] == []


def test_mistakes_are_told_by_sheet_line_and_column(demo: Dairy) -> None:
    demo.gonnet("new", "board", "--list", "data/wrong.xlsx")
    fill(demo.folder / "data/wrong.xlsx", Name="Brid", Board="x", region="Eastmor", Format="pfd")
    job = "like: board\nrecipients: {roster: data/wrong.xlsx, circle: Board, sees: [region, adviser]}\ncalendar: []\n"
    demo.write("jobs/wrong.yaml", job)
    told = demo.gonnet("check", "wrong", "--list", code=3).stdout
    for text in (
        "wrong.xlsx, sheet People, line 2, column 'Format': 'pfd' is no format of this job. Did you mean 'pdf'?",
        "wrong.xlsx, sheet People, line 2, column 'adviser': it is empty. Write what the person may see",
        "wrong.xlsx, sheet People, line 2, column 'Address': there is no address, and it goes by mail",
    ):
        assert text in " ".join(told.split())
    assert "no list of this job is a workbook" in demo.gonnet("check", "board", "--list", code=2).stderr
    assert "this file is there already" in demo.gonnet("new", "--list", "data/wrong.xlsx", code=2).stderr
