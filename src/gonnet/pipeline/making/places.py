"""What a layout says, place by place: what the leak check searches, and what of a file it need not search again."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Iterable, Iterator, Sequence
from decimal import Decimal
from functools import partial
from itertools import islice

from gonnet.checks import Hit, ReadBack, Watch
from gonnet.checks.reading import paragraphs
from gonnet.packages import DocumentPlan
from gonnet.remembering import Remembered
from gonnet.reports.csv_rows import csv_text
from gonnet.reports.layout.charts import ChartLayout
from gonnet.reports.layout.models import FactsLayout, HeadingLayout, Layout, TableLayout, TextLayout
from gonnet.reports.plans.columns import CellValue
from gonnet.reports.workbook.cells import read_from_cell
from gonnet.wording.filled import Filled

_DAY_ZERO = dt.date(1899, 12, 30)  # day numbers of a workbook count from here


def searched(watch: Watch, owners: Sequence[str], name: str, layout: Layout) -> tuple[Hit, ...]:
    """What of a layout names somebody else, place by place; amounts and dates are the recipient's own."""
    found = watch.search(owners, name, ReadBack(parts=tuple(_places(layout))))
    for table in layout.tables():
        for column, texts in zip(table.columns, table.texts, strict=True):
            if not column.is_measure:
                part = ReadBack(parts=((f"column '{column.label}'", texts),))
                found += watch.search(owners, name, part, is_fixed=column.sql in watch.manner.counting)
    return found


def _places(layout: Layout) -> Iterator[tuple[str, tuple[str, ...]]]:
    for place, filled in layout.merged:
        if filled.rest:
            yield place, paragraphs(filled.rest)
    if layout.label:
        yield "its name in the contents", (layout.label,)
    for block in layout.blocks:
        match block:
            case TableLayout():
                yield "headings of columns", block.tops
                lines = (*block.lines, *block.totals)
                yield "a line of a table", tuple(line.named for line in lines if line.named)
                for at, links in block.links.items():
                    values = (value for link in links for value in link.values)
                    yield f"the links of '{block.columns[at].label}'", tuple(dict.fromkeys(values))
            case ChartLayout():
                yield "a chart", (*(() if block.measured else block.places), *block.parts)
            case _:
                pass
    if layout.form is not None:
        for (name, _), filled in zip(layout.form.cells, layout.form.merged, strict=True):
            yield f"'{name}' of the form", (filled.rest,)


def drawn(layouts: Sequence[Layout]) -> Collection[str]:
    """Every text of a document as its layouts have it: where a file has just these, they were searched already."""
    found: set[str] = set()
    for layout in layouts:
        found.update((layout.title, layout.header, layout.footer, layout.sheet, layout.label))
        for block in layout.blocks:
            match block:
                case HeadingLayout():
                    found.add(block.text)
                case FactsLayout():
                    for pair in block.facts:
                        found.update(pair)
                case TextLayout():
                    found.update(part.text for part in block.paragraphs)
                case TableLayout():
                    found.update(*block.texts, (column.label for column in block.columns), (block.title or "",))
                    found.update(*(line.texts for line in (*block.lines, *block.totals)))
                    found.update(link.address for links in block.links.values() for link in links)
                case ChartLayout():
                    found.update(block.texts(), (block.alt, block.in_words()))
                case _:
                    pass
    return found


def cells(layouts: Sequence[Layout], plan: DocumentPlan) -> Iterator[Iterable[str]]:
    """Every cell of the rows that a document shows, column by column, as a reader finds it in a file of its format."""
    for layout in layouts:
        form = layout.form if plan.format == "xlsx" else None
        if form is not None:
            for table in islice(layout.tables(), int(form.shows_rows)):
                for at in form.plan.columns.values():
                    yield map(_in_a_form, table.texts[at], table.values[at])
            continue
        for table in layout.tables():
            if plan.format == "xlsx":
                for at, texts in enumerate(table.texts):
                    exact = table.exact_values.get(at, table.values[at])
                    yield map(_CELLS.__getitem__, zip(texts, exact, strict=True))
            elif plan.csv is not None:
                for texts, values in zip(table.texts, table.values, strict=True):
                    yield map(partial(csv_text, form=plan.csv), texts, values)
            else:
                yield from table.texts


def _in_a_form(text: str, value: object) -> str:
    """A cell as openpyxl writes it, to whom a number is a binary one."""
    if isinstance(value, Decimal):
        return f"{float(value):.16g}"
    read = read_from_cell((text, value))
    return f"{float(read):.16g}" if isinstance(value, dt.date) and read != text else read


_CELLS: Remembered[CellValue, str] = Remembered(read_from_cell, 100_000)


def own(layouts: Sequence[Layout], plan: DocumentPlan | None, pages: int | None) -> Iterator[str]:
    """The recipient's amounts and dates as they may stand in a file, and what is the same in everybody's.

    Args:
        layouts: What it shows.
        plan: The document; None for what stands in a message.
        pages: Its number of pages, where it has any.
    """
    for layout in layouts:
        for _, filled in layout.merged:
            yield from _of_filled(filled)
        for (_, value), filled in zip(layout.form.cells, layout.form.merged, strict=True) if layout.form else ():
            yield from (_in_a_workbook(value), *_of_filled(filled))
        for text, value in layout.numbers():
            yield text
            yield _in_a_workbook(value)
            if plan is not None and plan.csv is not None:
                yield csv_text(text, value, plan.csv)
        yield from _fixed(layout)
    for page in range(1, (pages or 0) + 1):
        yield f"{page} {pages}"
        yield str(page)


def _of_filled(filled: Filled) -> Iterator[str]:
    yield from filled.numbers
    if not filled.rest:
        yield from paragraphs(filled.text)


def _fixed(layout: Layout) -> Iterator[str]:
    """What the job says of tables, charts and facts."""
    for block in layout.blocks:
        match block:
            case FactsLayout():
                yield from (label for label, _ in block.facts)
            case TableLayout():
                yield from (column.label for column in block.columns if column.label not in block.tops)
                yield from (block.title or "", block.empty)
            case ChartLayout():
                yield from (block.title or "", block.over, block.unit, block.empty, block.alt)
                yield from (series.label for series in block.series if series.label not in block.parts)
                yield from (label for label, _, _ in block.lines)
            case _:
                pass


def _in_a_workbook(value: object) -> str:
    match value:
        case int() | Decimal() if not isinstance(value, bool):
            return f"{Decimal(value):.16G}"
        case float():
            return repr(value)
        case dt.datetime():
            return str((value.date() - _DAY_ZERO).days)
        case dt.date():
            return str((value - _DAY_ZERO).days)
        case _:
            return ""
