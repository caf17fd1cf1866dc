"""A document with every kind of text in it, made without a job."""

from __future__ import annotations

from decimal import Decimal

from gonnet.jobs.style import Style
from gonnet.reports.layout.charts import ChartLayout, SeriesLayout
from gonnet.reports.layout.models import FactsLayout, HeadingLayout, Layout, TableLayout, TextLayout
from gonnet.reports.plans.columns import ColumnPlan, ValueKind
from gonnet.reports.plans.models import Look, PageForm
from gonnet.wording.formats import House
from gonnet.wording.marked import paragraphs

LOOK = Look(style=Style(organisation="Tarnvale"), house=House(locale="en"))
FORM = PageForm(paper="A4", landscape=False, width=595, height=842, margins=(51,) * 4, watermark=None)
TEXT = ColumnPlan(
    field="remark", label="Remark", kind=ValueKind.TEXT, pattern=None, align="left", total=None, is_measure=False,
    width=200, font_size=8, characters=20,
)  # fmt: skip
AMOUNT = ColumnPlan(
    field="amount", label="Amount", kind=ValueKind.NUMBER, pattern="0.00", align="right", total=None, is_measure=True,
    width=120, font_size=8, characters=12,
)  # fmt: skip


def document(words: list[str], amounts: list[Decimal]) -> Layout:
    """A document with the same words everywhere."""
    first = words[0]
    shown = tuple(f"{amount}" for amount in amounts)
    table = TableLayout(
        columns=(TEXT, AMOUNT), title=first, empty=first, values=(tuple(words), tuple(amounts)),
        texts=(tuple(words), shown), rows=len(words),
    )  # fmt: skip
    chart = ChartLayout(
        kind="bars", title=first, over=first, places=tuple(words), measured=False,
        series=(SeriesLayout(label=first, values=tuple(amounts), texts=shown),), lines=(), unit=first,
        ticks=((min(Decimal(0), *amounts), "low"), (max(Decimal(1), *amounts), "high")), pattern="0.00", height=90,
        alt=first, empty=first,
    )  # fmt: skip
    blocks = (HeadingLayout(text=first), FactsLayout(facts=((first or "label", first),)), chart, table,
              TextLayout(paragraphs=paragraphs("**bold** text")))  # fmt: skip
    return Layout(
        title=first, sheet=first, header=first, footer=first, page=FORM, blocks=blocks, merged=(), title_merged=("", ()),
        page_merged=(),
    )  # fmt: skip
