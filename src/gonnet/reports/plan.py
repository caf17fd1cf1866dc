"""What is the same for every document of a run: columns, formats, alignment, widths, page furniture."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Any, Literal

from gonnet.data import ColumnType, Engine, quoted
from gonnet.errors import JobError
from gonnet.jobs.models import Column, FactsBlock, Job, Report, TableBlock, TextBlock
from gonnet.reports.columns import CellText, Kind, PlannedColumn
from gonnet.reports.widths import settle_widths
from gonnet.wording.formats import House, is_date_pattern, is_number_pattern
from gonnet.wording.template import Template


@dataclass(frozen=True, slots=True, kw_only=True)
class Look:
    """The house style of a run.

    Attributes:
        organisation: Shown at the head of every page.
        accent: Colour of rules and titles, `#rrggbb`.
        paper: Page size.
        house: Conventions for figures.
    """

    organisation: str
    accent: str
    paper: Literal["A4", "Letter"]
    house: House


@dataclass(frozen=True, slots=True, kw_only=True)
class PlannedFacts:
    """Labels, each with the text of its value."""

    facts: tuple[tuple[str, Template], ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class PlannedText:
    """Paragraphs."""

    text: Template


@dataclass(frozen=True, slots=True, kw_only=True)
class PlannedTable:
    """A table: its columns, and where their values stand in a row of the run (`at`)."""

    title: str | None
    columns: tuple[PlannedColumn, ...]
    at: tuple[int, ...]
    empty: str

    @property
    def has_totals(self) -> bool:
        """Whether any column is totalled."""
        return any(column.total for column in self.columns)


PlannedBlock = PlannedFacts | PlannedText | PlannedTable


@dataclass(frozen=True, slots=True, kw_only=True)
class ReportPlan:
    """One report of the job, settled for the whole run."""

    name: str
    title: Template
    header: Template | None
    footer: Template | None
    landscape: bool
    blocks: tuple[PlannedBlock, ...]

    def tables(self) -> Iterator[PlannedTable]:
        """Its tables, in order."""
        for block in self.blocks:
            if isinstance(block, PlannedTable):
                yield block


def settle(
    engine: Engine, job: Job, columns: tuple[ColumnType, ...], look: Look
) -> tuple[tuple[ReportPlan, ...], tuple[str, ...]]:
    """Settle every report that the package uses.

    Returns:
        The plans, and the columns of a row of the run, in the order in which the plans' tables count them.

    Raises:
        JobError: a format does not fit its column's type.
    """
    types = {column.name: column for column in columns}
    wanted = dict.fromkeys(document.report for document in job.file.package.documents)
    fields: dict[str, int] = {}
    plans = tuple(_report(engine, job, name, types, fields, look) for name in wanted)
    return plans, tuple(fields)


def _report(
    engine: Engine, job: Job, name: str, types: Mapping[str, ColumnType], fields: dict[str, int], look: Look
) -> ReportPlan:
    report, at = job.file.reports[name], ("reports", name)
    blocks: list[PlannedBlock] = []
    for index, block in enumerate(report.blocks):
        place = (*at, "blocks", index)
        match block:
            case FactsBlock():
                facts = tuple((label, job.text(text, *place, "facts", label)) for label, text in block.facts.items())
                blocks.append(PlannedFacts(facts=facts))
            case TextBlock():
                blocks.append(PlannedText(text=job.text(block.text, *place, "text")))
            case TableBlock():
                blocks.append(_table(engine, job, report, block, place, types, fields, look))
    return ReportPlan(
        name=name,
        title=job.text(report.title, *at, "title"),
        header=job.text(report.header, *at, "header") if report.header is not None else None,
        footer=job.text(report.footer, *at, "footer") if report.footer is not None else None,
        landscape=report.landscape,
        blocks=tuple(blocks),
    )


def _table(
    engine: Engine,
    job: Job,
    report: Report,
    block: TableBlock,
    place: tuple[str | int, ...],
    types: Mapping[str, ColumnType],
    fields: dict[str, int],
    look: Look,
) -> PlannedTable:
    planned = []
    for index, column in enumerate(block.table.columns):
        where = job.at(*place, "table", "columns", index)
        planned.append(_column(column, types[column.field], look.house, where))
        fields.setdefault(column.field, len(fields))
    samples = [widest(engine, column, look.house) for column in planned]
    sized = settle_widths(planned, samples, look.paper, landscape=report.landscape)
    return PlannedTable(
        title=block.table.title,
        columns=sized,
        at=tuple(fields[column.field] for column in planned),
        empty=block.table.empty,
    )


def _column(column: Column, found: ColumnType, house: House, where: str) -> PlannedColumn:
    kind = Kind.of(found)
    pattern = column.format
    if pattern is not None:
        fits = is_number_pattern(pattern) if kind is Kind.NUMBER else is_date_pattern(pattern)
        if kind not in (Kind.NUMBER, Kind.DATE, Kind.TIME) or not fits:
            raise JobError(
                f"the format '{pattern}' does not fit column '{column.field}', which is {kind.words}",
                where=where,
                fix="Numbers take a pattern such as #,##0.00, dates one such as d MMM yyyy, text none",
            )
    if column.total in ("sum", "average") and kind is not Kind.NUMBER:
        raise JobError(
            f"column '{column.field}' is {kind.words} and has no {column.total}",
            where=where,
            fix="Numbers have; count works for all",
        )
    default: Literal["left", "right"] = "right" if kind is Kind.NUMBER else "left"
    return PlannedColumn(
        field=column.field,
        label=column.label if column.label is not None else labelled(column.field),
        kind=kind,
        pattern=pattern or default_pattern(found, kind, house),
        align=column.align or default,
        total=column.total,
        # A whole number without format or total is a name for something, not an amount; the leak check reads it as one.
        is_measure=kind is not Kind.TEXT and not (found.is_integer and column.format is None and column.total is None),
        fixed_mm=None if column.width == "auto" else float(column.width),
    )


def labelled(field: str) -> str:
    """A column's name as a heading: `fat_pct` → `Fat pct`."""
    words = field.replace("_", " ").strip()
    return words[:1].upper() + words[1:]


def default_pattern(found: ColumnType, kind: Kind, house: House) -> str | None:
    """The pattern of a column for which the job gives none."""
    match kind:
        case Kind.NUMBER:
            return "0" if found.is_integer else "#,##0." + "0" * min(max(found.decimals, 1), 4)
        case Kind.DATE:
            return house.medium_date_pattern()
        case Kind.TIME:
            return f"{house.medium_date_pattern()} HH:mm"
        case _:
            return None


def widest(engine: Engine, column: PlannedColumn, house: House) -> tuple[str, ...]:
    """Texts of the column among which the widest of the run is (or is nearly): the longest ones, and its total."""
    name = quoted(column.field)
    if column.kind is Kind.NUMBER:
        totals = f", sum({name})" if column.total == "sum" else ""
        found: list[Any] = list(engine.query(f"select min({name}), max({name}){totals} from gonnet_rows")[0])
        longest = engine.query(
            f"select {name} from gonnet_rows where {name} is not null "
            f"order by length(cast({name} as varchar)) desc limit 1"
        )
        found += [value for (value,) in longest]
    else:
        rows = engine.query(
            f"select distinct {name} from gonnet_rows where {name} is not null "
            f"order by length(cast({name} as varchar)) desc, 1 limit 40"
        )
        found = [value for (value,) in rows]
    write = CellText(column, house)
    return tuple(
        write(Decimal(value) if isinstance(value, int) and not isinstance(value, bool) else value) for value in found
    )
