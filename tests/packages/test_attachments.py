"""How files travel: in a zip, in a zip that needs a password, over several messages; never larger than may be."""

from __future__ import annotations

import io
import zipfile
from email import message_from_bytes
from email.policy import default
from typing import Any

import pytest
import pyzipper
from hypothesis import given
from hypothesis import strategies as st

from gonnet import delivery
from gonnet.jobs.contents import Limit
from gonnet.ledger import PackageRecord
from gonnet.packages.attachments import AttachmentPlan, TooLargeError, shared_out, travelling, zipped
from gonnet.pipeline.sending.composing import unsealed
from gonnet.pipeline.tools import Tools
from support import Dairy

FILES = [("a.pdf", b"%PDF" * 400), ("Łąka.xlsx", b"PK" * 300)]


def package(dairy: Dairy, tools: Tools, change: str, key: str = "117") -> PackageRecord:
    return dairy.by_key(
        tools, dairy.prepared(tools, ('name: "{{ key }} statement"', f'name: "{{{{ key }}}} statement"\n  {change}'))
    )[key]


def attached(found: PackageRecord, tools: Tools) -> list[list[str]]:
    """Names of the attachments of each message as a reader of it finds them."""
    files, names = unsealed(found, tools, 1), []
    for message in found.messages:
        whole = delivery.compose(
            tools.store.get(message.sha256), [files[name] for name in message.files], tools.clock()
        )
        mail: Any = message_from_bytes(whole, policy=default)
        names.append([part.get_filename() for part in mail.iter_attachments()])
    return names


def test_a_zip_is_the_same_for_the_same_files_and_keeps_their_names() -> None:
    assert zipped(FILES) == zipped(FILES)
    with zipfile.ZipFile(io.BytesIO(zipped(FILES))) as book:
        assert {name: book.read(name) for name in book.namelist()} == dict(FILES)


def test_a_zip_with_a_password_opens_with_it_alone() -> None:
    data = zipped(FILES, "wędzonka")
    with pyzipper.AESZipFile(io.BytesIO(data)) as book:
        book.setpassword("wędzonka".encode())
        assert {name: book.read(name) for name in book.namelist()} == dict(FILES)
        assert {part.wz_aes_strength for part in book.infolist()} == {3}, "AES-256"
        book.setpassword(b"other")
        with pytest.raises(RuntimeError, match="password"):
            book.read("a.pdf")


@given(st.lists(st.integers(1, 4000), min_size=1, max_size=12), st.integers(0, 500))
def test_every_file_goes_once_in_order_and_no_message_is_larger_than_allowed(sizes: list[int], body: int) -> None:
    limit = Limit.model_validate({"size": "7 kB", "over": "split"})
    parts = shared_out(sizes, body, AttachmentPlan(name="", limit=limit))
    assert [number for part in parts for number in part] == list(range(len(sizes)))
    assert all(body + sum(travelling(sizes[at]) for at in part) <= 7000 for part in parts)
    assert len(parts) == 1 or all(parts)


@pytest.mark.parametrize("over", ["hold", "zip", "split"])
def test_a_file_that_is_too_large_by_itself_is_refused(over: str) -> None:
    with pytest.raises(TooLargeError, match="110 kB, more than 20 kB"):
        shared_out([80_000], 100, AttachmentPlan(name="", limit=Limit.model_validate({"size": "20 kB", "over": over})))


def test_all_files_go_as_one_zip(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        found = package(dairy, tools, "zip: true")
        assert str(found.state) == "ready"
        assert [document.name for document in found.documents][-1] == "117 statement.zip"
        assert attached(found, tools) == [["117 statement.zip"]]
        with zipfile.ZipFile(io.BytesIO(tools.store.get(found.documents[-1].sha256))) as book:
            inside = {name: book.read(name) for name in book.namelist()}
        assert inside == {d.name: tools.store.get(d.sha256) for d in found.documents[:-1]}
    assert "[zip]" in dairy.gonnet("send", "last", code=2).stdout


def test_a_zip_has_the_password_of_who_gets_it_and_without_one_is_held(dairy: Dairy) -> None:
    members = "farm_no,farm_name,email,adviser,pin\n00042,Zoë,z@x.example,,\n117,Łąka Górna,l@x.example,,4711\n"
    dairy.write("members.csv", members)
    with dairy.tools() as tools:
        found = package(dairy, tools, 'zip: {password: "{{ recipient.pin }}"}')
        with pyzipper.AESZipFile(io.BytesIO(tools.store.get(found.documents[-1].sha256))) as book:
            book.setpassword(b"4711")
            assert book.read("117 statement.pdf").startswith(b"%PDF")
        other = dairy.by_key(tools, tools.ledger.run("last"))["00042"]
        assert str(other.state) == "held"
        assert "there is no password for this recipient" in other.reason


@pytest.mark.parametrize(
    ("over", "state", "files"),
    [
        ("hold", "held", []),
        ("zip", "ready", [["117 statement.zip"]]),
        ("split", "ready", [["117 statement.pdf"], ["117 statement.xlsx"]]),
    ],
)
def test_what_becomes_of_a_message_that_is_too_large(
    dairy: Dairy, over: str, state: str, files: list[list[str]]
) -> None:
    with dairy.tools() as tools:
        plain = package(dairy, tools, "")
        sizes = [travelling(document.bytes) for document in plain.documents]
        limit = (sum(sizes) + len(tools.store.get(plain.messages[0].sha256)) - 200) // 100 / 10
        found = package(dairy, tools, f"limit: {{size: {limit} kB, over: {over}}}")
        assert str(found.state) == state, found.reason
        assert attached(found, tools) == files
        if over == "split":
            assert [message.subject for message in found.messages] == [
                "Statement of Łąka Górna (1/2)",
                "Statement of Łąka Górna (2/2)",
            ]
            assert len({message.message_id for message in found.messages}) == 2
        if over == "hold":
            assert "more than" in found.reason
