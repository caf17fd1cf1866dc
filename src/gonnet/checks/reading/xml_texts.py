"""The texts of XML as office programs and others write it: paragraphs and cells whole, however they are divided."""

from __future__ import annotations

from collections.abc import Iterator
from xml.parsers import expat

from gonnet.checks.spelling import BARRIER

IN_XML = frozenset(
    (".xml", ".rels", ".vml", ".svg", ".xsd", ".rdf", ".xhtml", ".gpx", ".kml", ".xsl", ".fodt", ".fods")
)  # fmt: skip

# Elements that end a text: paragraphs, cells, entries, properties (ECMA-376, ISO/IEC 26300, SVG).
_APART = frozenset(
    ("p", "h", "si", "is", "c", "v", "f", "row", "tr", "tc", "td", "th", "table-cell", "table-row", "title",
     "desc", "text", "author", "comment", "definedName", "oddHeader", "oddFooter", "evenHeader", "evenFooter",
     "firstHeader", "firstFooter", "lpstr", "lpwstr", "cp", "numFmt", "pt", "hlinkClick", "annotation",
     "creator", "keywords", "subject", "description", "lastModifiedBy", "category", "contentStatus", "Company",
     "Manager", "meta", "user-defined", "list-item", "formula1", "formula2", "item")
)  # fmt: skip
_INSIDE = frozenset(
    ("r", "t", "span", "a", "rPr", "rFont", "b", "i", "u", "sz", "color", "s", "run", "hyperlink", "proofErr",
     "bookmarkStart", "bookmarkEnd", "tspan")
)  # fmt: skip
_BREAKS = {"br": "\n", "line-break": "\n", "tab": BARRIER, "cr": "\n", "soft-page-break": ""}
_SAYING = frozenset(
    ("title", "descr", "name", "target", "href", "alt", "tooltip", "location", "display", "prompt",
     "promptTitle", "error", "errorTitle", "formatCode", "author", "initials", "label", "caption", "url", "src",
     "userName", "content", "text", "description", "string-value", "value", "currency", "date-value",
     "cat", "lastModifiedBy", "string", "help-file-name", "instr", "macro")
)  # fmt: skip


def xml_texts(data: bytes) -> list[str] | None:
    """What an XML document says: texts, attributes that say something, comments; None where it cannot be read."""
    reader = _Reader()
    parser = expat.ParserCreate()
    parser.buffer_text = True
    parser.StartElementHandler = reader.start
    parser.EndElementHandler = reader.end
    parser.CharacterDataHandler = reader.characters
    parser.CommentHandler = reader.comment
    parser.ProcessingInstructionHandler = lambda _, text: reader.comment(text)
    parser.EntityDeclHandler = _refuse_entities
    try:
        parser.Parse(data, True)
    except (expat.ExpatError, ValueError):
        return None
    return list(reader.found())


def _refuse_entities(*_: object) -> None:
    raise ValueError("entities")  # they may stand for more than memory holds


class _Reader:
    """Collects the texts of elements; those inside a paragraph are one."""

    def __init__(self) -> None:
        self._open: list[str] = []
        self._texts: list[str] = []
        self._unseen: list[str] = []
        self._shared: list[bool] = []

    def found(self) -> Iterator[str]:
        self._divide()
        yield from self._texts
        yield from self._unseen

    def _divide(self) -> None:
        if text := "".join(self._open).strip(" \r\n\t" + BARRIER):
            self._texts.append(text)
        self._open = []

    def start(self, tag: str, attributes: dict[str, str]) -> None:
        name = tag.rpartition(":")[2]
        if name in _BREAKS:
            self._open.append(_BREAKS[name])
        elif name not in _INSIDE or name in _APART:
            self._divide()
        for key, value in attributes.items():
            if value and (key.rpartition(":")[2] in _SAYING or "@" in value):
                self._unseen.append(value)

    def end(self, tag: str) -> None:
        name = tag.rpartition(":")[2]
        if name not in _BREAKS and (name not in _INSIDE or name in _APART):
            self._divide()

    def characters(self, text: str) -> None:
        self._open.append(text)

    def comment(self, text: str) -> None:
        self._unseen.append(text)
