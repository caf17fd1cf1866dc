"""Reading the XML of workbooks, and writing it plainly: one namespace, no prefixes, nothing of extensions."""

from __future__ import annotations

from xml.etree import ElementTree as ET
from xml.sax.saxutils import escape, quoteattr

SPACE = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
MAIN = f"{{{SPACE}}}"
_STRICT = "http://purl.oclc.org/ooxml/"  # ISO/IEC 29500, strict
_LOOSE = {
    "http://purl.oclc.org/ooxml/spreadsheetml/main": SPACE,
    "http://purl.oclc.org/ooxml/officeDocument/relationships": "http://schemas.openxmlformats.org/officeDocument/2006/relationships",
}
_XML_SPACE = "{http://www.w3.org/XML/1998/namespace}space"
_SAYING = frozenset(("t", "v", "f"))
_NOT_PLAIN = (
    b"<![CDATA[", b"<!--", b"<extLst", b"> <", b">\n", b">\r", b">\t", b":row>", b":row ", b":si>", b":sheetData"
)  # fmt: skip


def parsed(data: bytes) -> ET.Element:
    """An XML document.

    Raises:
        ValueError: it is none, or has entities of its own.
    """
    if b"<!DOCTYPE" in data[:2000]:
        raise ValueError("it has a document type")
    for strict, loose in _LOOSE.items() if _STRICT.encode() in data[:4000] else ():
        data = data.replace(strict.encode(), loose.encode())
    try:
        return ET.fromstring(data)
    except ET.ParseError as error:
        raise ValueError(str(error)) from error


def local(element: ET.Element) -> str:
    """The name of an element without its namespace."""
    return element.tag.rpartition("}")[2]


def is_plain(data: bytes) -> bool:
    """Whether rows or texts can be found in XML by their tags as they stand, behind its first line."""
    head = data.find(b"?>", 0, 200) + 2 if data[:100].lstrip(b"\xef\xbb\xbf").startswith(b"<?xml") else 0
    data = data[head:].strip()
    return all(sign not in data for sign in _NOT_PLAIN) and data.count(b"<c ") == data.count(b'<c r="')


def written(element: ET.Element) -> bytes:
    """An element as XML: what is of the main namespace, without prefixes and without blanks between tags."""
    return _text(element).encode("utf-8")


def _text(element: ET.Element) -> str:
    if not element.tag.startswith(MAIN) or local(element) == "extLst":
        return ""
    name = local(element)
    names = sorted(element.attrib, key=lambda one: one != "r") if name in ("c", "row") else list(element.attrib)
    shown = "".join(f" {one}={quoteattr(element.attrib[one])}" for one in names if not one.startswith("{"))
    if _XML_SPACE in element.attrib:
        shown += ' xml:space="preserve"'
    inside = "".join(map(_text, element))
    text = element.text or ""
    if text.strip() or name in _SAYING:
        inside = escape(text) + inside
    return f"<{name}{shown}>{inside}</{name}>" if inside else f"<{name}{shown}/>"
