"""Reports as text documents that are edited further: another program finds all of it, as what it is."""

from __future__ import annotations

import io
import re
from pathlib import Path
from typing import Any

import docx
import pytest

from gonnet.errors import JobError
from gonnet.reports import draw
from gonnet.reports.plain import plain_text
from opened import laid, many_rows, saved_again
from support import Dairy

BLOCKS = """\
      - heading: Your milk
      - facts: {"Farm": "{{ key }}", "Litres": "{{ figures.litres | number }}"}
      - text: |
          Dear all, **this** is *a letter*, see [the rules](https://tarnvale.example/rules).

          - one
          - two
      - chart: {kind: bars, over: day, series: {value: litres}, title: By day, alt: Litres of each day}
      - new_page: true
      - table:
          title: Every collection
          group: [{by: remark}]
          columns: [{field: day}, {field: litres, total: sum}, {field: amount, total: sum}]
"""
TEXT_BLOCK = '      - text: "Collected in October."\n'
AS_DOCX = ("[{report: statement, as: pdf}, {report: statement, as: xlsx}]", "[{report: statement, as: docx}]")


def test_another_program_finds_all_of_it_in_its_order(dairy: Dairy, tmp_path: Path) -> None:
    many_rows(dairy, 60, "<&> =1+1")
    layout, look = laid(dairy, "117", (TEXT_BLOCK, BLOCKS))
    made = draw(layout, "docx", look).data
    assert draw(layout, "docx", look).data == made, "the same layout gives the same bytes"
    (tmp_path / "made.docx").write_bytes(made)
    text = saved_again(tmp_path / "made.docx", "txt:Text (encoded):UTF8").read_text("utf-8-sig")
    plain = re.sub(r"^-[- ]+$|\(https://\S+\)|\[Litres of each day\]", "", plain_text(layout), flags=re.MULTILINE)
    assert text.replace("By day", "").split() == f"{layout.title} {plain}".split()


def test_headings_heads_alternative_texts_and_links_are_what_they_are(dairy: Dairy) -> None:
    layout, look = laid(dairy, "117", (TEXT_BLOCK, BLOCKS))
    made: Any = docx.Document(io.BytesIO(draw(layout, "docx", look).data))
    styled = [(part.style.name, part.text) for part in made.paragraphs if part.style.name != "Normal"]
    assert styled[:2] == [("Heading 1", "Statement of Łąka Górna"), ("Heading 2", "Your milk")]
    assert ("Caption", "Every collection") in styled
    table = made.tables[2]
    assert table.rows[0]._tr.trPr.xpath("w:tblHeader")
    assert [cell.text for cell in table.rows[0].cells] == ["Day", "Litres", "Amount"]
    assert [cell.text for cell in table.rows[-1].cells][1:] == ["1590", "780.51"]
    (shape,) = made.inline_shapes
    assert shape._inline.docPr.get("descr").startswith("Litres of each day. Litres: 1 Oct 2026 800")
    assert [link.address for part in made.paragraphs for link in part.hyperlinks] == ["https://tarnvale.example/rules"]
    properties = made.core_properties
    assert (properties.title, properties.author) == ("Statement of Łąka Górna", "Tarnvale Dairy Cooperative")
    assert made.sections[0].page_width.pt == pytest.approx(layout.page.width, abs=0.1)


def test_it_is_searched_like_any_document_and_nobody_is_held_in_vain(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        found = dairy.by_key(tools, dairy.prepared(tools, AS_DOCX, (TEXT_BLOCK, BLOCKS)))
        assert {key: str(found[key].state) for key in ("00042", "117")} == {"00042": "ready", "117": "ready"}
        (made,) = found["117"].documents
        assert (made.name, made.format, made.rows) == ("117 statement.docx", "docx", 2)
    dairy.write("milk.csv", (dairy.folder / "milk.csv").read_text().replace("=1+1", "ask Zoë's Dairy"))
    with dairy.tools() as tools:
        held = dairy.by_key(tools, dairy.prepared(tools, AS_DOCX, (TEXT_BLOCK, BLOCKS)))["117"]
    assert "'Zoë's Dairy'" in held.reason
    assert "in the docx" in held.reason


def test_without_its_library_the_line_that_installs_it_is_told(dairy: Dairy, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("gonnet.jobs.consistency.find_spec", lambda _name: None)
    with dairy.tools() as tools, pytest.raises(JobError) as found:
        dairy.prepared(tools, AS_DOCX)
    assert found.value.fix == "Install it: pip install 'gonnet[docx]'"
