"""Messages from an HTML file of one's own, and header lines of one's own."""

from __future__ import annotations

from email import message_from_bytes
from email.policy import default
from typing import Any

import pytest

from gonnet import delivery
from gonnet.delivery import Body
from gonnet.errors import JobError
from support import Dairy

BODY = """\
    body: |
      Dear {{ recipient.farm_name }},

      payable: **{{ figures.payable | money }}**
"""
PAGE = """\
<!DOCTYPE html>
<html><head><title>Milk</title><style>p {color: #222}</style></head>
<body><h1>Milk</h1><p>Dear {{ recipient.farm_name }},</p><ul><li>payable: <b>{{ figures.payable | money }}</b></li></ul>
<p>See <a href="https://tarnvale.example/prices">our prices</a>.</p></body></html>
"""


def mail(dairy: Dairy, *changes: tuple[str, str], key: str = "117") -> Any:  # noqa: ANN401
    with dairy.tools() as tools:
        package = dairy.by_key(tools, dairy.prepared(tools, *changes))[key]
        assert str(package.state) == "ready", package.reason
        sealed = tools.store.get(package.messages[0].sha256)
        return message_from_bytes(delivery.compose(sealed, (), tools.clock()), policy=default)


def test_a_page_goes_as_it_is_with_values_that_are_no_tags_and_says_the_same_in_plain_text(dairy: Dairy) -> None:
    dairy.write("milk.html", PAGE)
    dairy.write("members.csv", "farm_no,farm_name,email,adviser\n117,<b>A&B</b> Farm,a@x.example,\n")
    found = mail(dairy, (BODY, "    page: milk.html\n"))
    page = found.get_body(("html",)).get_content().replace("\r\n", "\n")
    assert page.startswith("<!DOCTYPE html>\n<html><head><title>Milk</title><style>p {color: #222}</style>")
    assert "<p>Dear &lt;b&gt;A&amp;B&lt;/b&gt; Farm,</p>" in page
    assert found.get_body(("plain",)).get_content().replace("\r\n", "\n") == (
        "Milk\n\nDear <b>A&B</b> Farm,\n\n- payable: €780.51\n\nSee our prices (https://tarnvale.example/prices).\n"
    )


def test_what_stands_in_the_tags_of_a_page_is_searched_too(dairy: Dairy) -> None:
    dairy.write(
        "milk.html", PAGE.replace("https://tarnvale.example/prices", "https://tarnvale.example/{{ recipient.other }}")
    )
    dairy.write(
        "members.csv",
        "farm_no,farm_name,email,adviser,other\n117,A,a@x.example,,Hallbank\n118,Hallbank,h@x.example,,\n",
    )
    with dairy.tools() as tools:
        package = dairy.by_key(tools, dairy.prepared(tools, (BODY, "    page: milk.html\n")))["117"]
    assert "'Hallbank', the farm_name of 118" in package.reason


@pytest.mark.parametrize(
    ("page", "what"),
    [
        (None, "statements.yaml:.*the page milk.html cannot be read"),
        (b"\xff\xfe\xff", "it is not UTF-8"),
        (b"<p>{{ recipient.farm }}</p>", "milk.html: 'recipient' has no field 'farm'"),
    ],
)
def test_a_page_that_cannot_be_used_is_told(dairy: Dairy, page: bytes | None, what: str) -> None:
    if page is not None:
        dairy.write("milk.html", page)
    with dairy.tools() as tools, pytest.raises(JobError, match=what):
        dairy.prepared(tools, (BODY, "    page: milk.html\n"))


def test_own_headers_stand_among_the_others(dairy: Dairy) -> None:
    headers = '    headers: {X-Tarnvale-Farm: "{{ key }} {{ recipient.farm_name }}", List-Unsubscribe: "<mailto:out@tarnvale.example>"}\n'
    found = mail(dairy, (BODY, headers + BODY))
    assert found["X-Tarnvale-Farm"] == "117 Łąka Górna"
    assert found["List-Unsubscribe"] == "<mailto:out@tarnvale.example>"


@pytest.mark.parametrize("name", ["Bcc", "From", "X-Gonnet-Trial", "X-A: b", "Received", "Content-Type"])
def test_headers_that_are_not_a_jobs_are_refused(dairy: Dairy, name: str) -> None:
    with pytest.raises(JobError, match="is not one that a job may set"):
        dairy.job((BODY, f'    headers: {{"{name}": x}}\n{BODY}'))


def test_a_value_adds_no_line_to_a_header(dairy: Dairy) -> None:
    dairy.write("members.csv", 'farm_no,farm_name,email,adviser\n117,"A\r\nBcc: spy@x.example",a@x.example,\n')
    found = mail(dairy, (BODY, f'    headers: {{X-Farm: "{{{{ recipient.farm_name }}}}"}}\n{BODY}'))
    assert found["Bcc"] is None
    assert found["X-Farm"] == "A Bcc: spy@x.example"


@pytest.mark.parametrize("end", ["</head>", ""])  # the end of a head may be left out (HTML, 13.1.2.4)
def test_text_of_a_page_leaves_out_what_is_not_seen(end: str) -> None:
    head = f"<head><title>T</title>{end}<script>x</script>"
    page = f"{head}<table><tr><th>A</th><td>1</td></tr><tr><td>B</td></tr></table>a<br>b"
    assert Body.of_page(page).text == "A 1\n\nB\n\na\nb\n"


@pytest.mark.parametrize("target", ["javascript:alert(1)", " JavaScript:x", "data:text/html;x"])
def test_a_merged_value_leads_no_link_into_a_script(dairy: Dairy, target: str) -> None:
    own = '<a href="javascript:print()" title="data: {{ key }}">print</a>'  # of the page's author: mail programs ignore it
    dairy.write("milk.html", PAGE.replace("https://tarnvale.example/prices", "{{ recipient.site }}") + own)
    dairy.write(
        "members.csv",
        f"farm_no,farm_name,email,adviser,site\n117,A,a@x.example,,{target}\n118,B,b@x.example,,https://b.example\n",
    )
    with dairy.tools() as tools:
        found = dairy.by_key(
            tools, dairy.prepared(tools, (BODY, "    page: milk.html\n"), ("litres > 5000", "litres > 50000"))
        )
    assert "a merged value leads a link into a script" in found["117"].reason
    assert str(found["118"].state) == "ready"
    assert "<a" not in Body.of(f"[x]({target.strip()})").html
