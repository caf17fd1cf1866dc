"""PDFs that can be read aloud and archived: what a screen reader hears is what stands there, and no claim is false."""

from __future__ import annotations

import io
import re
import zipfile
from dataclasses import replace
from decimal import Decimal
from pathlib import Path

import outloud
import pikepdf
import pypdfium2
import pytest

from gonnet.checks.reading.drawn_pdf import alike, parts_of_drawn
from gonnet.checks.reading.pdf_texts import FIGURES, parts_of_pdf
from gonnet.demo.workspace_files import write_workspace
from gonnet.jobs import load_job, load_workspace
from gonnet.jobs.values import Joint
from gonnet.pipeline.prepare import prepare
from gonnet.pipeline.survey import Request
from gonnet.pipeline.tools import open_tools
from gonnet.reports import Painter, draw
from gonnet.reports.pdf.structure import CELL, Element, Tags
from gonnet.reports.plain import plain_text
from made import LOOK, document
from opened import laid, many_rows, unpacked
from read_aloud import archived, claims, heard
from support import AS_OF, Dairy

BLOCKS = """\
      - heading: Your milk
      - facts: {"Farm": "{{ key }}", "Litres": "{{ figures.litres | number }}", "Long": "a b c d e f"}
        columns: 2
      - text: |
          Dear all, **this** is *a letter* that goes on for more than one line, since it says a lot, see
          [the rules](https://tarnvale.example/rules) for the rest of what there is to say about all of it.

          - one
          - two
            1. two and one

          The end.
      - chart: {kind: bars, over: day, series: {value: litres}, title: By day, alt: Litres of each day}
      - table:
          title: Every collection
          columns: [{field: day}, {field: litres, total: sum}, {field: amount, total: sum}, {field: remark}]
"""
TEXT_BLOCK = '      - text: "Collected in October."\n'


def words(text: str) -> list[str]:
    return text.split()


def test_what_is_heard_is_the_plain_text_in_its_order(dairy: Dairy) -> None:
    many_rows(dairy, 130, "with a remark that needs more than one line of its column")
    layout, look = laid(dairy, "117", (TEXT_BLOCK, BLOCKS))
    made = draw(layout, "pdf", look)
    assert (made.pages or 0) > 3
    tree = heard(made.data)
    plain = re.sub(r"^-[- ]+$|\(https://\S+\)", "", plain_text(layout), flags=re.MULTILINE)
    (figure,) = tree.all("Figure")
    assert figure.alternative.startswith("Litres of each day. Litres: 1 Oct 2026 310, 2 Oct 2026 315, ")
    figure.alternative = "Litres of each day"
    assert words(tree.said()) == words(f"{layout.title} {plain}")
    assert [kid.kind for kid in tree.kids] == ["H1", "L", "H2", "L", "P", "L", "P", "Figure", "Table", "Table"]
    (link,) = tree.all("Link")
    assert link.said() == "the rules"
    lists = list(tree.all("L"))
    assert [len([kid for kid in one.kids if kid.kind == "LI"]) for one in lists] == [2, 3, 2, 1]


ONLY_POLISH = """\
      - heading: {pl: Mleko}
      - text: {pl: "Dziękujemy. [Zasady](https://tarnvale.example/z)", de: Danke.}
      - {text: "- Go raibh maith agat", language: ga}
      - {text: "Thank you.", language: en-GB}
      - chart: {kind: bars, over: day, series: {value: litres}, title: {pl: Dni}, alt: {pl: Litry}}
      - table: {title: {pl: Wszystko}, columns: [{field: day}]}
"""
FOREIGN = [("pl", "Mleko"), ("pl", "Dziękujemy. Zasady"), ("ga", "• Go raibh maith agat")]


def test_passages_in_another_language_say_which(dairy: Dairy) -> None:
    layout, look = laid(dairy, "117", (TEXT_BLOCK, ONLY_POLISH))
    tree = heard(draw(layout, "pdf", look).data)
    said = [(language, text) for language, text in tree.foreign() if not text.startswith("[")]
    assert said == [*FOREIGN, ("pl", "Wszystko")]
    (figure,) = tree.all("Figure")
    assert (figure.language, figure.kids[0].said(), figure.kids[0].language) == ("pl", "Dni", "pl")
    page = draw(layout, "html", look).data.decode()
    assert re.findall(r'<(\w+) lang="(\w\w)" dir="ltr">', page) == [
        ("h2", "pl"), ("div", "pl"), ("div", "ga"), ("figcaption", "pl"), ("caption", "pl"),
    ]  # fmt: skip
    with zipfile.ZipFile(io.BytesIO(draw(layout, "docx", look).data)) as parts:
        letter = parts.read("word/document.xml").decode()
    assert re.findall(r'<w:lang w:val="(\w+)"/>', letter) == ["pl", "pl", "pl", "ga", "ga"]
    with dairy.tools() as tools:
        package = dairy.by_key(tools, dairy.prepared(tools, ("    body: |", "    body:\n     pl: |")))["117"]
        assert b'<html lang=3D"pl"' in tools.store.get(package.messages[0].sha256)


def test_every_number_of_a_table_stands_under_its_heads(dairy: Dairy) -> None:
    many_rows(dairy, 130)
    layout, look = laid(dairy, "117", (TEXT_BLOCK, BLOCKS))
    table, shown = next(heard(draw(layout, "pdf", look).data).all("Table")), next(layout.tables())
    heads, *rows = table.rows()
    assert table.kids[0].kind == "Caption"
    assert [head.said() for head in heads] == [column.label for column in shown.columns]
    assert {head.scope for head in heads} == {"Column"}
    assert {len(row) for row in rows} == {len(heads)}, "heads that are repeated on each page are no rows"
    *body, total = rows
    assert [[cell.said() for cell in row] for row in body] == [list(row) for row in zip(*shown.texts, strict=True)]
    assert [cell.said() for cell in total][1:3] == list(shown.totals[0].texts[1:3])
    assert (total[0].kind, total[0].scope) == ("TH", "Row")


SOME = ("00079", "00375", "00893", "01263", "01337", "01707", "B129")
"""Farms that read in English, Polish and German, with and without dues."""
JOBS = {
    "advisers": SOME, "board": (), "gallery": SOME, "notice": SOME, "pack": SOME, "regions": (), "reminders": SOME,
    "statements": SOME, "tank_checks": (),
}  # fmt: skip


def of_the_demo(folder: Path) -> list[Path]:
    """PDFs of each job of the demo, in every language."""
    write_workspace(folder)
    workspace, made = load_workspace(folder), []
    with open_tools(workspace, 1) as tools:
        for job, only in JOBS.items():
            run = prepare(load_job(workspace, job), tools, Request(as_of=AS_OF, asked={}, only=only))
            for package in tools.ledger.packages(run.id):
                for record in (record for record in package.documents if record.format == "pdf"):
                    made.append(folder / f"{job}-{package.key.replace('/', '-')}-{record.report}.pdf")
                    made[-1].write_bytes(tools.store.get(record.sha256))
    assert len(made) > 40
    return made


@pytest.mark.takes_long
def test_every_kind_of_pdf_of_the_demo_can_be_read_aloud_and_archived(tmp_path: Path) -> None:
    languages = set()
    for path in of_the_demo(tmp_path):
        result = outloud.check(str(path))
        # What is said of a chart has its numbers, and so more digits than a sentence usually has (FIG-012).
        doubts = [found for found in result.findings if found.severity != "info" and found.rule != "FIG-012"]
        assert (doubts, result.error) == ([], None), path.name
        assert claims(path.read_bytes()) == ["A-2B", "UA-1"]
        assert archived(path.read_bytes()) == [], path.name
        languages |= set(re.findall(rb"/Lang \((\S+)\)", unpacked(path.read_bytes())))
    assert {language[:2] for language in languages} == {b"en", b"pl", b"de", b"fr"}


def test_a_pack_of_many_parts_has_contents_and_bookmarks_that_lead_to_each(tmp_path: Path) -> None:
    layout = document(["a"], [Decimal(1)])
    labelled = [replace(layout, label=f"Part {number}") for number in range(70)]
    drawn = Painter(LOOK).draw(labelled[0], "pdf", joined=labelled[1:], joint=Joint(contents=True))
    (contents,) = (tree := heard(drawn.data)).all("TOC")
    assert [kid.kind for kid in contents.kids] == ["Caption", *["TOCI"] * 70]
    assert [kid.said() for kid in contents.kids[1:]] == [f"Part {n} {drawn.starts[n] + 1}" for n in range(70)]
    assert [kid.kind for kid in tree.kids] == ["TOC", *["Sect"] * 70]
    outline = [
        (entry.level, entry.get_title(), entry.get_dest()) for entry in pypdfium2.PdfDocument(drawn.data).get_toc()
    ]
    parts = [(title, dest and dest.get_index()) for level, title, dest in outline if level == 0]
    assert parts == [(f"Part {n}", drawn.starts[n]) for n in range(70)]
    assert len(outline) == 4 * 70, "and the heading, the chart and the table of each"
    (tmp_path / "pack.pdf").write_bytes(drawn.data)
    assert outloud.check(str(tmp_path / "pack.pdf")).errors == 0


def test_a_page_with_more_cells_than_are_prepared_for_is_marked_all_the_same() -> None:
    tags, table = Tags(on=True), Element("Table")
    tags.begin_page()
    shown = [tags.row(table, (CELL,) * 9, [*["x\n"] * 8, ""]) for _ in range(600)]
    assert re.findall(r"MCID (\d+)>>", "".join(shown)) == [str(number) for number in range(600 * 8)]


@pytest.mark.parametrize("word", ["CLAIMS & LANGUAGE", "AUTHOR</rdf:li>", "MADE_BY TITLE", "/Alt<4142> /Alt(x)"])
def test_a_title_is_a_title_whatever_it_says(word: str) -> None:
    data = Painter(LOOK).draw(document([word], [Decimal(1)]), "pdf").data
    with pikepdf.open(io.BytesIO(data)) as file, file.open_metadata() as told:
        assert told["dc:title"] == word
    assert claims(data) == ["A-2B", "UA-1"]
    assert alike(list(parts_of_drawn(data)), list(parts_of_pdf(data)))
    assert dict(parts_of_drawn(data))[FIGURES][0].startswith(word)


def test_nothing_is_claimed_that_does_not_hold() -> None:
    layout = document(["a"], [Decimal(1)])
    pages = replace(layout, blocks=(), inserted=((200.0, 300.0),))
    plain = Painter(replace(LOOK, style=LOOK.style.model_copy(update={"pdf": "plain"})))
    painter, joint = Painter(LOOK), Joint(contents=True)
    assert claims(painter.draw(layout, "pdf").data) == ["A-2B", "UA-1"]
    assert claims(painter.draw(layout, "pdf", joined=(layout,), joint=joint).data) == ["A-2B", "UA-1"]
    assert claims(painter.draw(layout, "pdf", is_locked=True).data) == ["UA-1"]
    assert claims(painter.draw(layout, "pdf", joined=(pages,), joint=joint).data) == []
    untagged = plain.draw(layout, "pdf").data
    assert claims(untagged) == []
    assert b"/StructTreeRoot" not in unpacked(untagged)
    assert b"BDC" not in unpacked(untagged)


def test_a_document_that_is_locked_says_nothing_of_the_archive(dairy: Dairy) -> None:
    change = ("as: pdf}", "as: pdf, password: {open: '{{ recipient.farm_name }} {{ key }} x'}}")
    with dairy.tools() as tools:
        package = dairy.by_key(tools, dairy.prepared(tools, change))["117"]
        data = tools.store.get(package.documents[0].sha256)
    with pikepdf.open(io.BytesIO(data), password="Łąka Górna 117 x") as file:
        told = file.Root.Metadata.read_bytes()
    assert b"pdfuaid:part" in told
    assert b"pdfaid:part" not in told
