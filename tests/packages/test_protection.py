"""Documents that open with their recipient's password, and with no other."""

from __future__ import annotations

import io
from typing import Any

import msoffcrypto
import openpyxl
import pikepdf
import pypdfium2
import pytest
from msoffcrypto.exceptions import InvalidKeyError

from gonnet.errors import JobError
from gonnet.pipeline.check import check
from gonnet.pipeline.survey import Request
from support import AS_OF, MEMBERS, Dairy

DOCUMENTS = "[{report: statement, as: pdf}, {report: statement, as: xlsx}]"


def with_pins(dairy: Dairy, pins: dict[str, str]) -> None:
    lines = MEMBERS.splitlines()
    found = [lines[0] + ",pin"] + [f"{line},{pins.get(line.split(',')[0], '')}" for line in lines[1:]]
    dairy.write("members.csv", "\n".join(found) + "\n")


def prepared(dairy: Dairy, password: str) -> dict[str, Any]:
    """Key → state, reason and the bytes of its documents."""
    documents = f"[{{report: statement, as: pdf, {password}}}, {{report: statement, as: xlsx, {password}}}]"
    with dairy.tools() as tools:
        packages = dairy.by_key(tools, dairy.prepared(tools, (DOCUMENTS, documents)))
        return {
            key: (str(p.state), p.reason, [tools.store.get(document.sha256) for document in p.documents])
            for key, p in packages.items()
        }


def opened(data: bytes, password: str) -> list[list[Any]]:
    plain = io.BytesIO()
    book = msoffcrypto.OfficeFile(io.BytesIO(data))
    book.load_key(password=password)
    book.decrypt(plain)
    sheet = openpyxl.load_workbook(plain).active
    assert sheet is not None
    return [[cell.value for cell in row] for row in sheet.iter_rows()]


def test_each_document_opens_with_its_own_recipients_password_alone(dairy: Dairy) -> None:
    with_pins(dairy, {"00042": "0042 Zoë", "117": "laka-117"})
    found = prepared(dairy, 'password: {open: "{{ recipient.pin }}"}')
    assert {key: state for key, (state, _, _) in found.items()} == {
        "00042": "ready", "117": "ready", "118": "held", "119": "skipped",
    }  # fmt: skip
    pdf, book = found["117"][2]
    page = pypdfium2.PdfDocument(pdf, password="laka-117")[0].get_textpage().get_text_bounded()
    assert "780.51" in page
    assert ["Total", 1590, 780.51] in [row[:3] for row in opened(book, "laka-117")]
    for wrong in (None, "", "0042 Zoë"):
        with pytest.raises(pypdfium2.PdfiumError):
            pypdfium2.PdfDocument(pdf, password=wrong)
    with pytest.raises(InvalidKeyError):
        opened(book, "0042 Zoë")
    assert b"780.51" not in pdf
    kept = [path.read_bytes() for path in (dairy.folder / ".gonnet").rglob("*") if path.is_file()]
    assert b"laka-117" not in b"".join(kept)


def test_a_recipient_without_a_password_is_held_and_nothing_is_drawn(dairy: Dairy) -> None:
    with_pins(dairy, {"00042": "  "})
    found = prepared(dairy, 'password: {open: "{{ recipient.pin }}"}')
    assert found["00042"][0] == "held"
    assert "there is no password for this recipient" in found["00042"][1]
    assert found["00042"][2] == []


def test_a_short_password_is_held_where_the_workspace_says_and_told_by_check_in_any_case(dairy: Dairy) -> None:
    with_pins(dairy, {"00042": "0042 Zoë", "117": "laka-11"})
    both = 'password: {open: "{{ recipient.pin }}"}'
    change = (DOCUMENTS, f"[{{report: statement, as: pdf, {both}}}, {{report: statement, as: xlsx}}]")
    with dairy.tools() as tools:
        found = check(dairy.job(change), tools, Request(as_of=AS_OF, asked={})).findings
    assert any("1 of 2 packages with a password have one of fewer than 8 characters" in one.text for one in found)
    settings = (dairy.folder / "gonnet.yaml").read_text("utf-8")
    dairy.write("gonnet.yaml", settings + "limits: {shortest_password: 8}\n")
    held = prepared(dairy, both)
    assert [held[key][0] for key in ("00042", "117")] == ["ready", "held"]
    assert "the password is shorter than the 8 characters that gonnet.yaml wants" in held["117"][1]
    assert "laka" not in held["117"][1]


LETTER = """\
  letter:
    title: "Your password"
    blocks: [{text: "It is {{ recipient.pin | default('') }}."}]
package:"""


@pytest.mark.parametrize(
    ("changes", "told"),
    [
        ([], []),
        ([("payable: **{{ figures.payable | money }}**", "opens with {{ recipient.pin|upper }}")], ["the message 'standard' says the password"]),
        ([(", {report: statement, as: xlsx}", ", {report: letter, as: pdf}"), ("package:", LETTER)], ["'letter' says the password of other files"]),
        (
            [
                (", {report: statement, as: xlsx}", ", {report: letter, as: pdf}"), ("package:", LETTER),
                ("Statements <statements@tarnvale.example>\"}", "Statements <statements@tarnvale.example>\"}\n    documents: statement\n  - print: {}\n    documents: letter"),
            ],
            [],
        ),
    ],
    ids=["nothing", "the message", "a letter with it", "a letter by another way"],
)  # fmt: skip
def test_a_password_that_goes_with_what_it_opens_is_told(
    dairy: Dairy, changes: list[tuple[str, str]], told: list[str]
) -> None:
    with_pins(dairy, {"00042": "0042 Zoë", "117": "laka-1177"})
    settings = (dairy.folder / "gonnet.yaml").read_text("utf-8")
    dairy.write("gonnet.yaml", settings + "printers: {office: {command: [cat]}}\n")
    both = (
        DOCUMENTS,
        '[{report: statement, as: pdf, password: {open: "{{ recipient.pin }}"}}, {report: statement, as: xlsx}]',
    )
    with dairy.tools() as tools:
        found = check(dairy.job(both, *changes), tools, Request(as_of=AS_OF, asked={})).findings
    said = [one.text for one in found if "says the password" in one.text]
    assert [text[: len(wanted)] for text, wanted in zip(said, told, strict=True)] == told
    if len(changes) == 3:  # the letter is printed, and what it opens is mailed
        with dairy.tools() as tools:
            package = dairy.by_key(tools, dairy.prepared(tools, both, *changes))["117"]
        assert [message.files for message in package.messages] == [("117 statement statement.pdf",)]
        assert [part.target.place for part in package.placed] == ["117 statement letter.pdf"]


def test_one_password_for_all_is_told(dairy: Dairy) -> None:
    with_pins(dairy, dict.fromkeys(("00042", "117"), "the same one"))
    change = (DOCUMENTS, '[{report: statement, as: pdf, password: {open: "{{ recipient.pin }}"}}]')
    with dairy.tools() as tools:
        found = check(dairy.job(change), tools, Request(as_of=AS_OF, asked={})).findings
    assert any("all 2 packages have the same password" in one.text for one in found)


def test_print_and_copy_may_be_refused_and_change_has_its_own_password(
    dairy: Dairy, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("OFFICE", "may-do-all")
    monkeypatch.setenv("EVERYBODY", "milk")
    documents = (
        "{report: statement, as: pdf, password: {open: '${EVERYBODY}', change: '${OFFICE}', print: false, copy: false}}"
    )
    with dairy.tools() as tools:
        packages = dairy.by_key(tools, dairy.prepared(tools, (DOCUMENTS, f"[{documents}]")))
        data = tools.store.get(packages["117"].documents[0].sha256)
    with pikepdf.open(io.BytesIO(data), password="milk") as document:
        assert document.encryption.R == 6
        assert not document.allow.print_highres
        assert not document.allow.extract
        assert document.allow.accessibility
        assert not document.owner_password_matched
    with pikepdf.open(io.BytesIO(data), password="may-do-all") as document:
        assert document.owner_password_matched


@pytest.mark.parametrize(
    ("document", "says"),
    [
        ("{report: statement, as: pdf, password: {open: secret}}", "a password does not stand in a file"),
        (
            "{report: statement, as: pdf, password: {open: '{{ key }}', change: x}}",
            "a password does not stand in a file",
        ),
        ("{report: statement, as: html, password: {open: '{{ key }}'}}", "cannot have a password"),
        ("{report: statement, as: xlsx, password: {open: '{{ key }}', change: '${X}'}}", "only a PDF"),
        ("{report: statement, as: pdf, password: {open: '${NOT_SET}'}}", "NOT_SET is not set"),
        ("{report: statement, as: pdf, password: {open: '{{ recipient.pin }}'}}", "'recipient' has no field 'pin'"),
    ],
)
def test_a_password_that_cannot_be_used_is_told(dairy: Dairy, document: str, says: str) -> None:
    with pytest.raises(JobError, match=says), dairy.tools() as tools:
        dairy.prepared(tools, (DOCUMENTS, f"[{document}]"))
