"""Signatures in PDFs: PAdES baseline B-B (ETSI EN 319 142-1, 6), with a certificate and its key, by pyHanko."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING, Any

from gonnet.errors import require_library

if TYPE_CHECKING:
    from cryptography import x509 as x5

    from gonnet.delivery.smime import SigningKey

_FIELD = "Signature"
_ROOM = 2048  # bytes for a signature, beside its certificates


def require(where: str) -> None:
    """Refuse where the library that signs PDFs is not installed.

    Raises:
        JobError: names the line that installs it.
    """
    require_library("pyhanko", "signs PDFs", "sign-pdf", where)


def sign_pdf(data: bytes, by: SigningKey, password: str = "") -> bytes:
    """A PDF with a signature that nobody sees on its pages, and every reader of PDFs tells of.

    The signature is of now, and no authority for time says so: its bytes are new every time. What the file conforms to
    stays true: its field lies beside the page and has no look.

    Args:
        data: The PDF.
        by: What signs it, with SHA-256.
        password: What opens the PDF; empty where nothing is needed.
    """
    from pyhanko.sign import PdfSignatureMetadata, PdfSigner
    from pyhanko.sign.fields import InvisSigSettings, SigFieldSpec, SigSeedSubFilter, append_signature_field

    writer = _writer(data, password)
    unseen = InvisSigSettings(set_print_flag=True, set_hidden_flag=False, box_out_of_bounds=True)
    append_signature_field(writer, SigFieldSpec(_FIELD, invis_sig_settings=unseen, readable_field_name=_FIELD))
    _tag(writer)
    signer = PdfSigner(
        PdfSignatureMetadata(field_name=_FIELD, md_algorithm="sha256", subfilter=SigSeedSubFilter.PADES),
        signer=_signer(by),
    )
    target = io.BytesIO()
    chain = sum(len(_der(one)) for one in (by.certificate.x509, *by.issuers))
    signer.sign_pdf(writer, existing_fields_only=True, bytes_reserved=2 * (_ROOM + chain), output=target)
    return target.getvalue()


def _writer(data: bytes, password: str) -> Any:  # noqa: ANN401  a class of a library that is loaded late
    """What adds to a PDF; what the file says of itself stays as it is."""
    from pyhanko.pdf_utils.incremental_writer import IncrementalPdfFileWriter

    class Adding(IncrementalPdfFileWriter):
        def _update_meta(self) -> None:
            pass

    writer: Any = Adding(io.BytesIO(data))
    if password:
        writer.encrypt(password)
    return writer


def _tag(writer: Any) -> None:  # noqa: ANN401
    """Put the signature's field into the structure of a tagged PDF, as a form (ISO 14289-1, 7.18.4)."""
    from pyhanko.pdf_utils import generic

    pdf: Any = generic  # which has no hints
    catalog = writer.root
    if "/StructTreeRoot" not in catalog or "/ParentTree" not in (root := catalog["/StructTreeRoot"]):
        return
    tree = root["/ParentTree"]
    if "/Nums" not in tree or isinstance(root["/K"], pdf.ArrayObject):
        return  # it is not as Gonnet writes it
    field, document = catalog["/AcroForm"]["/Fields"].raw_get(0), root.raw_get("/K")
    name = pdf.NameObject
    seen = pdf.DictionaryObject({name("/Type"): name("/OBJR"), name("/Obj"): field})
    form = pdf.DictionaryObject({name("/S"): name("/Form"), name("/P"): document, name("/K"): seen})
    form["/Alt"] = field.get_object()["/TU"]
    placed, numbers = writer.add_object(form), tree["/Nums"]
    number = pdf.NumberObject(int(numbers[-2]) + 1 if len(numbers) else 0)
    numbers.extend([number, placed])
    field.get_object()["/StructParent"] = number
    document.get_object()["/K"].append(placed)
    for changed in (field.get_object(), document.get_object(), tree):
        writer.update_container(changed)


def _der(certificate: x5.Certificate) -> bytes:
    from cryptography.hazmat.primitives.serialization import Encoding

    return certificate.public_bytes(Encoding.DER)


def _signer(by: SigningKey) -> Any:  # noqa: ANN401  a class of a library that is loaded late
    """What signs for pyHanko: by the key itself, which may be on a token."""
    from asn1crypto import x509
    from cryptography.hazmat.primitives.asymmetric.ec import ECDSA
    from cryptography.hazmat.primitives.asymmetric.padding import PKCS1v15
    from cryptography.hazmat.primitives.asymmetric.rsa import RSAPrivateKey
    from cryptography.hazmat.primitives.hashes import SHA256
    from pyhanko.sign import Signer
    from pyhanko_certvalidator.registry import SimpleCertificateStore

    class KeySigner(Signer):
        async def async_sign_raw(self, data: bytes, digest_algorithm: str, dry_run: bool = False) -> bytes:
            assert digest_algorithm == "sha256"
            if isinstance(by.key, RSAPrivateKey):
                return by.key.sign(data, PKCS1v15(), SHA256())
            return by.key.sign(data, ECDSA(SHA256()))

    store: Any = SimpleCertificateStore
    issuers = store()
    issuers.register_multiple(x509.Certificate.load(_der(one)) for one in by.issuers)
    return KeySigner(
        signing_cert=x509.Certificate.load(_der(by.certificate.x509)), cert_registry=issuers, embed_roots=True
    )
