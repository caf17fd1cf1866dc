"""What a screen reader hears: the structure of a tagged PDF, walked by another library than the one that wrote it."""

from __future__ import annotations

import io
import re
from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

import pikepdf
from pikepdf import pdfa


@dataclass
class Heard:
    """An element: what it is, its own text, its alternative text, how far a cell reaches, its language, what is in it."""

    kind: str
    text: str = ""
    alternative: str = ""
    columns: int = 1
    scope: str = ""
    language: str = ""
    kids: list[Heard] = field(default_factory=list)

    def all(self, kind: str) -> Iterator[Heard]:
        """The elements of a kind in it, in order."""
        if self.kind == kind:
            yield self
        for kid in self.kids:
            yield from kid.all(kind)

    def foreign(self) -> list[tuple[str, str]]:
        """Language and text of each part that is not in the document's."""
        if self.language:
            return [(self.language, self.said())]
        return [one for kid in self.kids for one in kid.foreign()]

    def said(self) -> str:
        """All that is heard of it."""
        if self.kind == "Figure":
            return f"[{self.alternative}]"
        return " ".join(part for part in (self.text, *(kid.said() for kid in self.kids)) if part)

    def rows(self) -> list[list[Heard]]:
        """The cells of a table, row by row, each as often as the columns that it reaches over."""
        found = [kid for kid in self.kids if kid.kind == "TR"]
        return [[cell for cell in row.kids for _ in range(cell.columns)] for row in found]


def heard(data: bytes) -> Heard:
    """The document, as its structure has it."""
    with pikepdf.open(io.BytesIO(data)) as file:
        texts = {page.objgen: dict(_marked(page)) for page in file.pages}
        return _element(file.Root.StructTreeRoot.K, texts)


def _element(element: Any, texts: dict[Any, dict[int, str]], page: Any = None) -> Heard:  # noqa: ANN401
    page = element.get("/Pg", page)
    found = Heard(str(element.S)[1:], alternative=str(element.get("/Alt", "")))
    attributes = element.get("/A", {})
    found.columns, found.scope = int(attributes.get("/ColSpan", 1)), str(attributes.get("/Scope", ""))[1:]
    found.language = str(element.get("/Lang", ""))
    kids = element.get("/K", [])
    for kid in kids if isinstance(kids, pikepdf.Array) else [kids]:
        if isinstance(kid, int):
            found.kids.append(Heard("", text=texts[page.objgen][kid]))
        elif "/S" in kid:
            found.kids.append(_element(kid, texts, page))
        elif "/MCID" in kid:
            found.kids.append(Heard("", text=texts[kid.Pg.objgen][int(kid.MCID)]))
    return found


def _marked(page: Any) -> Iterator[tuple[int, str]]:  # noqa: ANN401
    """Number and text of each marked piece of a page; lines and cells are apart, and artifacts are not there."""
    faces = {name: _characters(font) for name, font in page.Resources.Font.items()}
    parts: defaultdict[int, list[str]] = defaultdict(list)
    opened: list[int | None] = []
    face: dict[int, str] = {}
    for step in pikepdf.parse_content_stream(page):
        operands: Any = step.operands
        match str(step.operator):
            case "BDC" | "BMC":
                opened.append(operands[1].get("/MCID") if len(operands) > 1 else None)
            case "EMC":
                opened.pop()
            case "Tf":
                face = faces[str(operands[0])]
            case "Td" if opened and opened[-1] is not None:
                parts[int(opened[-1])].append(" ")
            case "Tj" | "TJ":
                shown = operands[0] if str(step.operator) == "TJ" else operands
                text = "".join(face[code] for part in shown if isinstance(part, pikepdf.String) for code in bytes(part))
                where = [number for number in opened if number is not None]
                if where:
                    parts[int(where[-1])].append(text)
                assert opened, f"'{text}' is neither content nor an artifact"
            case _:
                pass
    return ((number, " ".join("".join(texts).split())) for number, texts in parts.items())


def _characters(font: Any) -> dict[int, str]:  # noqa: ANN401
    pairs = re.findall(rb"<([0-9A-F]{2})> <([0-9A-F]{4,})>", font.ToUnicode.read_bytes())
    return {int(code, 16): bytes.fromhex(text.decode()).decode("utf-16-be") for code, text in pairs}


def archived(data: bytes) -> list[str]:
    """What speaks against PDF/A-2b.

    This validator knows no properties of XMP that a file describes itself (ISO 19005-2, 6.6.2.3.3), which it may: what
    says that the file conforms to PDF/UA is taken out before.
    """
    target = io.BytesIO()
    with pikepdf.open(io.BytesIO(data)) as file:
        told = file.Root.Metadata.read_bytes()
        for name in (b"pdfuaid", b"pdfaExtension"):
            told = re.sub(
                rb'<rdf:Description rdf:about="" xmlns:' + name + rb".*?\n</rdf:Description>\n",
                b"",
                told,
                flags=re.DOTALL,
            )
        file.Root.Metadata.write(told)
        file.save(target, fix_metadata_version=False)
    return [str(finding) for finding in pdfa.validate_written(target, "2b").findings]


def claims(data: bytes) -> list[str]:
    """What a file says that it conforms to."""
    with pikepdf.open(io.BytesIO(data)) as file:
        told = file.Root.Metadata.read_bytes().decode()
    archive = re.findall(r"<pdfaid:part>(\d)</pdfaid:part><pdfaid:conformance>(\w)<", told)
    access = re.findall(r"<pdfuaid:part>(\d)<", told)
    return [f"A-{part}{level}" for part, level in archive] + [f"UA-{part}" for part in access]
