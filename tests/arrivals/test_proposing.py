"""A run is looked at by itself: what says whose its pages are is found, and told from what only looks like it."""

from __future__ import annotations

import re
from pathlib import Path

import pikepdf
import pytest
from reportlab.pdfgen.canvas import Canvas

from gonnet.arrivals.proposing import propose
from gonnet.errors import DataError
from runs import made_by
from support import Dairy

FARMS = ["00042", "117", "00118", "B119"]


def run_of(path: Path, pages: list[list[tuple[int, int, str]]]) -> Path:
    """Pages of texts, each with its place in points from the lower left corner."""
    canvas = Canvas(str(path), pagesize=(400, 300))
    for page in pages:
        for x, y, text in page:
            canvas.drawString(x, y, text)
        canvas.showPage()
    canvas.save()
    return path


def statement(farm: str, page: int, of: int, number: int) -> list[tuple[int, int, str]]:
    """A page with much that looks like a key: a number of its own, dates, amounts, page numbers."""
    head = [(40, 250, f"Farm no. {farm}"), (200, 250, "Date 2026-10-31")] if page == 1 else []
    lines = [(40, 200 - 15 * at, f"Load {at + 1} tank {at % 2 + 1} litres {800 + at}") for at in range(4)]
    return [*head, *lines, (40, 40, f"Sheet {page} of {of}"), (200, 40, f"Print {number}"), (40, 100, "Rate 24")]


def test_a_label_is_found_among_numbers_of_pages_prints_and_loads(tmp_path: Path) -> None:
    pages = [(farm, page, 1 + at % 2) for at, farm in enumerate(FARMS) for page in range(1, 2 + at % 2)]
    path = run_of(tmp_path / "run.pdf", [statement(*page, 9000 + at) for at, page in enumerate(pages)])
    found = propose(path)
    assert found.keys == tuple(FARMS)
    assert (found.unmarked, found.key["text"]) == ("follow", r"Farm\s+no\.\s+([\w/-]+)")
    assert "within" in found.key
    assert found.what.startswith("the word behind 'Farm no.', such as '00042', and pages without it follow")


@pytest.mark.parametrize("program", ["cairo", "chromium", "groff"])
def test_it_is_found_in_the_runs_of_other_programs(tmp_path: Path, program: str) -> None:
    pages = [(farm, said) for farm in FARMS for said in ("fat 4.1", "fat 4.2")]
    found = propose(made_by(program, pages, tmp_path / "run.pdf"))
    assert found.keys == tuple(FARMS)
    assert re.search(str(found.key["text"]), "Farm no. B119")
    assert found.unmarked == "refuse"


def test_bookmarks_come_first_and_a_list_decides(tmp_path: Path) -> None:
    pages = [[(40, 250, f"Print {n}0"), (40, 200, f"for {farm}")] for n, farm in enumerate(["A7", "A8", "A9"], 1)]
    path = run_of(tmp_path / "run.pdf", pages)
    assert propose(path).keys == ("10", "20", "30")  # nothing says which of the two it is
    assert propose(path, {"A8", "A9", "A7"}).keys == ("A7", "A8", "A9")
    with pikepdf.open(path, allow_overwriting_input=True) as pdf:
        with pdf.open_outline() as outline:
            outline.root.extend(pikepdf.OutlineItem(f"Farm A{n} (milk)", n - 7) for n in (7, 8, 9))
        pdf.save(path)
    found = propose(path)
    assert (found.key, found.keys) == ({"bookmark": r"^Farm\ (.+)\ \(milk\)$"}, ("A7", "A8", "A9"))


def test_where_nothing_says_it_that_is_told(tmp_path: Path) -> None:
    path = run_of(tmp_path / "run.pdf", [[(40, 250, "Dear member")], [(40, 250, "Dear member")]])
    with pytest.raises(DataError, match="nothing on these pages says whose they are"):
        propose(path)


def test_new_writes_a_job_that_runs(dairy: Dairy) -> None:
    pages = [(farm, page) for farm in ("00042", "117") for page in (1, 2)]
    run_of(dairy.folder / "lab.pdf", [statement(farm, page, 2, at) for at, (farm, page) in enumerate(pages)])
    said = dairy.gonnet("new", "lab", "--pages", "lab.pdf", "--recipients", "members.csv", "--to", "email").stdout
    assert "cuts 4 pages by 2 keys" in said
    assert "The list's column 'farm_no' knows 2 of the 2 keys." in said
    assert "2 pages without a key would go with the page before" in said
    found = dairy.json("prepare", "lab")
    assert found["states"] == {"ready": 2, "skipped": 2}
    assert "cuts 4 pages by 2 keys" in dairy.gonnet("new", "alone", "--pages", "lab.pdf").stdout
    for words, told in (
        (("--pages", "lab.pdf", "--by", "farm_no"), "--pages goes with --recipients and --to"),
        (("--pages", "milk.csv"), "this is no PDF that can be read"),
        (("--pages", "lab.pdf", "--recipients", "members.csv", "--to", "mail"), "there is no column 'mail'"),
    ):
        assert told in " ".join(dairy.gonnet("new", "other", *words, code=2).stderr.split())
    assert not (dairy.folder / "jobs/other.yaml").exists()
