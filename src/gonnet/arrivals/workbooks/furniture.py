"""What stands around the rows of a sheet, and what of it a part has.

Only what is listed here is taken: widths, panes, merged cells, conditional formats, the range of a filter, links to the
web, and how it is printed. Everything else of a sheet (comments, pictures, charts, tables, validations, scripts) stays
where it came from, since it may say something of others.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from copy import deepcopy
from dataclasses import dataclass
from xml.etree import ElementTree as ET
from xml.sax.saxutils import quoteattr

from gonnet.arrivals.workbooks.areas import RowMap, first_row, moved, stays_in_sheet, texts_of
from gonnet.arrivals.workbooks.xml import MAIN, local, written

ORDER = (
    "sheetPr", "sheetViews", "sheetFormatPr", "cols", "sheetData", "sheetProtection", "autoFilter", "mergeCells",
    "conditionalFormatting", "hyperlinks", "printOptions", "pageMargins", "pageSetup", "headerFooter", "rowBreaks",
    "colBreaks",
)  # fmt: skip
"""Elements of a sheet, in the order that the standard wants (18.3.1.99)."""
LOST = {
    "drawing": "drawings",
    "legacyDrawing": "comments",
    "tableParts": "tables",
    "dataValidations": "validations",
    "oleObjects": "objects",
    "controls": "controls",
    "picture": "backgrounds",
}
"""Elements of a sheet that no part has, and how people call them."""
_RELATION = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}id"
_WEB = re.compile(r"(https?|mailto):", re.IGNORECASE)

Has = Callable[[str], bool]
"""Whether a text occurs in the part."""


@dataclass(slots=True)
class Furniture:
    """What stands around rows.

    Attributes:
        parts: The elements, in order.
        links: Cell → address that it leads to.
        titles: Rows and columns that are repeated on each printed page.
        printed: The area that is printed.
    """

    parts: list[ET.Element]
    links: Mapping[str, str]
    titles: str = ""
    printed: str = ""

    @property
    def is_filtered(self) -> bool:
        """Whether a filter hides rows."""
        found = next((part for part in self.parts if local(part) == "autoFilter"), None)
        return found is not None and len(found) > 0

    def around(self, rows: RowMap | None, has: Has) -> tuple[bytes, bytes, list[str]]:
        """What stands before and after the rows of a part, and where its links lead.

        Args:
            rows: Where its rows are; None where they all stay.
            has: Whether a text occurs in the part.
        """
        before: list[tuple[int, bytes]] = []
        after: list[tuple[int, bytes]] = []
        for part in self.parts:
            found = self._of_part(part, rows, has)
            if found is not None:
                is_before = ORDER.index(local(part)) < ORDER.index("sheetData")
                (before if is_before else after).append((ORDER.index(local(part)), written(found)))
        kept = {(rows.area(cell) if rows else cell): address for cell, address in self.links.items()}
        there = [(cell, address) for cell, address in kept.items() if cell is not None]
        if there:
            links = "".join(
                f'<hyperlink ref={quoteattr(cell)} xmlns:r={quoteattr(_RELATION[1:-3])} r:id="rId{at}"/>'
                for at, (cell, _) in enumerate(there, 1)
            )
            after.append((ORDER.index("hyperlinks"), f"<hyperlinks>{links}</hyperlinks>".encode()))
        joined = [b"".join(text for _, text in sorted(parts, key=lambda one: one[0])) for parts in (before, after)]
        return joined[0], joined[1], [address for _, address in there]

    def _of_part(self, part: ET.Element, rows: RowMap | None, has: Has) -> ET.Element | None:
        kind = local(part)
        if kind == "conditionalFormatting":
            return _conditional(part, rows, has)
        if kind == "autoFilter":  # without what was chosen in it
            area = rows.area(part.get("ref", "")) if rows is not None else part.get("ref", "")
            return ET.Element(part.tag, {"ref": area}) if area is not None and ":" in area else None
        if rows is None:
            return part
        if kind == "mergeCells":
            return _merged(part, rows)
        if kind == "rowBreaks":
            return _breaks(part, rows)
        return part


def furniture_of(root: ET.Element, relations: Mapping[str, str], titles: str, printed: str) -> Furniture:
    """That of a sheet.

    Args:
        root: The sheet, without its rows.
        relations: Number of a relation → address outside.
        titles: What `Print_Titles` says.
        printed: What `Print_Area` says.
    """
    links = {
        link.get("ref", ""): address
        for link in root.iter(f"{MAIN}hyperlink")
        if (address := relations.get(link.get(_RELATION, ""), "")) and _WEB.match(address)
    }
    kept = (name for name in ORDER if name not in ("sheetData", "hyperlinks"))
    wanted = {f"{MAIN}{name}": _CLEAN.get(name, deepcopy) for name in kept}
    parts = [cleaned for part in root if part.tag in wanted and (cleaned := wanted[part.tag](part)) is not None]
    return Furniture(parts=parts, links=links, titles=titles, printed=printed)


def lost_of(root: ET.Element) -> Iterator[str]:
    """What of a sheet no part has."""
    yield from (LOST[local(part)] for part in root if local(part) in LOST)


def _views(part: ET.Element) -> ET.Element:
    """How it is looked at: its frozen panes and grid; not which cell somebody looked at last."""
    found = ET.Element(part.tag)
    for view in part[:1]:
        kept = {name: value for name, value in view.attrib.items() if name in _OF_VIEWS}
        mine = ET.SubElement(found, view.tag, {**kept, "workbookViewId": "0"})
        for pane in view.findall(f"{MAIN}pane"):
            if pane.get("state") in ("frozen", "frozenSplit"):
                at = {name: pane.get(name, "0").partition(".")[0] for name in ("xSplit", "ySplit")}
                corner = f"{_letters(int(at['xSplit']) + 1)}{int(at['ySplit']) + 1}"
                places = {name: value for name, value in at.items() if value != "0"}
                more = {"topLeftCell": corner, "activePane": pane.get("activePane", "bottomLeft"), "state": "frozen"}
                ET.SubElement(mine, pane.tag, {**places, **more})
    return found


_OF_VIEWS = ("showGridLines", "showRowColHeaders", "showZeros", "rightToLeft", "zoomScale", "zoomScaleNormal")


def _letters(number: int) -> str:
    found = ""
    while number:
        number, rest = divmod(number - 1, 26)
        found = chr(65 + rest) + found
    return found


def _properties(part: ET.Element) -> ET.Element:
    found = ET.Element(part.tag)
    found.extend(deepcopy(child) for child in part if local(child) in ("tabColor", "outlinePr", "pageSetUpPr"))
    return found


def _filter(part: ET.Element) -> ET.Element:
    """The range of a filter; what was chosen in it may name others. Its children tell that rows were hidden."""
    found = ET.Element(part.tag, {"ref": part.get("ref", "")})
    found.extend(ET.Element(child.tag) for child in part if local(child) == "filterColumn")
    return found


def _plain(part: ET.Element) -> ET.Element:
    """An element without what refers to other files."""
    found = deepcopy(part)
    found.attrib.pop(_RELATION, None)
    return found


_CLEAN: Mapping[str, Callable[[ET.Element], ET.Element | None]] = {
    "sheetViews": _views,
    "sheetPr": _properties,
    "autoFilter": _filter,
    "pageSetup": _plain,
}


def _conditional(part: ET.Element, rows: RowMap | None, has: Has) -> ET.Element | None:
    """The conditional formats of areas: those that need nothing but the part's own cells."""
    areas = part.get("sqref", "")
    now = rows.areas(areas) if rows else areas
    if not now:
        return None
    found = ET.Element(part.tag, {"sqref": now})
    for rule in part:
        if local(rule) != "cfRule":
            continue
        formulas = [_moved(formula.text or "", areas, now, rows) for formula in rule.iter(f"{MAIN}formula")]
        says = [text for formula in formulas if formula for text in texts_of(formula)] + [rule.get("text", "")]
        if any(formula is None for formula in formulas) or not all(has(text) for text in says if text.strip()):
            continue
        mine = deepcopy(rule)
        for element, formula in zip(mine.iter(f"{MAIN}formula"), formulas, strict=True):
            element.text = formula
        for extension in mine.findall(f"{MAIN}extLst"):
            mine.remove(extension)
        found.append(mine)
    return found if len(found) else None


def _moved(formula: str, was: str, now: str, rows: RowMap | None) -> str | None:
    if not stays_in_sheet(formula):
        return None
    return formula if rows is None else moved(formula, first_row(was), first_row(now), rows)


def _merged(part: ET.Element, rows: RowMap) -> ET.Element | None:
    found = ET.Element(part.tag)
    for cell in part:
        area = rows.area(cell.get("ref", ""))
        if area is not None and len(set(area.split(":"))) == 2:
            ET.SubElement(found, cell.tag, {"ref": area})
    return found if len(found) else None


def _breaks(part: ET.Element, rows: RowMap) -> ET.Element | None:
    """Breaks between pages; one stands below the row that it names."""
    found = ET.Element(part.tag)
    for one in part:
        place = rows.new.get(int(one.get("id", "0")))
        if place is not None:
            ET.SubElement(found, one.tag, {**one.attrib, "id": str(place)})
    count = str(len(found))
    found.attrib.update({"count": count, "manualBreakCount": count})
    return found if len(found) else None
