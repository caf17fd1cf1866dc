"""Reading a finished file back from its bytes, as a stranger would who opens it."""

from __future__ import annotations

import io
import re
import zipfile
from dataclasses import dataclass
from html.parser import HTMLParser
from xml.etree import ElementTree
from xml.parsers import expat

from gonnet.checks.pdf_texts import parts_of_pdf

_SHEET = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"
_CELL, _VALUE = f"{_SHEET}c", f"{_SHEET}v"
_TEXTS = (_VALUE, f"{_SHEET}t", f"{_SHEET}f")
_DATES = "{http://purl.org/dc/terms/}"


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadBack:
    """What a reader finds in a file.

    Attributes:
        parts: Place (`page 2`, `sheet1`, `properties`) and its text, in reading order.
        breaks_words: Whether a line may end inside a word, as in a narrow cell of a page.
    """

    parts: tuple[tuple[str, str], ...]
    breaks_words: bool = True


def read_back(data: bytes, form: str, encoding: str = "utf-8") -> ReadBack:
    """All text of a file, by its format: `pdf`, `xlsx`, `html`, `csv` or `text`.

    Args:
        data: Its bytes.
        form: Its format.
        encoding: Of a text.

    Raises:
        ValueError: the bytes are not a file of that format.
    """
    match form:
        case "pdf":
            return ReadBack(parts=tuple(parts_of_pdf(data)))
        case "xlsx":
            return ReadBack(parts=tuple(_workbook(data)), breaks_words=False)
        case "html":
            page = _Page()
            page.feed(data.decode(encoding))
            return ReadBack(parts=(("", "\n".join(page.texts)),))
        case "text" | "csv":
            return ReadBack(parts=(("", data.decode(encoding)),))
        case _:
            raise ValueError(f"no reader for {form}")


class _Page(HTMLParser):
    """Collects what a page shows or says; its style sheet and the bytes of its pictures are neither."""

    def __init__(self) -> None:
        super().__init__()
        self.texts: list[str] = []
        self._in_style = False

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self._in_style = tag == "style"
        self.texts += [value or "" for name, value in attrs if name in ("alt", "title", "href")]

    def handle_data(self, data: str) -> None:
        if not self._in_style:
            self.texts.append(data)


def _workbook(data: bytes) -> list[tuple[str, str]]:
    try:
        return _parts(data)
    except (zipfile.BadZipFile, KeyError, ElementTree.ParseError, expat.ExpatError) as error:
        raise ValueError("not a workbook") from error


def _parts(data: bytes) -> list[tuple[str, str]]:
    with zipfile.ZipFile(io.BytesIO(data)) as book:
        shared = _shared_strings(book)
        found = []
        for name in book.namelist():
            if re.fullmatch(r"xl/worksheets/sheet\d+\.xml", name):
                texts = _sheet_texts(book.read(name), shared) if shared else _characters(book.read(name))
                found.append((name.rpartition("/")[2].removesuffix(".xml"), "\n".join(texts)))
            elif re.fullmatch(r"xl/(charts/chart|drawings/drawing)\d+\.xml", name):
                found.append((name.rpartition("/")[2].removesuffix(".xml"), "\n".join(_drawn_texts(book.read(name)))))
        found.append(("properties", "\n".join(_properties(book))))
        return found


def _drawn_texts(data: bytes) -> list[str]:
    """Titles, cached values and descriptions of charts and pictures."""
    nodes = list(ElementTree.fromstring(data).iter())
    shown = [node.text or "" for node in nodes if node.tag.rpartition("}")[2] in ("t", "v")]
    return shown + [node.get("descr", "") for node in nodes]


def _properties(book: zipfile.ZipFile) -> list[str]:
    """Sheet names, and the document's properties but for its dates, which name nobody."""
    sheets = ElementTree.fromstring(book.read("xl/workbook.xml")).iter(f"{_SHEET}sheet")
    found = [sheet.get("name", "") for sheet in sheets]
    if "docProps/core.xml" in book.namelist():
        nodes = ElementTree.fromstring(book.read("docProps/core.xml")).iter()
        found += [node.text or "" for node in nodes if not node.tag.startswith(_DATES)]
    return found


def _shared_strings(book: zipfile.ZipFile) -> list[str]:
    if "xl/sharedStrings.xml" not in book.namelist():
        return []
    root = ElementTree.fromstring(book.read("xl/sharedStrings.xml"))
    return ["".join(node.text or "" for node in entry.iter(f"{_SHEET}t")) for entry in root.findall(f"{_SHEET}si")]


def _characters(data: bytes) -> list[str]:
    """The characters of each element: all that a sheet shows whose cells have their texts in themselves."""
    found: list[str] = []
    ends: list[str] = []
    parser = expat.ParserCreate()
    parser.buffer_text = True  # the text of an element comes in one piece, which its end closes
    parser.CharacterDataHandler = found.append
    parser.EndElementHandler = ends.append
    parser.Parse(data, True)
    return found


def _sheet_texts(data: bytes, shared: list[str]) -> list[str]:
    sheet = ElementTree.fromstring(data)
    found = []
    is_shared = False
    for node in sheet.iter():  # a cell comes before its value, in one pass
        if node.tag == _CELL:
            is_shared = node.get("t") == "s"
        elif node.text is not None and node.tag in _TEXTS:
            found.append(shared[int(node.text)] if is_shared and node.tag == _VALUE else node.text)
    found += [node.text or "" for area in sheet.iter(f"{_SHEET}headerFooter") for node in area.iter()]
    return found
