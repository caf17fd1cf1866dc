"""The reader of Gonnet's own PDFs finds what PDFium finds, and leaves to PDFium what it does not know."""

from __future__ import annotations

import io
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from reportlab.pdfgen.canvas import Canvas

from gonnet.checks.reading import DrawnReader, drawn_pdf
from gonnet.checks.reading.drawn_pdf import UnfamiliarError, alike, parts_of_drawn
from gonnet.checks.reading.pdf_texts import by_lines, parts_of_pdf
from gonnet.demo.workspace_files import write_workspace
from gonnet.jobs import load_job, load_workspace
from gonnet.jobs.values import Joint
from gonnet.pipeline.prepare import prepare
from gonnet.pipeline.survey import Request
from gonnet.pipeline.tools import open_tools
from gonnet.reports import Painter, draw
from gonnet.reports.fonts import family
from made import LOOK, document
from opened import laid
from support import AS_OF, Dairy


@pytest.mark.parametrize("job", ["gallery", "pack", "board", "notice"])
def test_every_pdf_of_the_demo_is_read_as_pdfium_reads_it(tmp_path: Path, job: str) -> None:
    write_workspace(tmp_path)
    workspace = load_workspace(tmp_path)
    with open_tools(workspace, 1) as tools:
        run = prepare(load_job(workspace, job), tools, Request(as_of=AS_OF, asked={}))
        made = [d.sha256 for package in tools.ledger.packages(run.id) for d in package.documents if d.format == "pdf"]
        assert made
        for data in map(tools.store.get, made[:12]):
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


def page(draw_on: Callable[[Canvas], object]) -> bytes:
    target = io.BytesIO()
    canvas = Canvas(target, invariant=1)
    draw_on(canvas)
    canvas.save()
    return target.getvalue()


def in_a_form(canvas: Canvas) -> None:
    canvas.beginForm("stamp")
    canvas.drawString(10, 10, "Hallbank")
    canvas.endForm()
    canvas.doForm("stamp")


def with_a_box(canvas: Canvas) -> None:
    canvas.acroForm.textfield(value="Hallbank", name="who")
    canvas.showPage()


def test_a_face_that_is_restored_is_not_guessed_at() -> None:
    target = io.BytesIO()
    canvas = family().reduced(frozenset("ab")).canvas(target, invariant=1)
    canvas.addLiteral("BT /GB+0 9 Tf (a) Tj ET q BT /GR+0 9 Tf (b) Tj ET Q BT (a) Tj ET")
    canvas.save()
    with pytest.raises(UnfamiliarError):
        list(parts_of_drawn(target.getvalue()))


@pytest.mark.parametrize(
    "draw_on",
    [
        in_a_form,
        with_a_box,
        lambda canvas: canvas.drawString(10, 10, "Hallbank"),  # in a face that is not embedded
        lambda canvas: canvas.addLiteral("BI /W 1 /H 1 ID x EI"),
        lambda canvas: canvas.setEncrypt("secret"),
    ],
)
def test_what_is_not_known_is_not_guessed_at(draw_on: Callable[[Canvas], object]) -> None:
    data = page(draw_on)
    with pytest.raises(UnfamiliarError):
        list(parts_of_drawn(data))


def test_pdfium_reads_what_is_not_known_and_everything_once_the_two_disagree(
    dairy: Dairy, monkeypatch: pytest.MonkeyPatch
) -> None:
    reader: Any = DrawnReader()
    stamped = page(in_a_form)
    assert list(reader.parts(stamped)) == list(by_lines(parts_of_pdf(stamped)))
    assert reader.trusted
    layout, look = laid(dairy)
    drawn = draw(layout, "pdf", look).data
    assert list(reader.parts(drawn)) == list(parts_of_drawn(drawn))
    monkeypatch.setattr(drawn_pdf, "parts_of_drawn", badly_read)
    assert list(reader.parts(drawn)) == list(by_lines(parts_of_pdf(drawn)))
    assert not reader.trusted
    monkeypatch.undo()
    assert list(reader.parts(drawn)) == list(by_lines(parts_of_pdf(drawn))), "for good"
