"""What pictures and charts of a form say of themselves, which openpyxl neither reads nor writes."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Iterator, Mapping, Sequence
from functools import lru_cache
from posixpath import dirname, normpath
from typing import Any
from xml.etree import ElementTree as ET
from xml.sax.saxutils import quoteattr

_KINDS = ("absoluteAnchor", "oneCellAnchor", "twoCellAnchor")  # in the order in which openpyxl takes them
_OFFICE = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}id"
_DRAWN = re.compile(
    rb'<(?P<tag>(?:\w+:)?cNvPr) id="(?P<id>\d+)" name="(?P<name>(?:Chart|Image) (?P<number>\d+))"[^>]*?/>'
)

Spoken = tuple[tuple[str, ...], tuple[str, ...]]
"""Of the charts and of the pictures of a sheet, in order; empty where one says nothing."""


@lru_cache(maxsize=8)
def spoken(data: bytes) -> Mapping[str, Spoken]:
    """Sheet → what its charts and its pictures say (ECMA-376, part 1, 20.5.2.8, `descr`)."""
    with zipfile.ZipFile(io.BytesIO(data)) as parts:
        main = next((target for kind, target in _relations(parts, "").values() if kind == "officeDocument"), "")
        targets = _relations(parts, main)
        sheets = {
            sheet.get("name", ""): targets.get(sheet.get(_OFFICE, ""), ("", ""))[1] for sheet in _sheets(parts, main)
        }
        return {title: _of_sheet(parts, part) for title, part in sheets.items() if part}


def _sheets(parts: zipfile.ZipFile, main: str) -> Iterator[ET.Element]:
    return (one for one in ET.fromstring(parts.read(main)).iter() if one.tag.endswith("}sheet"))


def _relations(parts: zipfile.ZipFile, part: str) -> dict[str, tuple[str, str]]:
    """Number of a relation of a part → its kind and target (ECMA-376, part 2, 9.3)."""
    folder, _, file = part.rpartition("/")
    place = "/".join(filter(None, (folder, "_rels", f"{file}.rels")))
    if place not in parts.namelist():
        return {}
    found = {}
    for one in ET.fromstring(parts.read(place)):
        target = one.get("Target", "")
        target = target[1:] if target.startswith("/") else normpath(f"{dirname(part)}/{target}").lstrip("/")
        found[one.get("Id", "")] = one.get("Type", "").rpartition("/")[2], target
    return found


def _of_sheet(parts: zipfile.ZipFile, part: str) -> Spoken:
    charts: list[str] = []
    pictures: list[str] = []
    for kind, target in _relations(parts, part).values():
        if kind == "drawing":
            root = ET.fromstring(parts.read(target))
            anchors = [one for name in _KINDS for one in root if one.tag.endswith(f"}}{name}")]
            for anchor in anchors:
                shapes = {child.tag.rpartition("}")[2] for child in anchor}
                into = charts if "graphicFrame" in shapes else pictures if "pic" in shapes else None
                about = next((one for one in anchor.iter() if one.tag.endswith("}cNvPr")), None)
                if into is not None and about is not None:
                    into.append(about.get("descr") or about.get("title") or "")
    return tuple(charts), tuple(pictures)


def by_drawing(sheets: Sequence[Any], found: Mapping[str, Spoken]) -> dict[str, tuple[str, ...]]:
    """Part of the finished file → what its charts and then its pictures say.

    Only where as many are there as in the form: else nobody knows which is which.
    """
    drawn = [sheet for sheet in sheets if sheet._charts or sheet._images]
    told = {}
    for number, sheet in enumerate(drawn, 1):
        charts, pictures = found.get(sheet.title, ((), ()))
        if (len(charts), len(pictures)) == (len(sheet._charts), len(sheet._images)):
            told[f"xl/drawings/drawing{number}.xml"] = (*charts, *pictures)
    return told


def with_spoken(part: bytes, said: Sequence[str]) -> bytes:
    """A drawing, as openpyxl writes it, with what its charts and pictures say."""

    def speaking(found: re.Match[bytes]) -> bytes:
        number = int(found["number"])
        text = said[number - 1] if number <= len(said) else ""
        about = f" descr={quoteattr(text)}".encode() if text else b""
        return b'<%s id="%s" name="%s"%s/>' % (found["tag"], found["id"], found["name"], about)

    return _DRAWN.sub(speaking, part)
