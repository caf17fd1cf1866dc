"""Signed PDFs: another program finds the signature good, what the file says of itself stays true, keys stay where they are."""

from __future__ import annotations

import datetime as dt
import io
import subprocess
from dataclasses import replace
from decimal import Decimal
from pathlib import Path
from typing import Any

import outloud
import pikepdf
import pytest
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import ExtendedKeyUsageOID

from certified import Holder, holder, issuer, pdf_signature, rsa_key, token_with
from gonnet.delivery.pdf_signatures import sign_pdf
from gonnet.delivery.smime import SigningKey
from gonnet.errors import JobError
from gonnet.jobs.values import Joint
from gonnet.ledger import PackageRecord
from gonnet.pipeline.check import check
from gonnet.pipeline.survey import Request
from gonnet.recipients.certificates import Certificate
from gonnet.reports import Painter
from made import LOOK, document
from read_aloud import claims, heard
from support import AS_OF, SETTINGS, Dairy

OFFICE = "statements@tarnvale.example"
NOW = dt.datetime(2026, 11, 5, 12, tzinfo=dt.UTC)
SIGNED = (
    "[{report: statement, as: pdf}, {report: statement, as: xlsx}]",
    "[{report: statement, as: pdf, sign: office}, {report: statement, as: xlsx}]",
)
CURVE = ec.generate_private_key(ec.SECP256R1())


def key_of(who: Holder) -> SigningKey:
    return SigningKey(key=who.key, certificate=Certificate.of(who.certificate, ""), issuers=(issuer().certificate,))


def elsewhere() -> bytes:
    target = io.BytesIO()
    with pikepdf.new() as made:
        made.add_blank_page()
        made.save(target)
    return target.getvalue()


def drawn() -> bytes:
    layout = document(["a", "b"], [Decimal(1), Decimal(2)])
    return Painter(LOOK).draw(layout, "pdf", joined=[layout], joint=Joint(contents=True)).data


@pytest.mark.parametrize("made", [drawn, elsewhere])
@pytest.mark.parametrize("who", [holder(OFFICE), holder(OFFICE, key=CURVE)], ids=["rsa", "elliptic curve"])
def test_another_program_finds_the_signature_good(tmp_path: Path, made: Any, who: Holder) -> None:  # noqa: ANN401
    data = made()
    signed = sign_pdf(data, key_of(who))
    assert signed.startswith(data)
    printed = pdf_signature(signed, tmp_path)
    assert "id-smime-aa-signingCertificateV2" in printed  # what PAdES asks for (EN 319 142-1, 6.3)
    assert b"/SubFilter /ETSI.CAdES.detached" in signed
    with pytest.raises(subprocess.CalledProcessError):
        pdf_signature(signed.replace(b"/Type", b"/Typo", 1), tmp_path)


def test_what_a_file_says_of_itself_stays_true(tmp_path: Path) -> None:
    data = drawn()
    signed = sign_pdf(data, key_of(holder(OFFICE)))
    assert claims(signed) == claims(data) == ["A-2B", "UA-1"]
    (tmp_path / "signed.pdf").write_bytes(signed)
    doubts = [one for one in outloud.check(str(tmp_path / "signed.pdf")).findings if one.severity == "error"]
    assert not doubts
    assert heard(signed).kids[-1].kind == "Form"
    with pikepdf.open(io.BytesIO(signed)) as file:
        (field,) = file.Root.AcroForm.Fields
        on_page = [note for note in file.pages[0].Annots if note.Subtype == "/Widget"]
        assert (int(field.F) & 4, "/AP" in field, len(on_page)) == (4, False, 1)


def prepared(dairy: Dairy, *changes: tuple[str, str]) -> tuple[dict[str, PackageRecord], dict[str, bytes]]:
    with dairy.tools(at=NOW) as tools:
        packages = dairy.by_key(tools, dairy.prepared(tools, *changes))
        return packages, {
            key: tools.store.get(one.documents[0].sha256) for key, one in packages.items() if one.documents
        }


def office(dairy: Dairy, monkeypatch: pytest.MonkeyPatch, who: Holder, spec: str = "") -> None:
    dairy.write("office.pem", who.pem)
    monkeypatch.setenv("OFFICE_KEY", who.key_pem().decode())
    spec = spec or "key: '${OFFICE_KEY}'"
    signers = f"smime: {{signers: {{office: {{certificate: office.pem, {spec}}}}}}}\n"
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + signers)


def test_documents_of_a_job_are_signed_and_count_as_unchanged_all_the_same(
    dairy: Dairy, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    office(dairy, monkeypatch, holder(OFFICE, purpose=ExtendedKeyUsageOID.CODE_SIGNING))  # for mail it need not be
    found = [prepared(dairy, SIGNED) for _ in range(2)]
    assert all(pdf_signature(data, tmp_path) for _, files in found for data in files.values())
    (first, second) = (packages["117"].documents for packages, _ in found)
    assert first[0].sha256 != second[0].sha256
    assert [one.content for one in first] == [one.content for one in second]
    assert [one.rows for one in first] == [2, 2]


def test_the_key_stays_on_this_machine_also_where_a_cluster_draws(
    dairy: Dairy, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    office(dairy, monkeypatch, holder(OFFICE))
    with dairy.tools(at=NOW) as tools:
        on_cluster = replace(tools, cluster=f"tcp://127.0.0.1:{dairy.port}", cluster_from=1)  # nobody answers there
        package = dairy.by_key(tools, dairy.prepared(on_cluster, SIGNED))["117"]
        assert pdf_signature(tools.store.get(package.documents[0].sha256), tmp_path)


def test_a_signed_document_may_have_a_password(dairy: Dairy, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    office(dairy, monkeypatch, holder(OFFICE))
    _, files = prepared(dairy, SIGNED, ("sign: office", "sign: office, password: {open: '{{ key }} and more'}"))
    with pikepdf.open(io.BytesIO(files["117"]), password="117 and more") as file:
        assert file.is_encrypted
    assert pdf_signature(files["117"], tmp_path)


def test_a_key_may_stay_on_a_token(dairy: Dairy, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    uri = token_with(holder(OFFICE), tmp_path, monkeypatch)
    monkeypatch.setenv("OFFICE_PIN", "4711")
    office(dairy, monkeypatch, holder(OFFICE), f"key: '{uri}', password: '${{OFFICE_PIN}}'")
    assert pdf_signature(prepared(dairy, SIGNED)[1]["117"], tmp_path)


@pytest.mark.parametrize(
    ("who", "change", "says"),
    [
        (holder(OFFICE, ends=NOW - dt.timedelta(days=1)), SIGNED, "of the signer 'office' expired on 2026-11-04"),
        (holder(OFFICE), (SIGNED[0], SIGNED[1].replace("office", "ofice")), "no signer 'ofice'. Did you mean 'office'"),
        (holder(OFFICE), (SIGNED[0], SIGNED[1].replace("as: pdf", "as: html")), "only a PDF is signed"),
        (holder(OFFICE, key=rsa_key(7)), SIGNED, "the certificate is of another key"),
    ],
    ids=["expired", "nobody", "no PDF", "another key"],
)
def test_what_cannot_be_signed_is_told_before_anything_is_made(
    dairy: Dairy, monkeypatch: pytest.MonkeyPatch, who: Holder, change: tuple[str, str], says: str
) -> None:
    office(dairy, monkeypatch, who)
    if "another" in says:
        monkeypatch.setenv("OFFICE_KEY", holder(OFFICE).key_pem().decode())
    with dairy.tools(at=NOW) as tools:
        with pytest.raises(JobError) as caught:
            dairy.prepared(tools, change)
        assert says in " ".join(str(one) for one in (caught.value, *caught.value.others))
        assert not list(tools.ledger.all_runs())


def test_a_certificate_that_ends_soon_is_told(dairy: Dairy, monkeypatch: pytest.MonkeyPatch) -> None:
    office(dairy, monkeypatch, holder(OFFICE, ends=NOW + dt.timedelta(days=29)))
    with dairy.tools(at=NOW) as tools:
        found = check(dairy.job(SIGNED), tools, Request(as_of=AS_OF, asked={})).findings
    says = "the certificate with which 'office' signs documents ends on 2026-12-04: get a new one"
    assert says in [one.text for one in found]
