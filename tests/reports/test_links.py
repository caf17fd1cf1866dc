"""Links in the columns of tables: they lead where the row says, in every format, and nowhere else."""

from __future__ import annotations

import re
from html.parser import HTMLParser
from io import BytesIO
from typing import Any
from urllib.parse import urlsplit

import openpyxl
import pikepdf
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gonnet.checks.reading.drawn_pdf import parts_of_drawn
from gonnet.checks.reading.pdf_texts import parts_of_pdf
from gonnet.reports import draw
from gonnet.reports.plain import plain_text
from gonnet.wording.filling import Wording
from gonnet.wording.formats import House
from gonnet.wording.links import link_of
from gonnet.wording.template import Template
from opened import HEAD, laid
from support import Dairy

COLUMN = "- {field: remark}\n"
LINKED = "- {field: remark, link: 'https://pool.tarnvale.example/loads/{{ row.remark }}?farm={{ key }}'}\n"
WHOLE = "- {field: amount, format: '0.00', label: Site, link: '{{ row.remark }}'}\n"
ROWS = HEAD + "117,2026-10-01,800,392.40,T 1/é\n117,2026-10-02,790,388.11,\n00042,2026-10-01,1200,588.05,Z9\n"
LOAD = "https://pool.tarnvale.example/loads/T%201%2F%C3%A9?farm=117"


class _Anchors(HTMLParser):
    def __init__(self, page: bytes) -> None:
        super().__init__()
        self.found: list[str] = []
        self.feed(page.decode())

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.found += [value or "" for name, value in attrs if tag == "a" and name == "href"]


def pdf_links(data: bytes) -> list[str]:
    with pikepdf.open(BytesIO(data)) as pdf:
        return [str(note.A.URI) for page in pdf.pages for note in page.get("/Annots", [])]


def xlsx_links(data: bytes) -> list[str]:
    sheet: Any = openpyxl.load_workbook(BytesIO(data)).active
    return [cell.hyperlink.target for row in sheet.iter_rows() for cell in row if cell.hyperlink]


def test_a_value_leads_to_the_place_of_its_row_in_every_format(dairy: Dairy) -> None:
    dairy.write("milk.csv", ROWS)
    layout, look = laid(dairy, "117", (COLUMN, LINKED))
    pdf = draw(layout, "pdf", look).data
    assert pdf_links(pdf) == xlsx_links(draw(layout, "xlsx", look).data) == [LOAD]
    assert _Anchors(draw(layout, "html", look).data).found == [LOAD]
    assert f"T 1/é <{LOAD}>" in plain_text(layout)
    for reader in (parts_of_pdf, parts_of_drawn):  # the leak check sees where links lead
        assert LOAD in dict(reader(pdf))["page 1"]


def test_what_leads_nowhere_is_no_link_and_is_told(dairy: Dairy) -> None:
    dairy.write(
        "milk.csv", ROWS + "117,2026-10-03,1,1.00,javascript:alert(1)\n117,2026-10-04,1,1.00,https://a.example/x\n"
    )
    layout, look = laid(dairy, "117", (COLUMN, WHOLE))
    assert pdf_links(draw(layout, "pdf", look).data) == ["https://a.example/x"]
    assert xlsx_links(draw(layout, "xlsx", look).data) == ["https://a.example/x"]
    told = dairy.json("check", "statements", code=3)["findings"]
    assert "a link under 'Site' leads nowhere in 1 row: a value in it is empty" in [one["text"] for one in told]
    with dairy.tools() as tools:
        run = dairy.prepared(tools, (COLUMN, WHOLE))
    assert [text for _, text in run.findings if "link" in text] == [
        "1 link under 'Site' leads nowhere, first for key 00042: 'Z9' is no address of the web",
        "1 link under 'Site' leads nowhere, first for key 117: 'T 1/é' is no address of the web",
        "1 link under 'Site' leads nowhere, first for key 117: a value in it is empty",
        "1 link under 'Site' leads nowhere, first for key 117: 'javascript:alert(1)' is no address of the web",
    ]


def test_a_link_that_names_somebody_else_holds_the_package(dairy: Dairy) -> None:
    dairy.write("milk.csv", ROWS.replace("T 1/é", "Zoë's Dairy"))
    with dairy.tools() as tools:
        run = dairy.prepared(tools, (COLUMN, LINKED.replace("field: remark", "field: litres, label: Load")))
        package = dairy.by_key(tools, run)["117"]
    assert package.reason == (
        "'Zoë's Dairy', the farm_name of 00042, stands in the pdf (page 1) and the xlsx (properties)"
    )


@pytest.mark.parametrize(
    ("link", "said"),
    [
        ("ftp://pool.tarnvale.example", "leads nowhere: a link begins with https://"),
        ("https://a.example/{{ row.remrk }}", "'row' has no field 'remrk'"),
        ("https://a.example/{{ rows.remark }}", "unknown name 'rows'"),
    ],
)
def test_a_link_that_cannot_be_meant_is_a_mistake_of_the_job(dairy: Dairy, link: str, said: str) -> None:
    dairy.job()
    path = dairy.folder / "jobs/statements.yaml"
    path.write_text(path.read_text().replace(COLUMN, f"- {{field: remark, link: '{link}'}}\n"))
    found = dairy.gonnet("check", "statements", code=2)
    assert said in " ".join(found.stderr.split())
    assert re.search(r"statements\.yaml:\d+:\d+", found.stderr)


@given(st.text(max_size=40), st.text(max_size=40))
def test_no_value_adds_a_part_to_an_address(one: str, other: str) -> None:
    template = Template(source="https://a.example/x/{{ row.one }}/y?z={{ row.other }}#end", where="here")
    link = Wording(House()).fill_link(template, {"row": {"one": one, "other": other}})
    assert link.address or link.trouble
    if link.address:
        parts = urlsplit(link.address)
        assert (parts.netloc, parts.fragment, parts.path.count("/"), parts.query.count("&")) == (
            "a.example",
            "end",
            3,
            0,
        )
        assert link.address.isascii()
        assert " " not in link.address


@given(st.text(max_size=60))
def test_whatever_a_value_says_a_link_is_an_address_or_none(text: str) -> None:
    address = link_of(f"https://{text}", (f"https://{text}",)).address
    assert not address or (address.isascii() and urlsplit(address).hostname and address.isprintable())
