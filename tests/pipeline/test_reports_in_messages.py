"""A report in the body of a message: a table, figures, a chart; checked like any document."""

from __future__ import annotations

from email import message_from_bytes
from email.message import EmailMessage
from email.policy import default
from typing import Any

import pytest

from gonnet.ledger import PackageRecord
from support import Dairy

SUMMARY = """\
  summary:
    title: x
    blocks:
      - heading: "Days of {{ key }}"
      - facts: {Payable: "{{ figures.payable | money }}"}
      - table:
          columns:
            - {field: day, format: d MMM}
            - {field: litres, format: "#,##0", total: sum}
            - {field: remark}
          emphasise: {when: litres > 795, cells: litres, as: [bold, mark]}
      - chart: {kind: bars, over: day, series: {value: litres}, alt: Litres of each day}
      - text: This is for nobody.
        when: litres < 0
package:"""
BODY = ("payable: **{{ figures.payable | money }}**", "Your days:\n\n      {{ reports.summary }}\n\n      Bye.")
PLAIN = """\
Your days:

Days of 117
-----------

Payable  €780.51

Day    Litres  Remark
-----  ------  ------
1 Oct   ‣ 800  =1+1
2 Oct     790
-----  ------  ------
Total   1,590

[Litres of each day]

Bye.
"""


def message(dairy: Dairy, *changes: tuple[str, str], key: str = "117") -> tuple[PackageRecord, EmailMessage | None]:
    with dairy.tools() as tools:
        package = dairy.by_key(tools, dairy.prepared(tools, ("package:", SUMMARY), *changes))[key]
        if not package.messages:
            return package, None
        sealed = tools.store.get(package.messages[0].sha256)
        return package, message_from_bytes(b"Date: Thu, 05 Nov 2026 12:00:00 +0000\r\n" + sealed, policy=default)


def body(mail: EmailMessage, kind: str) -> str:
    part: Any = mail.get_body((kind,))
    return str(part.get_content()).replace("\r\n", "\n")


def test_a_report_stands_in_the_message_as_table_and_as_text(dairy: Dairy) -> None:
    package, mail = message(dairy, BODY)
    assert mail is not None
    assert (str(package.state), package.reason) == ("ready", "")
    text = body(mail, "plain")
    assert text.partition("Dear Łąka Górna,\n\n")[2] == PLAIN
    page = body(mail, "html")
    assert '<td class="right bold">‣ 800</td>' in page
    assert "<h2>Days of 117</h2>" in page
    assert "reports" not in page and "nobody" not in page  # noqa: PT018
    pictures = [part for part in mail.walk() if part.get_content_type() == "image/png"]
    assert [part["Content-ID"] for part in pictures] == ["<summary-1>"]
    assert 'src="cid:summary-1" alt="Litres of each day"' in page
    assert pictures[0].get_content().startswith(b"\x89PNG")
    related = next(part for part in mail.walk() if part.get_content_type() == "multipart/related")
    assert [part.get_content_type() for part in related.iter_parts()] == ["text/html", "image/png"]


def test_what_stands_in_a_message_is_searched_for_others(dairy: Dairy) -> None:
    dairy.write("milk.csv", (dairy.folder / "milk.csv").read_text("utf-8").replace("=1+1", "tank of 00042"))
    quiet = ("            - {field: remark}\n  summary:", "  summary:")
    package, _ = message(dairy, quiet, BODY)
    assert str(package.state) == "held"
    assert "in the message" in package.reason
    assert "00042" in package.reason


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("{{ reports.summry }}", "'reports' has no field 'summry'"),
        ("Here: {{ reports.summary }}", "it is not in a paragraph of its own"),
    ],
)
def test_a_report_that_cannot_stand_there_is_told(dairy: Dairy, text: str, says: str) -> None:
    dairy.job(("package:", SUMMARY), (BODY[0], text))
    told = dairy.gonnet("prepare", "statements", code=None)
    assert says in told.stdout + told.stderr
    assert told.returncode in (2, 3)
