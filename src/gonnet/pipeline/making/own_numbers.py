"""The recipient's own amounts and dates in a file, by which the leak check tells them from somebody else's key."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from decimal import Decimal

from gonnet.jobs.values import Format
from gonnet.packages import DocumentPlan
from gonnet.reports.csv_rows import csv_text
from gonnet.reports.layout.models import FormLayout, Layout, Merged

_DAY_ZERO = dt.date(1899, 12, 30)  # day numbers of a workbook count from here


def own_numbers(layout: Layout, plan: DocumentPlan, pages: int | None, *, is_first: bool = True) -> Iterator[Merged]:
    """Texts of a file that hold the recipient's own amounts and dates, as often as they stand in it, with these."""
    if plan.format == "xlsx" and layout.form is not None:
        yield from _in_a_form(layout, layout.form)
        return
    if plan.format != "csv":
        lists_pages = plan.joint is not None and plan.joint.contents
        yield from _own_texts(layout, plan.format, pages or 0, is_first=is_first, lists_pages=lists_pages)
    if plan.joint is not None and not plan.joint.by_key:
        yield from (layout.title_merged, layout.title_merged)  # in the contents, and in a bookmark
    for text, value in layout.numbers(drawn=plan.format in ("pdf", "html")):
        match plan.format:
            case "xlsx":
                shown = _in_a_workbook(value)
            case "csv":
                shown = csv_text(text, value, plan.csv) if plan.csv else ""
            case _:
                shown = text
        yield shown, (shown,)


def _in_a_form(layout: Layout, form: FormLayout) -> Iterator[Merged]:
    yield layout.title_merged
    for (_, value), (text, numbers) in zip(form.cells, form.merged, strict=True):
        shown = _in_a_workbook(value)
        yield (shown, (shown,)) if shown else (text, numbers)
    for table in layout.tables():
        for column in form.plan.columns.values():
            if table.columns[column].is_measure:
                yield from ((shown, (shown,)) for shown in map(_in_a_workbook, table.values[column]))


def _own_texts(
    layout: Layout, form: Format, pages: int, *, is_first: bool, lists_pages: bool = False
) -> Iterator[Merged]:
    """The filled texts of a file: title also in its properties, headings in its bookmarks, others on every page."""
    yield from layout.merged
    yield from (layout.title_merged, layout.title_merged)
    if form == "xlsx":
        yield layout.sheet_merged
    if form == "html":
        yield from layout.page_merged
    if form == "pdf":
        yield from layout.headings_merged
    for page in range(1, pages + 1):
        if is_first:
            yield f"{page} {pages}", (f"{page} {pages}",)
        if lists_pages and is_first:
            yield str(page), (str(page),)
        yield from layout.page_merged


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
