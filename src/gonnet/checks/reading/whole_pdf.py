"""Everything that a PDF of somebody else says: its pages, and each text of any of its objects (ISO 32000-1).

So notes, forms, links, scripts, names of layers, page labels, titles and alternative texts are read without a list of
all the places where a text may stand; and so are its metadata (XMP) and the files that are attached to it.
"""

from __future__ import annotations

import io
import re
from collections.abc import Callable, Iterator, Sequence

import pikepdf

from gonnet.checks.reading.models import InLines, ReadBack
from gonnet.checks.reading.pdf_texts import parts_of_pdf
from gonnet.checks.reading.xml_texts import xml_texts

Inner = Callable[[bytes, str], None]

_STRING = re.compile(rb"\(|(?<!<)<(?!<)")  # as objects are written: 7.3.4
_IDENTIFIERS = re.compile(rb"/ID \[(?: <[0-9a-f]*>)* \]")
_NAMED = re.compile(rb"/(?:Type|Subtype|Params|Length1)\b")
_SILENT = frozenset(
    ("/ID", "/CheckSum", "/CreationDate", "/ModDate", "/M", "/O", "/U", "/OE", "/UE", "/Perms", "/CIDSystemInfo")
)  # fmt: skip


def whole_pdf(data: bytes, unsearched: list[str], inner: Inner) -> Iterator[tuple[str, tuple[str, ...]]]:
    """Its pages and all its other texts.

    Args:
        data: Its bytes.
        unsearched: What cannot be read is added here.
        inner: Reads a file that is attached to it.

    Raises:
        ValueError: it cannot be read.
    """
    try:
        with pikepdf.open(io.BytesIO(data)) as document:
            texts, metadata, pictures = _objects(document, inner)
    except pikepdf.PasswordError:
        unsearched.append("locked by a password")
        return
    except pikepdf.PdfError as error:
        raise ValueError("not a PDF") from error
    yield from ((place, tuple(map(InLines, texts))) for place, texts in parts_of_pdf(data))
    yield "notes, forms, links and other texts", tuple(texts)
    yield "metadata", tuple(metadata)
    if pictures:
        unsearched.append(_pictures(pictures))


def known_pages(data: bytes, texts: Sequence[str], are_same: Callable[[pikepdf.Pdf], bool]) -> ReadBack | None:
    """The same of a file whose pages were read before, in another file; None where they are not the same.

    Args:
        data: Its bytes.
        texts: What its pages say.
        are_same: Whether its pages are those that were read.
    """
    attached: list[str] = []
    with pikepdf.open(io.BytesIO(data)) as document:
        found, metadata, pictures = _objects(document, lambda _data, name: attached.append(name))
        if attached or not are_same(document):
            return None
    pages = ((f"page {number}", (InLines(text),)) for number, text in enumerate(texts, 1))
    others = ("notes, forms, links and other texts", tuple(found)), ("metadata", tuple(metadata))
    return ReadBack(parts=(*pages, *others), unsearched=(_pictures(pictures),) if pictures else ())


def _pictures(count: int) -> str:
    return f"{count} picture{'s' if count > 1 else ''} in it"


def _objects(document: pikepdf.Pdf, inner: Inner) -> tuple[list[str], list[str], int]:
    texts: list[str] = []
    metadata: list[str] = []
    pictures = 0
    for part in (*document.objects, document.trailer):
        if not isinstance(part, pikepdf.Object):  # a number by itself
            continue
        written = (part.stream_dict if isinstance(part, pikepdf.Stream) else part).unparse(resolved=True)
        if _has_text(written):
            texts += _texts(part)
        if not isinstance(part, pikepdf.Stream):
            continue
        if _NAMED.search(written) is None:  # as that of a page, which is most
            texts.append(_script(_bytes(part)))
            continue
        kind, subtype = str(part.get("/Type", "")), str(part.get("/Subtype", ""))
        if subtype == "/Image":
            pictures += 1
        elif kind == "/Metadata" or subtype == "/XML":
            found = _bytes(part)
            texts_there = xml_texts(found)
            metadata += [found.decode("utf-8", errors="replace")] if texts_there is None else texts_there
        elif kind == "/EmbeddedFile" or "/Params" in part:
            inner(_bytes(part), _called(document, part))
        elif kind not in ("/XObject", "/ObjStm", "/XRef") and "/Length1" not in part and not subtype:
            texts.append(_script(_bytes(part)))
    return [text for text in texts if text.strip()], metadata, pictures


def _has_text(written: bytes) -> bool:
    """Whether an object has a text string, as few have: told by how it is written, which is fast."""
    return _STRING.search(_IDENTIFIERS.sub(b"", written)) is not None


def _bytes(stream: pikepdf.Stream) -> bytes:
    try:
        return stream.read_bytes()
    except pikepdf.PdfError:
        return b""


def _script(data: bytes) -> str:
    """A stream that is a text, as scripts are; contents of pages, faces and colours are none."""
    if not data or (b"app." not in data and b"this." not in data and b"function" not in data and b"var " not in data):
        return ""
    return data.decode("utf-8", errors="replace")


def _texts(part: object, depth: int = 0) -> Iterator[str]:
    """The text strings of an object; of others that it refers to, only their own turn gives them."""
    if depth > 40:
        return
    if isinstance(part, pikepdf.String):
        text = str(part)
        if text.isprintable() or any(sign.isspace() for sign in text):
            yield text
    elif isinstance(part, (pikepdf.Dictionary, pikepdf.Stream)):
        for name in part.keys():  # noqa: SIM118  it is no mapping
            if name not in _SILENT:
                value = part[name]
                if not _is_elsewhere(value):
                    yield from _texts(value, depth + 1)
    elif isinstance(part, pikepdf.Array):
        for value in part:
            if not _is_elsewhere(value):
                yield from _texts(value, depth + 1)
    elif isinstance(part, str):
        yield part


def _is_elsewhere(value: object) -> bool:
    return bool(getattr(value, "is_indirect", False))


def _called(document: pikepdf.Pdf, stream: pikepdf.Stream) -> str:
    """What an attached file is called."""
    for part in document.objects:
        if isinstance(part, pikepdf.Dictionary) and "/EF" in part:
            files = part["/EF"]
            if any(value.objgen == stream.objgen for _, value in files.items()):
                return str(part.get("/UF", part.get("/F", "attached file")))
    return "attached file"
