"""A print file that another system made: cut by page, delivered as text or drawn, and searched like everything."""

from __future__ import annotations

import pypdfium2
import pytest

from gonnet.jobs import load_job, load_workspace
from gonnet.ledger import PackageRecord, RunRecord
from gonnet.pipeline.check import check
from gonnet.pipeline.survey import Request
from support import AS_OF, Dairy

ALONE = """\
title: Advices
data: {members: {file: members.csv}}
arrivals:
  advice:
    text: in/advice.prn
    encoding: cp850
    key: {text: 'Member (\\d+)', within: {line: 2, column: 20}}
    unmarked: follow
    read: {due: {text: 'Due ([\\d.,]+)', as: number}}
recipients: {rows: members, key: farm_no, name: farm_name, to: email}
package: {documents: [{arrival: advice}, {arrival: advice, as: txt}], name: "{{ key }} advice"}
messages: {standard: {subject: "{{ figures.pages }} pages", body: "Due: {{ figures.due | money }}"}}
deliver: [{email: {from: lab@tarnvale.example}}]
checks: {identifying: [farm_name]}
"""
PAGES = [
    f"ADVICE\r\n{'Grüße':<19}Member 00042\r\nDue 1,234.50\r\nB\bBo\bol\bld\bd",
    "ADVICE\r\nMember 117 is no key here\r\nmore ├─┤",
    f"ADVICE\r\n{'':19}Member 117\r\nDue 0.05",
    f"ADVICE\r\n{'':19}Member 118\r\nDue 7.00",
]


def prepared(
    dairy: Dairy, *changes: tuple[str, str], pages: list[str] = PAGES
) -> tuple[RunRecord, dict[str, PackageRecord], dict[str, bytes]]:
    """A run of the job that has nothing but the print file: it, its packages, and all files by name."""
    dairy.write("in/advice.prn", "\f".join(pages).encode("cp850") + b"\f")
    return dairy.made("advice", ALONE, *changes)


def test_pages_go_as_text_and_as_a_pdf(dairy: Dairy) -> None:
    run, packages, files = prepared(dairy, (", column: 20", ", column: 20, columns: 14"), pages=[PAGES[0], *PAGES[2:]])
    assert {key: (str(one.state), one.figures.get("due")) for key, one in packages.items() if one.documents} == {
        "00042": ("ready", "1234.50"), "117": ("ready", "0.05"), "118": ("ready", "7.00"),
    }  # fmt: skip
    assert files["00042 advice.txt"] == PAGES[0].encode("cp850")
    page = pypdfium2.PdfDocument(files["00042 advice.pdf"])[0]
    assert "Grüße" in page.get_textpage().get_text_range()
    assert (run.account["read"], run.account["delivered"], run.account["withheld"]) == (3, 3, {})


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        (
            (),
            "'advice' as PDF can be archived, but does not say that it can be read aloud (PDF/UA): nobody knows which",
        ),
        ((("title: A", "style: {pdf: plain}\ntitle: A"),), ""),
    ],
)
def test_check_says_what_of_it_cannot_be_read_aloud(
    dairy: Dairy, changes: tuple[tuple[str, str], ...], says: str
) -> None:
    prepared(dairy, *changes)
    with dairy.tools() as tools:
        job = load_job(load_workspace(dairy.folder), "advice")
        found = [one.text for one in check(job, tools, Request(as_of=AS_OF, asked={})).findings if "PDF/" in one.text]
    assert [text[: len(says)] for text in found] == ([says] if says else [])


def test_the_place_says_whose_a_page_is(dairy: Dairy) -> None:
    _, packages, _ = prepared(dairy)
    assert {key: [one.pages for one in part.documents] for key, part in packages.items() if part.documents} == {
        "00042": [2, None],
        "117": [1, None],
        "118": [1, None],
    }


@pytest.mark.parametrize(
    "line", ["H\bHa\bal\bll\blb\bba\ban\bnk\bk", "as Idle\r\nAcres has it", "Hallbank\r________", "XXXXXXXX\rHallbank"]
)
@pytest.mark.parametrize("form", ["pdf", "txt"])
def test_somebody_elses_name_is_found_however_it_is_printed(dairy: Dairy, line: str, form: str) -> None:
    documents = "[{arrival: advice}, {arrival: advice, as: txt}]", f"[{{arrival: advice, as: {form}}}]"
    _, packages, _ = prepared(dairy, documents, pages=[*PAGES[2:], f"{PAGES[0]}\r\n{line}"])
    assert [str(packages[key].state) for key in ("00042", "117", "118")] == ["held", "ready", "ready"]


def test_it_is_joined_with_reports(dairy: Dairy) -> None:
    dairy.write("in/advice.prn", "\f".join(PAGES).encode("cp850"))
    with dairy.tools() as tools:
        run = dairy.prepared(
            tools,
            (
                "split:",
                "arrivals: {advice: {text: in/advice.prn, encoding: cp850, unmarked: follow, key: {text: 'Member (\\d+)', within: {line: 2, column: 20}}}}\nsplit:",
            ),
            ("documents: [", "join: {as: pdf}\n  documents: [{arrival: advice}, "),
        )
        joined = dairy.by_key(tools, run)["117"].documents[0]
        pages = [page.get_textpage().get_text_range() for page in pypdfium2.PdfDocument(tools.store.get(joined.sha256))]
    assert (len(pages), "Due 0.05" in pages[0], "Due" in pages[1]) == (2, True, False)


@pytest.mark.parametrize(
    ("change", "told"),
    [
        (("encoding: cp850", "encoding: utf-8"), "advice.prn, line 2: this text is not written in utf-8"),
        (("encoding: cp850", "encoding: cp8500"), "'cp8500' is not an encoding"),
        (("as: txt", "as: xlsx"), "a part of 'advice' stays what it is"),
        (("unmarked: follow", "unmarked: refuse"), "advice.prn, page 2: this page of 'advice' says no key"),
        (("within: {line: 2, column: 20}", "within: {line: 0}"), "jobs/advice.yaml:7"),
    ],
)
def test_what_does_not_fit_is_told_with_its_place(dairy: Dairy, change: tuple[str, str], told: str) -> None:
    dairy.write("in/advice.prn", "\f".join(PAGES).encode("cp850"))
    assert change[0] in ALONE
    dairy.write("jobs/advice.yaml", ALONE.replace(*change))
    assert told in " ".join(dairy.gonnet("prepare", "advice", code=2).stderr.split())


def test_its_pages_can_be_looked_at(dairy: Dairy) -> None:
    dairy.write("in/advice.prn", "\f".join(PAGES).encode("cp850"))
    dairy.write("jobs/advice.yaml", ALONE)
    told = dairy.gonnet("pages", "advice", "--page", "1").stdout
    assert "   2  Grüße              Member 00042" in told
    assert "   4  Bold" in told
