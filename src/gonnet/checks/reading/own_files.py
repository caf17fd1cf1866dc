"""Reading a file that Gonnet drew back from its bytes, as a stranger would who opens it: fast, since each is read."""

from __future__ import annotations

import csv
import io
import re
import zipfile
from collections.abc import Iterator, Sequence
from xml.etree import ElementTree
from xml.parsers import expat
from xml.sax.saxutils import unescape

from gonnet.checks.reading.models import ReadBack
from gonnet.checks.reading.pages import page_texts
from gonnet.checks.reading.pdf_texts import by_lines, parts_of_pdf
from gonnet.checks.spelling import MAYBE

_SHEET = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"
_CELL, _VALUE = f"{_SHEET}c", f"{_SHEET}v"
_TEXTS = (_VALUE, f"{_SHEET}t", f"{_SHEET}f")
_FURNITURE = re.compile(r"<(?:odd|even|first)(?:Header|Footer)[^>]*>([^<]*)<")
_PLACE = re.compile("&[LCR]")
_AMPERSAND = "\ue012"  # of private use, for one that is doubled because it begins no code
_DATES = "{http://purl.org/dc/terms/}"


def read_back(data: bytes, form: str, encoding: str = "utf-8", delimiter: str = ",") -> ReadBack:
    """All text of a file, by its format: `pdf`, `xlsx`, `html`, `csv` or `text`.

    Args:
        data: Its bytes.
        form: Its format.
        encoding: Of a text.
        delimiter: Between the cells of a CSV.

    Raises:
        ValueError: the bytes are not a file of that format.
    """
    match form:
        case "pdf":
            return ReadBack(parts=tuple(by_lines(parts_of_pdf(data))))
        case "xlsx":
            return ReadBack(parts=tuple(_workbook(data)))
        case "html":
            return ReadBack(parts=(("", page_texts(data.decode(encoding))),))
        case "csv":
            rows = csv.reader(io.StringIO(data.decode(encoding), newline=""), delimiter=delimiter)
            return ReadBack(parts=(("", tuple(cell for row in rows for cell in row)),))
        case "text":
            return ReadBack(parts=(("", paragraphs(data.decode(encoding))),))
        case _:
            raise ValueError(f"no reader for {form}")


def read_columns(data: bytes) -> ReadBack:
    """A text that was drawn in columns: what wide gaps divide, line by line; cells beside each other are no value."""
    lines = data.decode("utf-8-sig").splitlines()
    return ReadBack(parts=(("", tuple(part.strip() for line in lines for part in re.split(r"  +", line))),))


def paragraphs(text: str) -> tuple[str, ...]:
    """A text as what empty lines divide; a value may go on in the next line, and need not."""
    return tuple(part.replace("\n", MAYBE) for part in re.split(r"\n\s*\n", text.replace("\r\n", "\n")))


def _workbook(data: bytes) -> list[tuple[str, tuple[str, ...]]]:
    try:
        return _parts(data)
    except (zipfile.BadZipFile, KeyError, ElementTree.ParseError, expat.ExpatError) as error:
        raise ValueError("not a workbook") from error


def _parts(data: bytes) -> list[tuple[str, tuple[str, ...]]]:
    with zipfile.ZipFile(io.BytesIO(data)) as book:
        shared = _shared_strings(book)
        found: list[tuple[str, Sequence[str]]] = []
        for name in book.namelist():
            if re.fullmatch(r"xl/worksheets/sheet\d+\.xml", name):
                texts = _sheet_texts(book.read(name), shared) if shared else _characters(book.read(name))
                found.append((name.rpartition("/")[2].removesuffix(".xml"), texts))
            elif re.fullmatch(r"xl/(charts/chart|drawings/drawing)\d+\.xml", name):
                found.append((name.rpartition("/")[2].removesuffix(".xml"), _drawn_texts(book.read(name))))
        found.append(("properties", list(_properties(book))))
        return [(place, tuple(texts)) for place, texts in found]


def cell_with(data: bytes, text: str) -> str:
    """The first cell of a workbook in which a text stands, such as `D7`; empty where none has it whole."""
    with zipfile.ZipFile(io.BytesIO(data)) as book:
        shared = _shared_strings(book)
        for name in book.namelist():
            if re.fullmatch(r"xl/worksheets/sheet\d+\.xml", name):
                for cell in ElementTree.fromstring(book.read(name)).iter(_CELL):
                    said = "".join(node.text or "" for node in cell.iter() if node.tag in _TEXTS)
                    if text in (shared[int(said)] if cell.get("t") == "s" and said else said):
                        return cell.get("r", "")
    return ""


def _drawn_texts(data: bytes) -> list[str]:
    """Titles, cached values and descriptions of charts and pictures."""
    nodes = list(ElementTree.fromstring(data).iter())
    shown = [node.text or "" for node in nodes if node.tag.rpartition("}")[2] in ("t", "v")]
    return shown + [node.get("descr", "") for node in nodes]


def _properties(book: zipfile.ZipFile) -> Iterator[str]:
    """Sheet names, links, and the document's properties but for its dates, which name nobody."""
    for sheet in ElementTree.fromstring(book.read("xl/workbook.xml")).iter(f"{_SHEET}sheet"):
        yield sheet.get("name", "")
    for name in book.namelist():
        if "worksheets/_rels/" in name and b"External" in (links := book.read(name)):
            for link in ElementTree.fromstring(links):
                yield link.get("Target", "") if link.get("TargetMode") == "External" else ""
    if "docProps/core.xml" in book.namelist():
        for node in ElementTree.fromstring(book.read("docProps/core.xml")).iter():
            if not node.tag.startswith(_DATES):
                yield node.text or ""


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
    return found + _printed(data)


def _printed(data: bytes) -> list[str]:
    """What stands at the head and the foot of printed pages, without the codes of its places (18.3.1.46)."""
    begin = data.rfind(b"<headerFooter")
    found = _FURNITURE.findall(data[begin:].decode("utf-8")) if begin >= 0 else []
    parts = (part for text in found for part in _PLACE.split(unescape(text).replace("&&", _AMPERSAND)))
    return [part.replace(_AMPERSAND, "&") for part in parts if part]


def _sheet_texts(data: bytes, shared: list[str]) -> list[str]:
    sheet = ElementTree.fromstring(data)
    found = []
    is_shared = False
    for node in sheet.iter():  # a cell comes before its value, in one pass
        if node.tag == _CELL:
            is_shared = node.get("t") == "s"
        elif node.text is not None and node.tag in _TEXTS:
            found.append(shared[int(node.text)] if is_shared and node.tag == _VALUE else node.text)
    return found + _printed(data)
