"""A folder of files that another system made: each is somebody's, nobody's or everybody's, and none is passed over."""

from __future__ import annotations

import io
import re
import tempfile
import zipfile
from pathlib import Path
from typing import Any

import pypdfium2
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image
from reportlab.lib.utils import ImageReader
from reportlab.pdfgen.canvas import Canvas

from gonnet.arrivals import read_folder
from gonnet.errors import DataError
from gonnet.jobs.arrivals import Folder
from gonnet.ledger import PackageRecord, RunRecord
from support import Dairy

ALONE = """\
title: Letters
data: {members: {file: members.csv}}
arrivals:
  letters: {files: "post/**/*", key: {path: '/(\\d+)[ _./]'}, read: {kind: {path: '_(\\w+)\\.'}}}
recipients: {rows: members, key: farm_no, name: farm_name, to: email}
package: {documents: [{arrival: letters}]}
rules: [{name: none, when: files = 0, skip: no letter}]
messages: {standard: {subject: "{{ figures.files }} letters", body: "A {{ figures.kind }}"}}
deliver: [{email: {from: lab@tarnvale.example}}]
"""


def pdf(*lines: str) -> bytes:
    data = io.BytesIO()
    canvas = Canvas(data, pagesize=(300, 200))
    for line in lines:
        if line == "picture":
            canvas.drawImage(ImageReader(Image.new("RGB", (40, 40), "grey")), 40, 100)
        else:
            canvas.drawString(20, 150, line)
        canvas.showPage()
    canvas.save()
    return data.getvalue()


def prepared(dairy: Dairy, *changes: tuple[str, str]) -> tuple[RunRecord, dict[str, PackageRecord], dict[str, bytes]]:
    """A run of the job that has nothing but the folder: it, its packages, and all files by name."""
    return dairy.made("letters", ALONE, *changes)


def names(packages: dict[str, PackageRecord]) -> dict[str, tuple[str, list[str]]]:
    return {key: (str(one.state), [file.name for file in one.documents]) for key, one in packages.items()}


def test_each_gets_the_files_that_its_key_names_as_they_are(dairy: Dairy) -> None:
    table = io.BytesIO()
    with zipfile.ZipFile(table, "w") as archive:
        archive.writestr("note.txt", "hello")
    dairy.write("post/a/117_plan.pdf", pdf("Plan of the yard"))
    dairy.write("post/b/117_notes.zip", table.getvalue())
    dairy.write("post/00042_invoice.txt", "An invoice\n")
    run, packages, files = prepared(dairy)
    assert names(packages) == {
        "00042": ("ready", ["00042_invoice.txt"]),
        "117": ("ready", ["117_plan.pdf", "117_notes.zip"]),
        "118": ("skipped", []),
        "119": ("skipped", []),
    }
    assert files["117_notes.zip"] == table.getvalue()
    assert [one.pages for one in packages["117"].documents] == [1, None]
    assert (run.account["read"], run.account["delivered"], run.account["withheld"]) == (3, 3, {})
    assert packages["117"].messages[0].subject == "2 letters"
    assert "letters: 3 rows" in dairy.gonnet("rows", "letters").stdout


def test_files_are_somebodys_nobodys_or_everybodys(dairy: Dairy) -> None:
    dairy.write("post/117_plan.txt", "Plan\n")
    dairy.write("post/900_plan.txt", "Plan\n")
    for name in ("terms.txt", "Thumbs.db", "readme.txt"):
        dairy.write(f"post/{name}", "for all\n")
    enclosing = "package: {", "package: {enclose: [post/terms.txt], "
    dairy.write("jobs/letters.yaml", ALONE)
    told = " ".join(dairy.gonnet("prepare", "letters", code=2).stderr.split())
    assert "post/Thumbs.db: the path of this file of 'letters' says no key" in told
    some = "read: {kind", "unmarked: leave out, leave_out: Thumbs, read: {kind"
    run, packages, _ = prepared(dairy, some, enclosing)
    assert names(packages)["117"] == ("ready", ["117_plan.txt", "terms.txt"])
    account: Any = run.account
    assert (account["read"], account["delivered"]) == (4, 1)
    assert account["withheld"] == {"no key": 2, "no recipient": 1}
    said = str(run.findings)
    assert "1 file of 'letters' is nobody's, since the path says no key: post/readme.txt" in said
    assert "1 file of 'letters' is left out" in said
    assert "1 file of 'letters' is everybody's" in said


def test_pdfs_of_a_folder_are_joined_with_reports(dairy: Dairy) -> None:
    for key in ("00042", "117", "118"):
        dairy.write(f"in/{key}_a.pdf", pdf(f"First of {key}", "Second page"))
        dairy.write(
            f"in/{key}_b.pdf" if key != "118" else f"in/{key}_b.txt", pdf("Third page") if key != "118" else "x"
        )
    with dairy.tools() as tools:
        run = dairy.prepared(
            tools,
            ("split:", "arrivals: {letters: {files: 'in/*', key: {path: '(\\d+)_'}}}\nsplit:"),
            ("documents: [", "join: {as: pdf, contents: true}\n  documents: [{arrival: letters, as: pdf}, "),
        )
        packages = dairy.by_key(tools, run)
        joined = packages["00042"].documents[0]
        pages = [page.get_textpage().get_text_range() for page in pypdfium2.PdfDocument(tools.store.get(joined.sha256))]
    found = [
        next(at for at, text in enumerate(pages) if part in text) for part in ("First of 00042", "Second", "Third")
    ]
    assert (joined.pages, found) == (5, [1, 2, 3])
    listed = [line.split()[-1] for line in pages[0].splitlines() if line.startswith(("Letters", "Statement"))]
    assert listed == ["2", "5"], pages[0]
    assert packages["118"].reason.startswith("in/118_b.txt is no PDF, which the job says it is")


@pytest.mark.parametrize("contents", ["", ", contents: true"])
def test_all_files_of_a_key_become_one_where_nothing_else_is_joined(dairy: Dairy, contents: str) -> None:
    for at in (1, 2, 3):
        dairy.write(f"post/117_part{at}.pdf", pdf(f"Part {at}"))
    joined = "package: {documents: [{arrival: letters, as: pdf}], name: '{{ key }}', join: {as: pdf" + contents + "}}"
    run, packages, files = prepared(dairy, ("package: {documents: [{arrival: letters}]}", joined))
    pages = [page.get_textpage().get_text_range() for page in pypdfium2.PdfDocument(files["117.pdf"])]
    assert [at for at in (1, 2, 3) if any(f"Part {at}" in page for page in pages)] == [1, 2, 3]
    assert packages["117"].documents[0].pages == len(pages) == 3 + bool(contents)
    assert (run.account["read"], run.account["delivered"]) == (3, 3)


@pytest.mark.parametrize(
    ("content", "name", "reason"),
    [
        (pdf("hello", "picture"), "117_scan.pdf", "1 of 2 pages of 'letters' is a picture only"),
        (b"\x89PNG\r\n", "117_scan.png", "a part of 'letters' cannot be searched: 117_scan.png: a picture (PNG)"),
    ],
)
def test_what_nobody_can_search_waits_for_a_word(dairy: Dairy, content: bytes, name: str, reason: str) -> None:
    dairy.write(f"post/{name}", content)
    _, packages, _ = prepared(dairy)
    assert (str(packages["117"].state), packages["117"].reason[: len(reason)]) == ("held", reason)
    run, packages, _ = prepared(dairy, ("read: {kind", "pictures: accept, read: {kind"))
    assert str(packages["117"].state) == "ready"
    assert "in files that came for 1 package, first 117" in run.unsearched[-1]


def test_a_file_that_names_somebody_else_is_held(dairy: Dairy) -> None:
    dairy.write("post/117_a.txt", "For farm 00042\n")
    dairy.write("post/118_a.txt", "")
    _, packages, _ = prepared(dairy)
    assert (str(packages["117"].state), "00042" in packages["117"].reason) == ("held", True)
    assert packages["118"].reason == "post/118_a.txt is empty"


PARTS = st.text(st.sampled_from("ab12_ .é"), min_size=1, max_size=4).filter(lambda part: part.strip(". "))


@given(st.sets(st.tuples(PARTS, PARTS).map("/".join), min_size=1, max_size=8), st.sampled_from(["refuse", "leave out"]))
def test_every_file_is_of_one_key_or_of_a_reason(paths: set[str], unmarked: str) -> None:
    spec = Folder.model_validate(
        {"files": "*", "key": {"path": "[12]+"}, "unmarked": unmarked, "leave_out": ["é"], "again": "together"}
    )
    there = {path: set(re.findall("[12]+", path)) for path in paths if "é" not in path}
    with tempfile.TemporaryDirectory() as name:
        files = [Path(name, path) for path in sorted(paths)]
        for path in files:
            path.parent.mkdir(exist_ok=True)
            path.write_text("x")
        try:
            found = read_folder("letters", spec, Path(name), files, set())
        except DataError:
            assert any(len(keys) > 1 or (not keys and unmarked == "refuse") for keys in there.values())
            return
    assert {name: page.key for name, page in zip(found.names, found.pages, strict=True)} == {
        path: next(iter(there.get(path, ())), None) for path in paths
    }
