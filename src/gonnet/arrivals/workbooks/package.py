"""The parts that a workbook is made of (ECMA-376, part 2)."""

from __future__ import annotations

import zipfile
from collections.abc import Iterator
from posixpath import dirname, normpath

from gonnet.arrivals.workbooks.xml import MAIN, parsed

_MOST = 2_000_000_000  # bytes that a workbook may unpack to
_RELATIONS = "{http://schemas.openxmlformats.org/package/2006/relationships}Relationship"
_OFFICE = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"


class Package:
    """An open workbook.

    Attributes:
        name: The name of its file.
        root: What it says of its sheets.

    Raises:
        ValueError: it cannot be read.
        KeyError: it lacks a part.
    """

    def __init__(self, archive: zipfile.ZipFile, name: str) -> None:
        self.name = name
        if sum(info.file_size for info in archive.infolist()) > _MOST:
            raise ValueError("it unpacks to more than 2 GB")
        self._archive = archive
        top = {kind: target for kind, target in self.relations("").values()}
        main = top["officeDocument"]
        self._targets = self.relations(main)
        self.root = parsed(archive.read(main))

    def relations(self, part: str) -> dict[str, tuple[str, str]]:
        """Number of a relation of a part → its kind and target; outside, the address."""
        folder, _, file = part.rpartition("/")
        place = "/".join(filter(None, (folder, "_rels", f"{file}.rels")))
        if place not in self._archive.namelist():
            return {}
        found = {}
        for one in parsed(self._archive.read(place)).iter(_RELATIONS):
            target = one.get("Target", "")
            if one.get("TargetMode") != "External":
                target = target[1:] if target.startswith("/") else normpath(f"{dirname(part)}/{target}").lstrip("/")
            found[one.get("Id", "")] = one.get("Type", "").rpartition("/")[2], target
        return found

    def of_kind(self, kind: str) -> bytes:
        """The part of the workbook that has, say, its styles; empty where it has none."""
        target = next((target for one, target in self._targets.values() if one == kind), None)
        return self._archive.read(target) if target in self._archive.namelist() and target else b""

    @property
    def is_calculated(self) -> bool:
        """Whether the values of its formulas are those of a program that calculated them."""
        found = next(self.root.iter(f"{MAIN}calcPr"), None)
        return found is None or found.get("fullCalcOnLoad", "0") not in ("1", "true")

    def theme(self) -> bytes:
        """Its theme; empty where it has none, or one that needs pictures of its own."""
        found = self.of_kind("theme")
        return b"" if b"r:embed" in found or b"r:link" in found else found

    @property
    def chart_sheets(self) -> int:
        """How many of its sheets have no cells."""
        kinds = (self._targets[sheet.get(f"{{{_OFFICE}}}id", "")][0] for sheet in self.root.iter(f"{MAIN}sheet"))
        return sum(kind != "worksheet" for kind in kinds)

    def sheets(self) -> Iterator[tuple[str, bool, str]]:
        """Name of each sheet with cells, whether it is hidden, and its part."""
        for sheet in self.root.iter(f"{MAIN}sheet"):
            kind, target = self._targets[sheet.get(f"{{{_OFFICE}}}id", "")]
            if kind == "worksheet":
                yield sheet.get("name", ""), sheet.get("state", "visible") != "visible", target

    def names(self) -> dict[tuple[str, int], str]:
        """What is printed of a sheet: name and number of the sheet → areas."""
        return {
            (one.get("name", "").rpartition(".")[2], int(one.get("localSheetId", "-1"))): one.text or ""
            for one in self.root.iter(f"{MAIN}definedName")
        }

    def read(self, part: str) -> bytes:
        """The bytes of a part."""
        return self._archive.read(part)
