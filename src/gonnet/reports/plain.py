"""A layout as plain text, for those who read a message without its HTML."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from gonnet.reports.layout.charts import ChartLayout
from gonnet.reports.layout.models import BlockLayout, FactsLayout, HeadingLayout, Layout, Line, TableLayout, TextLayout
from gonnet.reports.pen import MARK
from gonnet.reports.plans.columns import ColumnPlan
from gonnet.reports.plans.models import Picture, Space

_GAP = "  "


def plain_text(layout: Layout) -> str:
    """Its blocks, one below the other, an empty line between them; tables in columns."""
    blocks = ("\n".join(line.rstrip() for line in _block(block)) for block in layout.blocks)
    return "\n\n".join(block for block in blocks if block)


def text_file(layout: Layout) -> bytes:
    """The same under its title, as a file of its own: UTF-8, with the mark by which programs know it."""
    parts = (layout.title, "=" * len(layout.title), "", plain_text(layout), "", layout.footer)
    return ("\n".join(parts).rstrip() + "\n").encode("utf-8-sig")


def _block(block: BlockLayout) -> Iterator[str]:
    match block:
        case HeadingLayout():
            yield block.text
            yield "-" * len(block.text)
        case FactsLayout():
            wide = max((len(label) for label, _ in block.facts), default=0)
            yield from (f"{label.ljust(wide)}{_GAP}{_one_line(value)}" for label, value in block.facts)
        case TextLayout():
            for part in block.paragraphs:
                links = "".join(f" ({span.link})" for span in part.spans if span.link not in ("", span.text))
                yield f"{'  ' * (part.depth - 1)}{f'{part.mark} ' if part.mark else ''}{part.text}{links}"
        case Picture() | ChartLayout() if block.alt:
            yield f"[{block.alt}]"
        case TableLayout():
            yield from _table(block)
        case Picture() | ChartLayout() | Space():
            return


def _table(table: TableLayout) -> Iterator[str]:
    if table.title:
        yield table.title
    if not table.height:
        yield table.empty
        return
    rows = [[_one_line(text) for text in row] for row in zip(*table.texts, strict=True)]
    for column in table.links:
        for number, row in enumerate(rows):
            if row[column] and (link := table.link(column, number)):
                row[column] += f" <{link}>"
    for number, looks in table.emphasis.items():
        for column, look in looks.items():
            if "mark" in look:
                rows[number][column] = MARK + rows[number][column]
    labels = [_one_line(column.label) for column in table.columns]
    totals = [line for line in (*table.lines, *table.totals) if line.is_total]
    widths = [
        max(len(text) for text in column)
        for column in zip(labels, *rows, *(map(_one_line, line.texts) for line in totals), strict=True)
    ]
    rule = _GAP.join("-" * width for width in widths)
    yield _row(labels, table.columns, widths)
    yield rule
    at = 0
    for line in table.lines:
        yield from (_row(row, table.columns, widths) for row in rows[at : line.before])
        at = line.before
        yield _of_line(line, table.columns, widths)
    yield from (_row(row, table.columns, widths) for row in rows[at:])
    if table.totals:
        yield rule
        yield from (_of_line(line, table.columns, widths) for line in table.totals)


def _of_line(line: Line, columns: Sequence[ColumnPlan], widths: Sequence[int]) -> str:
    texts = [_one_line(text) for text in line.texts]
    return _row(texts, columns, widths) if line.is_total else texts[0]


def _row(texts: Sequence[str], columns: Sequence[ColumnPlan], widths: Sequence[int]) -> str:
    cells = zip(texts, columns, widths, strict=True)
    return _GAP.join(
        text.ljust(width) if column.align == "left" else text.rjust(width) for text, column, width in cells
    )


def _one_line(text: str) -> str:
    return " ".join(text.split("\n"))
