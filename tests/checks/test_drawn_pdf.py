"""The reader of Gonnet's own PDFs finds what PDFium finds, and leaves to PDFium what it does not know."""

from __future__ import annotations

import io
import zlib
from decimal import Decimal
from pathlib import Path
from typing import Any

import pikepdf
import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from reportlab.pdfgen.canvas import Canvas

from gonnet.checks.reading import DrawnReader, drawn_content, drawn_pdf
from gonnet.checks.reading.drawn_content import UnfamiliarError
from gonnet.checks.reading.drawn_pdf import alike, parts_of_drawn
from gonnet.checks.reading.pdf_texts import by_lines, parts_of_pdf
from gonnet.demo.workspace_files import write_workspace
from gonnet.jobs import load_job, load_workspace
from gonnet.jobs.values import Joint
from gonnet.pipeline.prepare import prepare
from gonnet.pipeline.survey import Request
from gonnet.pipeline.tools import open_tools
from gonnet.reports import Painter, draw
from gonnet.reports.fonts import BOLD, REGULAR, family
from gonnet.reports.pdf.file import PdfFile
from gonnet.reports.pdf.metadata import About
from made import LOOK, document
from opened import laid
from support import AS_OF, Dairy

SOME = ("00079", "00375", "00893", "01263", "01337", "01707", "B129")


@pytest.mark.parametrize(("job", "only"), [("gallery", SOME), ("pack", SOME), ("board", ()), ("notice", SOME)])
def test_the_pdfs_of_the_demo_are_read_as_pdfium_reads_them(tmp_path: Path, job: str, only: tuple[str, ...]) -> None:
    write_workspace(tmp_path)
    workspace = load_workspace(tmp_path)
    with open_tools(workspace, 1) as tools:
        run = prepare(load_job(workspace, job), tools, Request(as_of=AS_OF, asked={}, only=only))
        made = [d.sha256 for package in tools.ledger.packages(run.id) for d in package.documents if d.format == "pdf"]
        assert made
        for data in map(tools.store.get, made):
            assert alike(list(parts_of_drawn(data)), list(parts_of_pdf(data)))


def badly_read(data: bytes) -> list[tuple[str, tuple[str, ...]]]:
    return [(place, tuple(text[3:] for text in texts)) for place, texts in parts_of_pdf(data)]


def test_a_run_says_that_the_two_readers_disagreed(dairy: Dairy, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(drawn_pdf, "parts_of_drawn", badly_read)
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
    told = [text for weight, text in run.findings if weight == "attention" and "two readers" in text]
    assert len(told) == 1, "once for each process"
    assert "in the PDF of 00042" in told[0]


SIGNS = st.text(st.sampled_from("ab 12()\\<>[]/%.,-ŁąéΩЖ€Š–’ﬁſ"), min_size=1, max_size=60).filter(str.strip)


@given(st.lists(SIGNS, min_size=1, max_size=4))
@example([">> stream (a) Tj ET", "stream endstream endobj"])
@example(["/Parent 1 0 R /Title (b)"])
@example(["\\051 /Title (x)", "a" * 400])
def test_nothing_is_missed_whatever_stands_in_a_document(words: list[str]) -> None:
    layout = document(words, [Decimal(1)] * len(words))
    data = Painter(LOOK).draw(layout, "pdf", joined=(layout,), joint=Joint(contents=True)).data
    found = list(parts_of_drawn(data))
    assert alike(found, list(parts_of_pdf(data)))
    said = ["".join("".join(texts).split()) for _, texts in found]
    assert all("".join(word.split()) in "".join(said[2:]) for word in words)
    assert "".join(words[0].split()) in said[0], "the title stands in the properties"
    assert said[1].count("".join(words[0].split())) >= 2, "and in the bookmarks"


def page(operators: str) -> bytes:
    file = PdfFile(family().reduced(frozenset("ab")), (REGULAR, BOLD))
    file.begin_page(100, 100)
    file.put(operators)
    return file.finish(About(title="a", author="b"))


def stamped() -> bytes:
    target = io.BytesIO()
    canvas = Canvas(target, invariant=1)
    canvas.beginForm("stamp")
    canvas.drawString(10, 10, "Hallbank")
    canvas.endForm()
    canvas.doForm("stamp")
    canvas.save()
    return target.getvalue()


def saved_again(encryption: pikepdf.Encryption | bool = False) -> bytes:
    target = io.BytesIO()
    with pikepdf.open(io.BytesIO(page(SHOWN))) as file:
        file.save(target, encryption=encryption)
    return target.getvalue()


SHOWN = "BT /GR+0 9 Tf (a) Tj ET"


FACES = {
    name: drawn_content.Face(zlib.compress(b"<41> <%s>\n<42> <0078>" % code))
    for name, code in ((b"GR+0", b"0061"), (b"GB+0", b"0041"))
}
CELLS = [b"[-1.5(A)2]TJ", b"[-36.0(ABBA)38.0]TJ", b"EMC", b"/TD <</MCID 7>> BDC", b"0 -15.78 Td", b"S"]
OTHERS = [
    b"BT /GB+0 9 Tf 5 7 Td",
    b"/GR+0 9 Tf",
    b"(A) Tj",
    b"(A) Tj T* (B) Tj",
    b"ET",
    b"Q",
    b"q",
    b"[(A)-20(B)]TJ",
    b"<41> Tj",
]
OTHERS += [
    b"/GB+0 9 Tf",
    b"0 -9 Td",
    b"/Artifact BMC",
    b"0 9 m 4 9 l",
    b"[(\\101)]TJ",
    b"[()]TJ",
    b"",
    b"(A",
    b"B) Tj",
    b"sh",
    b"[-1.5(C)2]TJ",
]


TABLE = st.lists(st.sampled_from(CELLS), min_size=9, max_size=12)


@example([CELLS[:1] * 10, [b"0 -9 Td", b"(A) Tj"]])
@given(st.lists(TABLE | st.sampled_from(OTHERS).map(lambda line: [line]), max_size=9))
def test_read_line_by_line_a_content_says_what_it_says_as_a_whole(pieces: list[list[bytes]]) -> None:
    content = b"\n".join([b"/GR+0 8 Tf", *(line for piece in pieces for line in piece)])
    try:
        expected = "".join(drawn_content._Strings(FACES).of(content))
    except UnfamiliarError:
        with pytest.raises(UnfamiliarError):
            drawn_content.shown(content, FACES)
        return
    if b"(A\n" not in content and not content.endswith(b"(A"):  # a string in two lines: PDFium reads it
        assert drawn_content.shown(content, FACES) == expected


@pytest.mark.parametrize(
    "data",
    [
        pytest.param(page(f"BT /GB+0 9 Tf (a) Tj ET q {SHOWN} Q BT (a) Tj ET"), id="a face that is restored"),
        pytest.param(page("BT /GX+0 9 Tf (a) Tj ET"), id="a face that is not embedded"),
        pytest.param(page(f"{SHOWN} BI /W 1 /H 1 ID x EI"), id="an operator"),
        pytest.param(page(f"/Span <</ActualText (b)>> BDC {SHOWN} EMC"), id="what is said in place of a text"),
        pytest.param(page(SHOWN).replace(b"/W[1 4 2]", b"/W[1 3 3]"), id="a table of another form"),
        pytest.param(stamped(), id="another writer"),
        pytest.param(saved_again(), id="saved again"),
        pytest.param(saved_again(encryption=pikepdf.Encryption(owner="secret", user="")), id="locked"),
    ],
)
def test_what_is_not_known_is_not_guessed_at(data: bytes) -> None:
    assert list(parts_of_drawn(page(SHOWN)))[-1] == ("page 1", ("", "a"))
    with pytest.raises(UnfamiliarError):
        list(parts_of_drawn(data))


def test_pdfium_reads_what_is_not_known_and_everything_once_the_two_disagree(
    dairy: Dairy, monkeypatch: pytest.MonkeyPatch
) -> None:
    reader: Any = DrawnReader()
    other = stamped()
    assert list(reader.parts(other)) == list(by_lines(parts_of_pdf(other)))
    assert reader.trusted
    layout, look = laid(dairy)
    drawn = draw(layout, "pdf", look).data
    assert list(reader.parts(drawn)) == list(parts_of_drawn(drawn))
    monkeypatch.setattr(drawn_pdf, "parts_of_drawn", badly_read)
    assert list(reader.parts(drawn)) == list(by_lines(parts_of_pdf(drawn)))
    assert not reader.trusted
    monkeypatch.undo()
    assert list(reader.parts(drawn)) == list(by_lines(parts_of_pdf(drawn))), "for good"
