"""Signing and encrypting as the mail server asks for it: whoever cannot get it so gets nothing, and that is told."""

from __future__ import annotations

import base64
import datetime as dt
from email import message_from_bytes
from email.policy import default
from pathlib import Path
from typing import Any

import pytest
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.serialization import Encoding
from cryptography.x509.oid import ExtendedKeyUsageOID

from certified import Holder, decrypted, holder, issuer, rsa_key, token_with, verified
from gonnet.errors import JobError
from gonnet.jobs import load_job
from gonnet.ledger import RunRecord, State
from gonnet.pipeline.check import check
from gonnet.pipeline.prepare import prepare
from gonnet.pipeline.send import send
from gonnet.pipeline.sending.choosing import Choice
from gonnet.pipeline.sending.outlook import outlook
from gonnet.pipeline.sending.summary import send_summary
from gonnet.pipeline.sending.trial import trial
from gonnet.pipeline.survey import Request
from gonnet.recipients import Address
from scripted_smtp import Script, serving
from support import AS_OF, MEMBERS, SETTINGS, Dairy

OFFICE, ZOE, LAKA = "statements@tarnvale.example", "zoe@members.tarnvale.example", "laka@members.tarnvale.example"
INES = "ines@tarnvale.example"
NOW = dt.datetime(2026, 11, 5, 12, tzinfo=dt.UTC)
NO_COPIES = (", to: email, cc: adviser", ", to: email")
LOCKED = (
    "[{report: statement, as: pdf}, {report: statement, as: xlsx}]",
    '[{report: statement, as: pdf, password: {open: "{{ recipient.word }}"}}]',
)


def smime(dairy: Dairy, server: str, *people: str, spec: str = "{certificates: certificates}", **files: Holder) -> None:
    """Settings with a server that signs or encrypts, and certificates of some people in the folder."""
    text = SETTINGS.replace("PORT", str(dairy.port)).replace("seconds: 5", f"seconds: 5, {server}")
    dairy.write("gonnet.yaml", text + f"smime: {spec}\n")
    (dairy.folder / "certificates").mkdir(exist_ok=True)
    for address in people:
        dairy.write(f"certificates/{address.partition('@')[0]}.pem", holder(address).pem)
    for name, who in files.items():
        dairy.write(f"certificates/{name}.pem", who.pem)


def signs(dairy: Dairy, monkeypatch: pytest.MonkeyPatch, who: Holder, server: str = "sign: true") -> None:
    """Settings with a server that signs, the certificate of the office, and its key in the environment."""
    dairy.write("office.pem", who.pem)
    monkeypatch.setenv("OFFICE_KEY", who.key_pem("cowslip").decode())
    monkeypatch.setenv("OFFICE_WORD", "cowslip")
    key = "{certificate: office.pem, key: '${OFFICE_KEY}', password: '${OFFICE_WORD}'}"
    smime(dairy, server, ZOE, INES, spec=f"{{certificates: certificates, signers: {{office: {key}}}}}")


def sent(dairy: Dairy, *changes: tuple[str, str], members: str = MEMBERS) -> tuple[dict[str, Any], Script]:
    """The packages of a run after its send, and the server that took what left."""
    script = Script()
    dairy.write("members.csv", members)
    with dairy.tools(at=NOW) as tools, serving(script, dairy.port):
        run = prepare(dairy.job(*changes), tools, Request(as_of=AS_OF, asked={}))
        send(run, tools)
        return dairy.by_key(tools, run), script


def found(dairy: Dairy, *changes: tuple[str, str], at: dt.datetime = NOW) -> list[str]:
    with dairy.tools(at=at) as tools:
        return [one.text for one in check(dairy.job(*changes), tools, Request(as_of=AS_OF, asked={})).findings]


def test_each_address_gets_a_message_that_only_it_can_read(dairy: Dairy, tmp_path: Path) -> None:
    smime(dairy, "encrypt: always", ZOE, INES)
    packages, script = sent(dairy)
    assert sorted(address for address, _ in script.stored) == [INES, ZOE]
    for address, data in script.stored:
        opened = message_from_bytes(decrypted(data, holder(address), tmp_path), policy=default)
        assert [part.get_filename() for part in opened.iter_attachments()] == [
            "00042 statement.pdf",
            "00042 statement.xlsx",
        ]
        other = ({ZOE, INES} - {address}).pop()
        with pytest.raises(Exception, match="non-zero"):
            decrypted(data, holder(other, key=rsa_key(9)), tmp_path)
    assert packages["117"].state is State.HELD
    assert packages["117"].reason == f"{LAKA} has no certificate, and mail server 'office' encrypts every message"


@pytest.mark.parametrize(
    ("wrong", "why"),
    [
        (holder(ZOE, ends=dt.datetime(2026, 11, 4, tzinfo=dt.UTC)), "that in zoe.pem expired on 2026-11-04"),
        (holder(ZOE, begins=dt.datetime(2026, 11, 9, tzinfo=dt.UTC)), "that in zoe.pem holds only from 2026-11-09"),
        (holder("hall@tarnvale.example"), ""),
        (
            holder(ZOE, key=ec.generate_private_key(ec.SECP256R1())),
            "that in zoe.pem has a key of another kind than RSA",
        ),
        (holder(ZOE, purpose=ExtendedKeyUsageOID.SERVER_AUTH), "that in zoe.pem is not one for mail"),
    ],
    ids=["expired", "not yet", "somebody else's", "elliptic curve", "of a server"],
)
def test_a_certificate_that_cannot_be_used_counts_as_none(dairy: Dairy, wrong: Holder, why: str) -> None:
    smime(dairy, "encrypt: always", INES, zoe=wrong)
    packages, script = sent(dairy)
    assert not script.stored
    said = f"no certificate of {ZOE} can be used ({why})" if why else f"{ZOE} has no certificate"
    assert packages["00042"].reason == f"{said}, and mail server 'office' encrypts every message"


def test_what_has_expired_since_the_review_keeps_it_from_leaving(dairy: Dairy) -> None:
    smime(dairy, "encrypt: always", INES, zoe=holder(ZOE, ends=dt.datetime(2026, 11, 6, tzinfo=dt.UTC)))
    script = Script()
    with dairy.tools(at=NOW) as tools:
        run = prepare(dairy.job(), tools, Request(as_of=AS_OF, asked={}))
        assert dairy.by_key(tools, run)["00042"].state is State.READY
    said: list[str] = []

    def ask(run: RunRecord, choice: Choice) -> bool:
        assert not script.stored
        said.extend(why for _, why in outlook(run, choice, tools).refused.first)
        return True

    with dairy.tools(at=NOW + dt.timedelta(days=2)) as tools, serving(script, dairy.port):
        send(run, tools, ask=ask)
        assert "(that in zoe.pem expired on 2026-11-06)" in said[0]
        assert dairy.by_key(tools, run)["00042"].reason == said[0]
    assert not script.stored


def test_where_possible_means_that_others_get_theirs_in_the_open(dairy: Dairy, tmp_path: Path) -> None:
    smime(dairy, "encrypt: where possible", ZOE)
    _, script = sent(dairy)
    types = {(address, message_from_bytes(data).get_content_type()) for address, data in script.stored}
    closed, plain = "application/pkcs7-mime", "multipart/mixed"
    assert types == {(ZOE, closed), (LAKA, plain), (INES, plain)}
    assert "2 of 3 addresses have no certificate that can be used" in found(dairy, NO_COPIES)


def test_who_has_no_certificate_gets_files_with_passwords_and_others_need_none(dairy: Dairy, tmp_path: Path) -> None:
    smime(dairy, "encrypt: or password", ZOE)
    members = "farm_no,farm_name,email,word\n" + "".join(
        f"{no},Farm {no},{mail},{word}\n" for no, mail, word in (("00042", ZOE, ""), ("117", LAKA, "butterchurn"))
    )
    _, script = sent(dairy, NO_COPIES, LOCKED, members=members)
    files = {}
    for address, data in script.stored:
        plain = decrypted(data, holder(ZOE), tmp_path) if address == ZOE else data
        (part,) = message_from_bytes(plain, policy=default).iter_attachments()
        files[address] = bytes(part.get_content())
    assert {address: b"/Encrypt" in data for address, data in files.items()} == {ZOE: False, LAKA: True}
    with dairy.tools(at=NOW) as tools, serving(script, dairy.port):  # what is open does not go to somebody else either
        run = tools.ledger.run("1")
        told = trial(run, tools, [Address(mailbox=INES)], only=("00042",))
        assert told.ended == f"{INES} has no certificate, and 00042 statement.pdf has no password"


def test_files_without_a_password_are_told_of_and_held(dairy: Dairy) -> None:
    smime(dairy, "encrypt: or password", ZOE, INES)
    assert "statement has no `password`, and mail server 'office' lets none leave open" in found(dairy)
    packages, script = sent(dairy)
    assert {address for address, _ in script.stored} == {ZOE, INES}
    assert packages["117"].reason == f"{LAKA} has no certificate, and 117 statement.pdf has no password"


def test_a_certificate_may_stand_on_the_list(dairy: Dairy, tmp_path: Path) -> None:
    smime(dairy, "encrypt: always", spec="{}")
    bare = base64.b64encode(holder(key=rsa_key(2)).certificate.public_bytes(Encoding.DER)).decode()
    members = f"farm_no,farm_name,email,certificate\n00042,Zoë's Dairy,{ZOE},{bare}\n117,Łąka,{LAKA},MIIBkaputt\n"
    packages, script = sent(dairy, (NO_COPIES[0], ", to: email, certificate: certificate"), members=members)
    ((address, data),) = script.stored
    assert address == ZOE
    assert b"00042 statement.pdf" in decrypted(data, holder(key=rsa_key(2)), tmp_path)
    assert "its certificate cannot be read" in packages["117"].reason


def test_messages_are_signed_for_their_sender(dairy: Dairy, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    signs(dairy, monkeypatch, holder(OFFICE), "sign: true, encrypt: where possible")
    _, script = sent(dairy)
    assert len(script.stored) == 4
    for address, data in script.stored:
        plain = decrypted(data, holder(address), tmp_path) if address in (ZOE, INES) else data
        assert b"statement.pdf" in verified(plain, tmp_path)


def test_a_key_may_stay_on_a_token(dairy: Dairy, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    office = holder(OFFICE)
    uri = token_with(office, tmp_path, monkeypatch)
    dairy.write("office.pem", office.pem + issuer().pem)
    monkeypatch.setenv("OFFICE_PIN", "4711")
    key = f"{{certificate: office.pem, key: '{uri}', password: '${{OFFICE_PIN}}'}}"
    smime(dairy, "sign: true, connections: 3", spec=f"{{signers: {{office: {key}}}}}")
    _, script = sent(dairy)
    assert len(script.stored) == 4
    assert all(b"statement.pdf" in verified(data, tmp_path) for _, data in script.stored)
    monkeypatch.setenv("OFFICE_PIN", "0000")
    told = dairy.gonnet("check", "statements", "--as-of", "2026-11-05", code=3).stdout
    assert "the key on the token cannot be used: PinIncorrect" in " ".join(told.split())


@pytest.mark.parametrize(
    ("who", "said"),
    [
        (holder(OFFICE, ends=dt.datetime(2026, 11, 4, tzinfo=dt.UTC)), "signer 'office' expired on 2026-11-04"),
        (holder(OFFICE, purpose=ExtendedKeyUsageOID.SERVER_AUTH), "signer 'office' is not one for mail"),
        (holder(OFFICE), "the certificate is of another key"),
        (holder(OFFICE), "the environment variable OFFICE_KEY is not set"),
        (holder(OFFICE), "the key cannot be used"),
    ],
    ids=["expired", "of a server", "another key", "no key", "wrong password"],
)
def test_a_signer_that_cannot_sign_is_told_before_the_first_message(
    dairy: Dairy, monkeypatch: pytest.MonkeyPatch, who: Holder, said: str, request: pytest.FixtureRequest
) -> None:
    signs(dairy, monkeypatch, who)
    match request.node.callspec.id:
        case "another key":
            monkeypatch.setenv("OFFICE_KEY", holder(LAKA, key=rsa_key(7)).key_pem("cowslip").decode())
        case "no key":
            monkeypatch.delenv("OFFICE_KEY")
        case "wrong password":
            monkeypatch.setenv("OFFICE_WORD", "clover")
        case _:
            pass
    assert any(said in text for text in found(dairy))
    script = Script()
    with dairy.tools(at=NOW) as tools, serving(script, dairy.port):
        run = prepare(load_job(tools.workspace, "statements"), tools, Request(as_of=AS_OF, asked={}))
        assert any(said in text for _, text in run.findings)
        with pytest.raises(JobError, match=said):
            send(run, tools)
    assert not script.stored


def test_a_message_of_a_sender_for_whom_nobody_signs_does_not_leave(
    dairy: Dairy, monkeypatch: pytest.MonkeyPatch
) -> None:
    signs(dairy, monkeypatch, holder("laboratory@tarnvale.example"))
    assert any(f"nobody signs for {OFFICE}" in text for text in found(dairy))
    packages, script = sent(dairy)
    assert not script.stored
    assert packages["00042"].reason == f"no certificate under `smime.signers` that holds is for the sender {OFFICE}"


def test_what_ends_within_thirty_days_is_told(dairy: Dairy, monkeypatch: pytest.MonkeyPatch) -> None:
    signs(dairy, monkeypatch, holder(OFFICE, ends=NOW + dt.timedelta(days=31)), "sign: true, encrypt: where possible")
    dairy.write("certificates/zoe.pem", holder(ZOE, ends=NOW + dt.timedelta(days=31)).pem)
    assert not [text for text in found(dairy) if "ends on" in text or "within 30 days" in text]
    told = found(dairy, at=NOW + dt.timedelta(days=2))
    assert f"the certificate with which {OFFICE} signs ends on 2026-12-06: get a new one" in told
    assert f"certificates of a recipient ends within 30 days: {ZOE} on 2026-12-06" in told


def test_nothing_that_the_summary_says_leaves_in_the_open_either(dairy: Dairy) -> None:
    smime(dairy, "encrypt: always", ZOE)
    with (dairy.folder / "gonnet.yaml").open("a") as file:
        file.write(f"summary: {{to: {INES}, from: {OFFICE}}}\n")
    script = Script()
    with dairy.tools(at=NOW) as tools, serving(script, dairy.port):
        run = prepare(dairy.job(NO_COPIES), tools, Request(as_of=AS_OF, asked={}))
        send(run, tools)
        said = send_summary(tools.ledger.run(str(run.id)), tools)
    assert said is not None
    assert said.startswith(f"the summary was not sent to {INES}: {INES} has no certificate")
    assert [address for address, _ in script.stored] == [ZOE]


def test_the_folder_must_be_there(dairy: Dairy) -> None:
    smime(dairy, "encrypt: where possible", spec="{certificates: elsewhere}")
    with pytest.raises(JobError, match="there is no folder"):
        found(dairy)
