"""The texts of XML as office programs and others write it: paragraphs and cells whole, however they are divided."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache
from xml.parsers import expat

from gonnet.checks.spelling import BARRIER

IN_XML = frozenset(
    (".xml", ".rels", ".vml", ".svg", ".xsd", ".rdf", ".xhtml", ".gpx", ".kml", ".xsl", ".fodt", ".fods")
)  # fmt: skip

# Elements whose text is one, whatever stands inside them: paragraphs, entries (ECMA-376, ISO/IEC 26300, SVG).
_WHOLE = frozenset(
    ("p", "h", "si", "is", "text", "title", "desc", "td", "th", "author", "definedName", "lpstr", "lpwstr")
)
_BREAKS = {"br": "\n", "line-break": "\n", "tab": BARRIER, "cr": "\n", "soft-page-break": ""}
_SAYING = frozenset(
    ("title", "descr", "name", "v", "target", "href", "alt", "tooltip", "location", "display", "prompt",
     "prompttitle", "error", "errortitle", "formatcode", "author", "initials", "label", "caption", "url", "src",
     "username", "content", "text", "description", "string-value", "value", "currency", "date-value",
     "cat", "lastmodifiedby", "string", "help-file-name", "instr", "macro")
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


_INSIDE, _PARAGRAPH, _BREAK = range(3)


@lru_cache(maxsize=4096)
def _kind(tag: str) -> int:
    name = tag.rpartition(":")[2]
    return _PARAGRAPH if name in _WHOLE else _BREAK if name in _BREAKS else _INSIDE


@lru_cache(maxsize=4096)
def _is_saying(attribute: str) -> bool:
    return attribute.rpartition(":")[2].lower() in _SAYING


class _Reader:
    """Collects the texts of elements; all inside a paragraph are one."""

    def __init__(self) -> None:
        self._open: list[str] = []
        self._texts: list[str] = []
        self._unseen: list[str] = []
        self._whole = 0

    def found(self) -> Iterator[str]:
        self._divide()
        yield from self._texts
        yield from self._unseen

    def _divide(self) -> None:
        self._texts += [text for text in "".join(self._open).split(BARRIER) if text.strip()]
        self._open = []

    def start(self, tag: str, attributes: dict[str, str]) -> None:
        kind = _kind(tag)
        if kind == _BREAK:
            self._open.append(_BREAKS[tag.rpartition(":")[2]])
        elif self._open and (kind == _PARAGRAPH or not self._whole):
            self._divide()
        if kind == _PARAGRAPH:
            self._whole += 1
        for key, value in attributes.items():
            if value and (_is_saying(key) or "@" in value):
                self._unseen.append(value)

    def end(self, tag: str) -> None:
        kind = _kind(tag)
        if kind == _PARAGRAPH:
            self._whole -= 1
        if self._open and (kind == _PARAGRAPH or (kind == _INSIDE and not self._whole)):
            self._divide()

    def characters(self, text: str) -> None:
        self._open.append(text)

    def comment(self, text: str) -> None:
        self._unseen.append(text)
