"""Reading a workbook: every sheet or row with its key, or with the reason why it has none."""

from __future__ import annotations

import datetime as dt
import re
import time
import zipfile
from collections import Counter
from collections.abc import Iterator, Sequence
from contextlib import suppress
from decimal import Decimal
from pathlib import Path

from gonnet.arrivals.keys import every_match, told
from gonnet.arrivals.models import Arrived, Page, stamps_of
from gonnet.arrivals.workbooks.book import Book, Rows, Sheet
from gonnet.arrivals.workbooks.furniture import furniture_of, lost_of
from gonnet.arrivals.workbooks.package import Package
from gonnet.arrivals.workbooks.sheets import Cells, Line, apart, lines_of, number_of
from gonnet.arrivals.workbooks.strings import Strings
from gonnet.arrivals.workbooks.xml import MAIN, local, parsed, written
from gonnet.errors import DataError, meant
from gonnet.findings import Finding, Weight
from gonnet.jobs.arrivals import InWorkbook, WorkbookRun

_SHOWN = 3
_ANEW = "Open it in the program that it is of, save it as XLSX, and put it there again"
_CELL = re.compile(r"([A-Z]+)(\d+)")
_AREA = re.compile(r"([A-Z]+)(\d+):([A-Z]+)(\d+)")


def read_workbook(name: str, spec: WorkbookRun, path: Path, most: int | None = None) -> Arrived:
    """Read a workbook.

    Args:
        name: What the job calls it.
        spec: What the job says of it.
        path: The file.
        most: Only so many rows or sheets; None for all.

    Raises:
        DataError: it cannot be read, or the key of a sheet or a row is in doubt; names file, sheet and row.
    """
    began, stamps = time.monotonic(), stamps_of([path])
    try:
        with zipfile.ZipFile(path) as archive:
            reader = _Reader(name, spec, Package(archive, path.name), most)
            pages = tuple(reader.pages())
    except zipfile.BadZipFile as error:
        old = path.read_bytes()[:4] == b"\xd0\xcf\x11\xe0"
        what = "this workbook is locked by a password, or of an old program" if old else "this is no workbook (XLSX)"
        raise DataError(what, where=path.name, fix=_ANEW) from error
    except (KeyError, ValueError) as error:
        raise DataError(f"this workbook cannot be read: {error}", where=path.name, fix=_ANEW) from error
    return Arrived(
        name=name,
        spec=spec,
        files=(path,),
        names=(path.name,),
        stamps=stamps,
        password="",
        pages=pages,
        findings=tuple(reader.findings()),
        seconds=time.monotonic() - began,
        book=reader.book,
    )


class _Reader:
    """Gives sheets, or rows, their keys; and keeps what parts are made from."""

    def __init__(self, name: str, spec: WorkbookRun, package: Package, most: int | None) -> None:
        self._name, self._spec, self._package, self._most = name, spec, package, most
        self._by_rows = spec.key.column is not None
        self._strings = Strings(package.of_kind("sharedStrings"))
        self._leave_out = [re.compile(text) for text in spec.leave_out]
        self._totals = re.compile(spec.totals) if spec.totals is not None else None
        self._lost: Counter[str] = Counter({"chart sheets": package.chart_sheets} if package.chart_sheets else {})
        self._counts: Counter[str] = Counter()
        self._nobodys: list[str] = []
        self._hidden: list[str] = []
        self._unsummed: list[str] = []
        self._seen: dict[str, str] = {}
        self._last: str | None = None
        properties = next(package.root.iter(f"{MAIN}workbookPr"), None)
        since_1904 = properties is not None and properties.get("date1904", "0") in ("1", "true")
        styles = written(parsed(package.of_kind("styles")))
        self.book = Book(
            strings=self._strings, styles=styles, theme=package.theme(), since_1904=since_1904, lost=self._lost
        )

    def pages(self) -> Iterator[Page]:
        """Every row, or every sheet."""
        names, count = self._package.names(), 0
        known = list(enumerate(self._package.sheets()))
        wanted = self._wanted([name for _, (name, is_hidden, _) in known if not is_hidden])
        for at, (name, is_hidden, part) in known:
            if self._most is not None and count >= self._most:
                return
            if self._by_rows and name not in wanted:
                continue
            if is_hidden and not self._by_rows:
                self._hidden.append(name)
                count += 1
                yield Page(None, 0, at + 1, False, (None,) * len(self._spec.read), is_picture=False, sheet=name)
                continue
            sheet, body = self._opened(name, at, part, names)
            found = self._rows(sheet, body) if self._by_rows else self._whole(sheet, body, at)
            for page in found:
                count += 1
                yield page
                if self._most is not None and count >= self._most:
                    return

    def _wanted(self, shown: Sequence[str]) -> list[str]:
        """The sheets of which rows are cut."""
        if self._spec.sheet:
            known = [name for name, _, _ in self._package.sheets()]
            lacking = next((name for name in self._spec.sheet if name not in known), None)
            if lacking is not None:
                what = f"there is no sheet '{lacking}'"
                raise DataError(what, where=self._package.name, fix=meant(lacking, known, noun="sheet"))
            return list(self._spec.sheet)
        if self._by_rows and len(shown) != 1:
            what = f"'{self._name}' has {len(shown)} sheets"
            raise DataError(what, where=self._package.name, fix=f"Say which under `sheet`: {', '.join(shown)}")
        return list(shown)

    def _opened(self, name: str, at: int, part: str, names: dict[tuple[str, int], str]) -> tuple[Sheet, bytes]:
        without, body = apart(self._package.read(part))
        root = parsed(without)
        self._lost.update(lost_of(root))
        links = {
            number: target for number, (kind, target) in self._package.relations(part).items() if kind == "hyperlink"
        }
        titles, printed = names.get(("Print_Titles", at), ""), names.get(("Print_Area", at), "")
        furniture = furniture_of(root, links, titles, printed)
        header = self._spec.header if self._by_rows else None
        sheet = Sheet(name=name, furniture=furniture, rows=Rows(body), header=header)
        self.book.sheets[name] = sheet
        return sheet, body

    def _whole(self, sheet: Sheet, body: bytes, at: int) -> Iterator[Page]:
        """A sheet that is somebody's."""
        cells, spec = self._cells(keeps_formulas=True), self._spec
        needed = [spec.key.cell, *(value.cell for value in spec.read.values())]
        wanted = {cell.upper(): "" for cell in needed if cell is not None}
        for line in lines_of(body):
            self._require_saved(cells, line, sheet)
            for cell in wanted:
                column, number = _CELL.fullmatch(cell).groups()  # type: ignore[union-attr]  # the model holds it to that
                if int(number) == line.number:
                    wanted[cell] = cells.value(line, column)
            sheet.rows.add(line)
        where = f"{self._package.name}, sheet {sheet.name}"
        if any(pattern.search(sheet.name) for pattern in self._leave_out):
            self._counts["left out"] += 1
            key = None
        else:
            said = _key_text(wanted[spec.key.cell.upper()]) if spec.key.cell is not None else ""
            found = every_match(re.compile(spec.key.sheet), sheet.name) if spec.key.sheet is not None else ()
            key = self._key(found or ((said,) if said else ()), where, sheet.name)
        values = [self._value(value, wanted[value.cell.upper()]) for value in spec.read.values() if value.cell]
        yield self._page(key, at + 1, values, sheet, follows=False)

    def _rows(self, sheet: Sheet, body: bytes) -> Iterator[Page]:
        """The rows of a sheet, each of which is somebody's."""
        cells, spec = self._cells(keeps_formulas=False), self._spec
        heads: dict[str, list[str]] = {}
        columns: dict[str, str] = {}
        merged = _merged_rows(sheet)
        upper: dict[int, str] = {}
        added = set[str]()
        for line in lines_of(body):
            if line.number <= spec.header:
                self._require_saved(cells, line, sheet)
                for column, text in cells.values(line).items():
                    heads.setdefault(column, []).append(text)
                sheet.rows.add(line)
                continue
            if not columns:
                columns = self._columns(heads, sheet)
            key_column = columns[str(spec.key.column)]
            if cells.is_blank(line) and (line.number, key_column) not in merged:
                continue
            sheet.rows.add(line)
            text = " ".join(cells.values(line).values()) if self._leave_out or self._totals else ""
            if self._totals is not None and self._totals.search(text):
                sheet.totals = (*sheet.totals, line.number)
                added |= cells.sums(line)
                continue
            self._require_saved(cells, line, sheet)
            said = _key_text(cells.value(line, key_column))
            first = merged.get((line.number, key_column))
            if first is not None:
                said = said or upper.get(first, "")
                upper.setdefault(first, said)
            where = f"{self._package.name}, sheet {sheet.name}, row {line.number}"
            if any(pattern.search(text) for pattern in self._leave_out):
                self._counts["left out"] += 1
                key = None
            else:
                key = self._key((said,) if said else (), where, where)
            values = [self._value(value, cells.value(line, columns[str(value.column)])) for value in spec.read.values()]
            yield self._page(key, line.number, values, sheet, follows=key is not None and not said)
        if sheet.totals:
            self._sum(sheet, cells, added)
        self._last = None

    def _page(self, key: str | None, number: int, values: list[str | None], sheet: Sheet, *, follows: bool) -> Page:
        said = tuple(values) if key is not None else (None,) * len(values)
        return Page(key, 0, number, follows, said, is_picture=False, sheet=sheet.name)

    def _require_saved(self, cells: Cells, line: Line, sheet: Sheet) -> None:
        cell = cells.unsaved(line)
        if cell is not None:
            where = f"{self._package.name}, sheet {sheet.name}, {cell}"
            fix = "Open the workbook in an office program, which calculates it, save it, and put it there again"
            raise DataError("this formula has no value", where=where, fix=fix)

    def _columns(self, heads: dict[str, list[str]], sheet: Sheet) -> dict[str, str]:
        """Heading, or letter, that the job names → the letter of its column."""
        known = {" ".join(" ".join(texts).split()).casefold(): column for column, texts in reversed(heads.items())}
        known |= {" ".join(texts[-1].split()).casefold(): column for column, texts in reversed(heads.items())}
        found = {}
        for named in (self._spec.key.column, *(value.column for value in self._spec.read.values())):
            assert named is not None
            letter = known.get(" ".join(named.split()).casefold())
            if letter is None and re.fullmatch(r"[A-Z]{1,3}", named):
                letter = named
            if letter is None:
                there = [" ".join(texts[-1].split()) for texts in heads.values()]
                where = f"{self._package.name}, sheet {sheet.name}, row {self._spec.header}"
                raise DataError(f"no column is headed '{named}'", where=where, fix=meant(named, there, noun="heading"))
            found[named] = letter
        return found

    def _key(self, found: Sequence[str], where: str, place: str) -> str | None:
        """The key of a sheet or a row.

        Raises:
            DataError: it says several, or none where it must, or one that was there before and may not be again.
        """
        spec = self._spec
        if len(found) > 1:
            what = f"this {spec.unit} of '{self._name}' says {len(found)} keys: {told(tuple(found))}"
            raise DataError(what, where=where, fix="Let the pattern find one")
        if not found:
            if spec.unmarked == "follow" and self._last is not None:
                return self._last
            if spec.unmarked != "leave out":
                ways = (
                    "`unmarked: leave out`, `unmarked: follow`, `totals`" if self._by_rows else "`unmarked: leave out`"
                )
                what = f"this {spec.unit} of '{self._name}' has no key"
                raise DataError(what, where=where, fix=f"Write {ways}, or a pattern for it under `leave_out`")
            self._nobodys.append(place)
            return None
        key = found[0]
        if key != self._last and key in self._seen and spec.again == "refuse":
            what = f"key '{key}' of '{self._name}' comes back here"
            raise DataError(what, where=where, fix="Write `again: together`, or correct the workbook")
        self._seen.setdefault(key, place)
        self._last = key
        return key

    def _value(self, spec: InWorkbook, text: str) -> str | None:
        """What a cell says, as the data set has it: dates as ISO 8601 writes them."""
        if not text.strip():
            return None
        if spec.kind == "date" and re.fullmatch(r"\d+(\.\d+)?", text):
            first = dt.datetime(1904, 1, 1) if self.book.since_1904 else dt.datetime(1899, 12, 30)  # noqa: DTZ001
            with suppress(OverflowError):
                return (first + dt.timedelta(days=float(text))).date().isoformat()
        number = number_of(text) if spec.kind == "number" else None
        return text if number is None else f"{number:f}"

    def _cells(self, *, keeps_formulas: bool) -> Cells:
        return Cells(self._strings, keeps_formulas=keeps_formulas, is_calculated=self._package.is_calculated)

    def _sum(self, sheet: Sheet, cells: Cells, added: set[str]) -> None:
        """Find out which cells of the rows with totals are the sums of what stands above them, besides `added`."""
        totals = [cells.values(line) for line in _again(sheet, sheet.totals)]
        columns = {column for row in totals for column, text in row.items() if number_of(text) is not None}
        sums = dict.fromkeys(columns, Decimal())
        body = (number for number in sheet.rows.numbers if number > (sheet.header or 0) and number not in sheet.totals)
        for line in _again(sheet, body):
            for column in columns:
                sums[column] += number_of(cells.value(line, column)) or Decimal()
        agree = added | {
            column for column in columns if all(_is_sum(row.get(column, ""), sums[column]) for row in totals)
        }
        sheet.summed = frozenset(agree)
        self._unsummed += [f"{column} of {sheet.name}" for column in sorted(columns - agree)]

    def findings(self) -> Iterator[Finding]:
        """What the operator should know of all of it."""
        if self._counts["left out"]:
            yield Finding(weight=Weight.NOTE, text=f"{self._are(self._counts['left out'])} left out by `leave_out`")
        if self._nobodys:
            some = ", ".join(self._nobodys[:_SHOWN]) + (" …" if len(self._nobodys) > _SHOWN else "")
            yield Finding(weight=Weight.ATTENTION, text=f"{self._are(len(self._nobodys))} nobody's: no key in {some}")
        if self._hidden:
            some = ", ".join(self._hidden[:_SHOWN]) + (" …" if len(self._hidden) > _SHOWN else "")
            yield Finding(weight=Weight.ATTENTION, text=f"{self._are(len(self._hidden))} hidden, and nobody's: {some}")
        if self._unsummed:
            text = (
                f"totals in column {', '.join(self._unsummed)} are no sums of what stands above: parts leave them empty"
            )
            yield Finding(weight=Weight.ATTENTION, text=text)
        if self._lost:
            lost = ", ".join(
                f"{kind} ({count} sheet{'s' if count > 1 else ''})" for kind, count in sorted(self._lost.items())
            )
            yield Finding(weight=Weight.ATTENTION, text=f"parts of '{self._name}' do not have its {lost}")

    def _are(self, count: int) -> str:
        unit = self._spec.unit
        return f"1 {unit} of '{self._name}' is" if count == 1 else f"{count:,} {unit}s of '{self._name}' are"


def _again(sheet: Sheet, numbers: Sequence[int] | Iterator[int]) -> Iterator[Line]:
    """Rows that are kept, to be read once more."""
    for number in numbers:
        line = sheet.rows.of(number)
        if line is not None:
            yield line


def _merged_rows(sheet: Sheet) -> dict[tuple[int, str], int]:
    """Row and column of cells that are merged with others below or above → the first row of these."""
    found: dict[tuple[int, str], int] = {}
    for part in sheet.furniture.parts:
        for cell in part if local(part) == "mergeCells" else ():
            area = _AREA.fullmatch(cell.get("ref", ""))
            if area is not None and area[2] != area[4]:
                found |= {(row, area[1]): int(area[2]) for row in range(int(area[2]), int(area[4]) + 1)}
    return found


def _key_text(text: str) -> str:
    """A key: numbers without decimals that only their type has, blanks around it do not count."""
    if text.isalnum() and "e" not in text and "E" not in text:
        return text
    number = number_of(text) if re.fullmatch(r"-?\d+(\.\d+)?[eE][-+]?\d+|-?\d+\.0+", text) else None
    return f"{number:f}".partition(".")[0] if number is not None and number == int(number) else " ".join(text.split())


def _is_sum(text: str, summed: Decimal) -> bool:
    """Whether a total is a sum, but for what binary numbers lose; what is no number is none that could differ."""
    total = number_of(text)
    return total is None or abs(total - summed) <= max(abs(summed), Decimal(1)) * Decimal("1e-9")
