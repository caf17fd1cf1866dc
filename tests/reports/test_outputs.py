"""HTML and CSV: the same rows for readers and for programs."""

from __future__ import annotations

import csv
import io
from decimal import Decimal
from typing import Any

import pytest

from gonnet.checks import read_back
from gonnet.errors import DataError, JobError
from gonnet.jobs.values import CsvForm
from gonnet.pipeline.survey import Request, survey
from gonnet.reports import draw
from gonnet.reports.csv_rows import draw_csv
from opened import HEAD, laid
from support import AS_OF, Dairy

TEXTS = {
    "formula": "=1+1",
    "markup": '<script>alert(1)</script> & "x"',
    "long": "word " * 2000,
    "zero width": "a\u200bb",
    "emoji": "cow \U0001f404",
    "right to left": "\u05d7\u05dc\u05d1",
    "lines": "one\ntwo",
    "separators": "a;b,c|d",
}


def with_remark(dairy: Dairy, remark: str) -> Any:  # noqa: ANN401
    target = io.StringIO()
    csv.writer(target, lineterminator="\n").writerow(["117", "2026-10-01", "5", "-1234.50", remark])
    dairy.write("milk.csv", HEAD + target.getvalue())
    return laid(dairy)


@pytest.mark.parametrize("name", TEXTS)
def test_any_text_reaches_a_page_and_a_csv_as_text(dairy: Dairy, name: str) -> None:
    layout, look = with_remark(dairy, TEXTS[name])
    page = draw(layout, "html", look).data
    assert b"<script>" not in page
    shown = read_back(page, "html").parts[0][1]
    assert TEXTS[name].strip() in shown
    form = CsvForm(delimiter=";", decimal=",")
    (_, row) = csv.reader(io.StringIO(draw_csv(layout, form).decode("utf-8-sig"), newline=""), delimiter=";")
    assert row[:3] == ["2026-10-01", "5", "-1234,50"]
    assert row[3] == ("'" if name == "formula" else "") + TEXTS[name]


def test_a_csv_is_written_as_the_job_or_the_language_says(dairy: Dairy) -> None:
    document = "{report: statement, as: csv}"
    options = {
        document: (",", ".", "utf-8-sig"),
        "{report: statement, as: csv, decimal: ',', encoding: cp1252}": (";", ",", "cp1252"),
        "{report: statement, as: csv, delimiter: '|', quoting: all}": ("|", ".", "utf-8-sig"),
    }
    for written, expected in options.items():
        with dairy.tools() as tools:
            job = dairy.job(("{report: statement, as: xlsx}", written))
            found = survey(job, tools, Request(as_of=AS_OF, asked={}))
            found.engine.close()
        form = next(iter(found.plans)).documents[1].csv
        assert form is not None
        assert (form.delimiter, form.decimal, form.encoding) == expected


@pytest.mark.parametrize(("dates", "shown"), [("iso", "2026-10-01"), ("shown", "1 Oct")])
def test_a_csv_has_dates_as_the_report_shows_them_where_wanted(dairy: Dairy, dates: Any, shown: str) -> None:  # noqa: ANN401
    layout, _ = with_remark(dairy, "calm")
    text = draw_csv(layout, CsvForm(delimiter=";", decimal=",", dates=dates)).decode("utf-8-sig")
    (_, row) = csv.reader(text.splitlines(), delimiter=";")
    assert row[:2] == [shown, "5"]


def test_a_report_as_plain_text_says_all_of_it_and_is_searched(dairy: Dairy) -> None:
    documents = "[{report: statement, as: txt}, {report: statement, as: pdf}]"
    change = ("[{report: statement, as: pdf}, {report: statement, as: xlsx}]", documents)
    with dairy.tools() as tools:
        packages = dairy.by_key(tools, dairy.prepared(tools, change))
        assert {key: str(packages[key].state) for key in ("117", "00042")} == {"117": "ready", "00042": "ready"}
        (text, _) = packages["117"].documents
        lines = tools.store.get(text.sha256).decode("utf-8-sig").splitlines()
        assert (text.name, text.rows) == ("117 statement.txt", 2)
    assert lines[:2] == ["Statement of Łąka Górna", "======================="]
    assert any(line.split() == ["1", "Oct", "800", "392.40", "=1+1"] for line in lines)
    dairy.write("milk.csv", (dairy.folder / "milk.csv").read_text().replace("=1+1", "ask Zoë's Dairy"))
    with dairy.tools() as tools:
        held = dairy.by_key(tools, dairy.prepared(tools, change))["117"]
    assert "in the txt" in held.reason, held.reason
    assert "'Zoë's Dairy'" in held.reason


@pytest.mark.parametrize(
    ("document", "says"),
    [
        ("{report: statement, as: pdf, decimal: '.'}", "`decimal` is for documents `as: csv`"),
        ("{report: statement, as: csv, encoding: nothing}", "'nothing' is not an encoding"),
        ("{report: statement, as: csv, delimiter: ',', decimal: ','}", "must differ"),
        ("{report: statement, as: cvs}", "Did you mean 'csv'"),
    ],
)
def test_a_document_that_cannot_be_made_is_told(dairy: Dairy, document: str, says: str) -> None:
    with pytest.raises(JobError, match=says):
        dairy.job(("{report: statement, as: xlsx}", document))


def test_a_csv_holds_one_table_and_only_what_its_encoding_has(dairy: Dairy) -> None:
    table = "      - table: {columns: [{field: day}]}\n"
    job = dairy.job(("as: xlsx", "as: csv"), ('      - text: "Collected in October."\n', table))
    with dairy.tools() as tools, pytest.raises(JobError, match="a CSV file holds one table, report 'statement' has 2"):
        survey(job, tools, Request(as_of=AS_OF, asked={}))
    layout, _ = with_remark(dairy, "Łąka")
    with pytest.raises(DataError, match=r"'Ł' \(U\+0141\) does not exist in cp1252"):
        draw_csv(layout, CsvForm(delimiter=",", decimal=".", encoding="cp1252"))


def test_a_package_with_a_page_and_a_csv_is_checked_sealed_and_sent(dairy: Dairy) -> None:
    documents = "[{report: statement, as: html}, {report: statement, as: csv}]"
    change = ("[{report: statement, as: pdf}, {report: statement, as: xlsx}]", documents)
    with dairy.tools() as tools:
        packages = dairy.by_key(tools, dairy.prepared(tools, change))
        kept = [tools.store.get(document.sha256) for document in packages["117"].documents]
    assert (str(packages["117"].state), str(packages["00042"].state)) == ("ready", "ready")
    rows = list(csv.DictReader(kept[1].decode("utf-8-sig").splitlines()))
    assert sum(Decimal(row["Amount"]) for row in rows) == Decimal("780.51")
    dairy.write("milk.csv", (dairy.folder / "milk.csv").read_text().replace("=1+1", "ask Zoë's Dairy"))
    with dairy.tools() as tools:
        packages = dairy.by_key(tools, dairy.prepared(tools, change))
    assert str(packages["117"].state) == "held"
    assert "'Zoë's Dairy'" in packages["117"].reason
