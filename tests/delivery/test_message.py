"""A message as a reader opens it: nobody but the named, nothing but the given."""

from __future__ import annotations

import datetime as dt
import re
from dataclasses import replace
from email import message_from_bytes
from email.message import EmailMessage
from email.policy import default

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gonnet.delivery import (
    Attachment,
    Body,
    Envelope,
    Frame,
    compose,
    for_trial,
    html_page,
    remote_targets,
    with_body,
    write_message,
)
from gonnet.recipients import Address

NOW = dt.datetime(2026, 11, 5, 9, 30, tzinfo=dt.UTC)


def envelope(display: str = "Zoë's Dairy", **changes: object) -> Envelope:
    parts: dict[str, object] = {
        "sender": Address(mailbox="statements@tarnvale.example", display="Statements"),
        "to": (Address(mailbox="zoe@members.example", display=display),),
        "cc": (Address(mailbox="ines@tarnvale.example"),),
        "bcc": (Address(mailbox="archive@tarnvale.example"),),
        "message_id": "<abc@tarnvale.example>",
    }
    return Envelope(**(parts | changes))  # type: ignore[arg-type]


def opened(data: bytes) -> EmailMessage:
    found = message_from_bytes(data, policy=default)
    assert isinstance(found, EmailMessage)
    return found


def written(subject: str = "Milk statement", markup: str = "Dear **Zoë**", **changes: object) -> bytes:
    return write_message(envelope(**changes), subject, Body.of(markup), "en_IE")  # type: ignore[arg-type]


def test_the_whole_message() -> None:
    files = [
        Attachment(name="00042 statement.pdf", format="pdf", data=b"%PDF-" + bytes(range(256)) * 9),
        Attachment(name="Łódź „42“.xlsx", format="xlsx", data=b"PK"),
    ]
    data = compose(written(), files, NOW)
    message = opened(data)
    assert message.keys() == [
        "Date", "From", "To", "Cc", "Subject", "Message-ID", "Auto-Submitted", "MIME-Version", "Content-Type",
    ]  # fmt: skip
    assert message["To"] == "Zoë's Dairy <zoe@members.example>"
    assert message["Auto-Submitted"] == "auto-generated"
    assert message["Date"].datetime == NOW
    assert b"archive@" not in data
    text, page = message.get_body(("plain",)), message.get_body(("html",))
    assert text is not None
    assert page is not None
    assert text.get_content().strip() == "Dear Zoë"
    assert "<strong>Zoë</strong>" in page.get_content()
    assert [(a.get_filename(), a.get_content_type(), a.get_content()) for a in message.iter_attachments()] == [
        (files[0].name, "application/pdf", files[0].data),
        (files[1].name, "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", files[1].data),
    ]
    assert b"filename*=utf-8''%C5%81%C3%B3d%C5%BA" in data
    assert max(map(len, data.split(b"\r\n"))) <= 998
    assert data.isascii()
    assert b"\n" not in data.replace(b"\r\n", b"")


@pytest.mark.parametrize(
    ("form", "encoding", "charset"),
    [("txt", "utf-8", "utf-8"), ("html", "utf-8", "utf-8"), ("csv", "utf-8-sig", "utf-8"), ("txt", "cp1252", None)],
)
def test_text_beyond_ascii_says_how_it_is_written_where_that_is_known(
    form: str, encoding: str, charset: str | None
) -> None:
    data = "Zoë's Dairy, 12 €\r\n".encode(encoding)
    (part,) = opened(compose(written(), [Attachment(name=f"a.{form}", format=form, data=data)], NOW)).iter_attachments()
    assert part.get_param("charset") == charset
    assert part.get_payload(decode=True) == data


@pytest.mark.parametrize("end", ["\n", "\r", "\n.\n", "\r\n.\r", "\r\r\n"])
def test_no_line_ends_in_a_way_of_its_own(end: str) -> None:
    sealed = written().replace(b"Dear", end.encode() + b"Dear")
    for whole in (compose(written(markup=f"one{end}two"), (), NOW), compose(sealed, (), NOW)):
        assert not {*b"\r\n"} & {*whole.replace(b"\r\n", b"")}


HEADER_VALUES = st.one_of(
    st.text(max_size=120),
    st.sampled_from(
        [
            "=?utf-8?q?a=0D=0ABcc:_x@y.example?=",
            "a\r\nBcc: x@y.example",
            "x\u2028Bcc: y",
            "\x00",
            '"quoted\\"',
            "a" * 300,
            "é " * 90,
            "",
        ]
    ),
)


@given(HEADER_VALUES, HEADER_VALUES)
def test_no_subject_and_no_name_adds_a_line_or_a_recipient(subject: str, display: str) -> None:
    block = written(subject=subject, display=display).partition(b"\r\n\r\n")[0] + b"\r\n\r\n"
    message = opened(block)
    assert message.keys() == [
        "From",
        "To",
        "Cc",
        "Subject",
        "Message-ID",
        "Auto-Submitted",
        "MIME-Version",
        "Content-Type",
    ]
    assert [address.addr_spec for address in message["To"].addresses] == ["zoe@members.example"]
    assert "Bcc" not in message
    assert max(map(len, block.split(b"\r\n"))) <= 998


@pytest.mark.parametrize("subject", ["Łódź für Zoë", "=?utf-8?q?not_encoded?=", "a plain one", "long " * 60])
def test_a_reader_sees_exactly_the_subject(subject: str) -> None:
    assert opened(written(subject=subject))["Subject"] == subject.strip()


def test_a_trial_goes_to_one_address_and_shows_the_real_ones() -> None:
    sealed, me = written(), Address(mailbox="me@tarnvale.example")
    trial = for_trial(sealed, "Milk statement", envelope(message_id="<new@tarnvale.example>"), [me])
    message = opened(compose(trial, [], NOW))
    real = "to zoe@members.example; cc ines@tarnvale.example; bcc archive@tarnvale.example"
    assert message["To"] == "me@tarnvale.example"
    assert message["Cc"] is None
    assert message["Subject"] == f"[trial: {real}] Milk statement"
    assert message["X-Gonnet-Trial"] == real
    assert message["Message-ID"] == "<new@tarnvale.example>"
    body, before = message.get_body(("html",)), opened(sealed).get_body(("html",))
    assert body is not None
    assert before is not None
    assert body.get_content() == before.get_content()


def test_the_same_parts_give_the_same_bytes() -> None:
    assert written() == written()


HOUSE = Frame("Tarnvale & Sons", "#2f5d50")


def test_a_message_has_the_frame_of_the_house_and_loads_nothing() -> None:
    page = html_page(write_message(envelope(), "Milk <b>", Body.of("Dear **Ann**"), "de_AT", HOUSE))
    for part in ('<html lang="de-AT" dir="ltr">', "<title>Milk &lt;b&gt;</title>", "Tarnvale &amp; Sons", "max-width:40em",
            "border-top:4px solid #2f5d50", "prefers-color-scheme:dark", "<strong>Ann</strong>"):  # fmt: skip
        assert part in page
    assert remote_targets(page) == []
    assert not re.search(r"https?:|@import|url\(|src=|@font-face", page)


def test_other_words_keep_the_frame_and_those_of_an_earlier_version_get_one() -> None:
    sealed = write_message(envelope(), "Milk", Body.of("Dear Ann"), "pl", HOUSE)
    page = html_page(with_body(sealed, Body.of("Dear *Bea* $1 \\1")))
    assert "Tarnvale &amp; Sons" in page
    assert "Dear <em>Bea</em> $1 \\1" in page
    assert "Ann" not in page
    assert 'lang="pl"' in page
    own = write_message(envelope(), "Milk", Body.of_page("<html lang='fr'><body>Chère Ann</body></html>"), "fr", HOUSE)
    assert "Tarnvale" not in html_page(own)
    assert "Bea" in html_page(with_body(own, Body.of("Bea")))


def test_a_message_with_a_report_is_light_everywhere() -> None:
    body = replace(Body.of("Dear Ann"), style=".report{color:#000}")
    page = html_page(write_message(envelope(), "Milk", body, "en_IE", HOUSE))
    assert "prefers-color-scheme" not in page
    assert 'content="light"' in page
    assert ".report{color:#000}" in page
