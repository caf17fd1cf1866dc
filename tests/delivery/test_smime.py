"""Signed and encrypted messages as other programs read them."""

from __future__ import annotations

import datetime as dt
import shutil
import subprocess
from email import message_from_bytes
from email.policy import default
from pathlib import Path

import pytest
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.hashes import SHA1
from hypothesis import given, settings
from hypothesis import strategies as st

from certified import Holder, decrypted, holder, issuer, verified
from gonnet.delivery import Attachment, Body, Envelope, compose, write_message
from gonnet.delivery.smime import SigningKey, encrypted, signed
from gonnet.packages.attachments import AttachmentPlan, travelling
from gonnet.recipients import Address
from gonnet.recipients.certificates import Certificate
from runs import require

OFFICE, ZOE = "statements@tarnvale.example", "zoe@members.tarnvale.example"
PDF = Attachment(name="Łąka.pdf", format="pdf", data=bytes(range(256)) * 40)


def message(text: str = "Dear Zoë,\n\npayable: **1,166.05**\n") -> bytes:
    envelope = Envelope(
        sender=Address(mailbox=OFFICE, display="Statements"),
        to=(Address(mailbox=ZOE),),
        message_id="<1@tarnvale.example>",
    )
    sealed = write_message(envelope, "Statement of Zoë's Dairy", Body.of(text), "en_IE")
    return compose(sealed, [PDF], dt.datetime(2026, 11, 5, 12, tzinfo=dt.UTC))


def signer(of: Holder) -> SigningKey:
    return SigningKey(key=of.key, certificate=Certificate.of(of.certificate, "office"), issuers=(issuer().certificate,))


def said(data: bytes) -> tuple[str, list[tuple[str | None, bytes]]]:
    """The plain text and the attachments of a message, as a mail program shows them."""
    read = message_from_bytes(data, policy=default)
    body = read.get_body(("plain",))
    files = [(part.get_filename(), part.get_payload(decode=True)) for part in read.walk() if part.get_filename()]
    assert body is not None
    return str(body.get_content()), [(name, bytes(data)) for name, data in files if name != "smime.p7s"]


@pytest.mark.parametrize("kind", ["rsa", "elliptic curve"])
def test_what_was_signed_is_verified_by_another_program_and_shown_without_it(kind: str, tmp_path: Path) -> None:
    office = holder(OFFICE, key=ec.generate_private_key(ec.SECP256R1()) if kind != "rsa" else None)
    plain = message()
    data = signed(plain, signer(office))
    assert said(verified(data, tmp_path)) == said(plain) == said(data)
    head = message_from_bytes(data, policy=default)
    assert {name: head[name] for name in ("From", "To", "Subject", "Date", "Message-ID")} == {
        name: message_from_bytes(plain, policy=default)[name]
        for name in ("From", "To", "Subject", "Date", "Message-ID")
    }
    assert data.count(b"MIME-Version:") == 1
    with pytest.raises(subprocess.CalledProcessError):
        verified(data.replace(b"1,166.05", b"9,166.05", 1), tmp_path)


@settings(max_examples=15)
@given(
    text=st.text(st.characters(exclude_categories=("Cs", "Cc")), min_size=1).map(
        lambda text: f"a {text}\nb {text}\n.\nFrom x\n"
    )
)
def test_whatever_it_says_it_can_be_read_by_its_owner(text: str, tmp_path_factory: pytest.TempPathFactory) -> None:
    folder, plain = tmp_path_factory.mktemp("keys"), message(text)
    data = encrypted(signed(plain, signer(holder(OFFICE))), holder(ZOE).certificate)
    assert said(verified(decrypted(data, holder(ZOE), folder), folder)) == said(plain)
    body = len(plain) - travelling(len(PDF.data))
    assert len(plain) < len(data) <= AttachmentPlan(name="", encrypted=True).size(body, [len(PDF.data)])


def test_nothing_of_what_an_encrypted_message_says_can_be_read_on_the_way(tmp_path: Path) -> None:
    data = encrypted(message(), holder(ZOE).certificate)
    read = message_from_bytes(data, policy=default)
    assert read.get_content_type() == "application/pkcs7-mime"
    assert read["Subject"] == "Statement of Zoë's Dairy"
    inside = read.get_payload(decode=True)
    assert isinstance(inside, bytes)
    assert not {part for part in (b"Dear", b"1,166.05", b"html", PDF.data[:64]) if part in inside or part in data}
    with pytest.raises(subprocess.CalledProcessError):
        decrypted(data, holder("laka@members.tarnvale.example"), tmp_path)


def test_a_second_mail_program_reads_it_too(tmp_path: Path) -> None:
    require("gpgsm")
    zoe, home = holder(ZOE), tmp_path / "home"
    home.mkdir(mode=0o700)
    asks = ["gpgsm", "--homedir", str(home), "--batch", "--disable-crl-checks", "--pinentry-mode", "loopback"]
    asks += ["--passphrase-fd", "0"]
    (home / "gpg-agent.conf").write_text("allow-loopback-pinentry\n")
    (home / "trustlist.txt").write_text(f"{issuer().certificate.fingerprint(SHA1()).hex()} S relax\n")
    (tmp_path / "me.p12").write_bytes(zoe.p12("tank"))
    try:
        subprocess.run([*asks, "--import", str(tmp_path / "me.p12")], input=b"tank\n", capture_output=True, check=True)
        data = encrypted(signed(message(), signer(holder(OFFICE))), zoe.certificate)
        inside = message_from_bytes(data, policy=default).get_payload(decode=True)
        assert isinstance(inside, bytes)
        (tmp_path / "smime.p7m").write_bytes(inside)
        opened = subprocess.run(
            [*asks, "--decrypt", str(tmp_path / "smime.p7m")], input=b"tank\n", capture_output=True, check=True
        ).stdout
        assert said(opened) == said(message())
        _, signature = message_from_bytes(opened, policy=default).iter_parts()
        mark = message_from_bytes(opened).get_boundary()
        (tmp_path / "content").write_bytes(opened.split(f"--{mark}\r\n".encode())[1].removesuffix(b"\r\n"))
        (tmp_path / "smime.p7s").write_bytes(signature.get_content())
        files = [str(tmp_path / "smime.p7s"), str(tmp_path / "content")]
        checked = subprocess.run([*asks, "--verify", *files], input=b"", capture_output=True, check=False)
        assert b"Good signature" in checked.stderr, checked.stderr.decode()
    finally:
        shutil.which("gpgconf") and subprocess.run(["gpgconf", "--homedir", str(home), "--kill", "all"], check=False)
