"""Drawing a layout as an OpenDocument spreadsheet (ISO/IEC 26300), with odfdo.

Values are numbers and dates as they are shown, with their formats; heads of tables are heads. A chart is a picture with
its numbers below.
"""

from __future__ import annotations

import datetime as dt
import io
from collections.abc import Callable, Sequence
from decimal import Decimal
from typing import Any
from xml.sax.saxutils import escape, quoteattr

from PIL import Image

from gonnet.reports.layout.charts import ChartLayout
from gonnet.reports.layout.models import BlockLayout, FactsLayout, HeadingLayout, Layout, Line, TableLayout, TextLayout
from gonnet.reports.ods_formats import date_style, number_style
from gonnet.reports.pen import MARK, tint_of
from gonnet.reports.plans.columns import ColumnPlan, ValueKind
from gonnet.reports.plans.models import Look, Picture, Space
from gonnet.reports.timeless import timeless
from gonnet.reports.workbook.cells import xml_safe
from gonnet.reports.workbook.charts import columns_of
from gonnet.reports.workbook.document import sheet_name

PictureOf = Callable[[ChartLayout], bytes]
"""What draws a chart as a PNG."""

_MADE = dt.datetime(2000, 1, 1)  # noqa: DTZ001  the same content is the same bytes
_CENTIMETRES = 2.54 / 72  # of a point
_OF_A_SIGN = 0.21  # centimetres of a column for each sign
_NARROWEST, _WIDEST = 2.2, 9.0
_SIDES = {"left": "start", "right": "end", "centre": "center"}
_EXACT_DIGITS = 15


def draw_ods(layout: Layout, look: Look, picture_of: PictureOf) -> bytes:
    """The file's bytes; the same layout gives the same bytes.

    Args:
        layout: What it shows.
        look: The house style.
        picture_of: Draws its charts.
    """
    from odfdo import Document, Element

    document: Any = Document("spreadsheet")
    document.del_part("Thumbnails/thumbnail.png")
    writer = _Writer(document, layout, look, picture_of)
    body = document.body
    body.clear()
    table = writer.table()  # it makes the styles that it needs
    styles = document.content.get_element("//office:automatic-styles")
    for style in writer.styles.values():
        styles.append(Element.from_tag(style))
    body.append(Element.from_tag(table))
    _set_up_pages(document.styles, layout, look)
    meta = document.meta
    meta.title, meta.creator, meta.initial_creator = xml_safe(layout.title), look.organisation, look.organisation
    meta.set_creation_date(_MADE)
    meta.set_modification_date(_MADE)
    meta.set_generator("Gonnet")
    document.set_language(look.language)
    target = io.BytesIO()
    document.save(target, pretty=False)
    return timeless(target.getvalue())


def _set_up_pages(styles: Any, layout: Layout, look: Look) -> None:  # noqa: ANN401
    """How it is printed: paper, one page wide, what stands at the head and the foot."""
    from odfdo import Element

    page, lengths = layout.page, [f"{side * _CENTIMETRES:.2f}cm" for side in layout.page.margins]
    top, right, bottom, left = lengths
    found = {
        "fo:page-width": f"{page.width * _CENTIMETRES:.2f}cm", "fo:page-height": f"{page.height * _CENTIMETRES:.2f}cm",
        "style:print-orientation": "landscape" if page.landscape else "portrait",
        "fo:margin-top": top, "fo:margin-right": right, "fo:margin-bottom": bottom, "fo:margin-left": left,
        "style:scale-to-X": "1", "style:scale-to-Y": "0",
    }  # fmt: skip
    properties = styles.get_element("//style:page-layout[@style:name='Mpm1']/style:page-layout-properties")
    for name, value in found.items():
        properties.set_attribute(name, value)
    before, _, rest = look.page_count.partition("{}")
    between, _, after = rest.partition("{}")
    number, count = "<text:page-number>1</text:page-number>", "<text:page-count>1</text:page-count>"
    paged = f"{escape(before)}{number}{escape(between)}{count}{escape(after)}".replace(" <", "<text:s/><")
    for place, left_text, right_text in (
        ("header", _shown(look.organisation), _shown(layout.header)),
        ("footer", _shown(layout.footer), paged),
    ):
        region = styles.get_element(f"//style:master-page[@style:name='Default']/style:{place}")
        region.clear()
        for side, text in (("left", left_text), ("right", right_text)):
            region.append(Element.from_tag(f"<style:region-{side}><text:p>{text}</text:p></style:region-{side}>"))


def _shown(text: str) -> str:
    return escape(xml_safe(text))


class _Writer:
    """Writes the rows of one sheet, and keeps the styles that they need."""

    def __init__(self, document: Any, layout: Layout, look: Look, picture_of: PictureOf) -> None:  # noqa: ANN401
        self._document, self._layout, self._look, self._picture_of = document, layout, look, picture_of
        self._rows: list[str] = []
        self._widths: dict[int, int] = {}
        self.styles: dict[str, str] = {}
        self._names: dict[str, str] = {}

    def table(self) -> str:
        """All of it, as XML."""
        accent = {"fo:font-weight": "bold", "fo:color": self._look.accent}
        self._line([(self._layout.title, self._style(accent | {"fo:font-size": "15pt"}))])
        self._line([])
        for block in self._layout.blocks:
            self._block(block, accent)
            if not isinstance(block, HeadingLayout | Space):
                self._line([])
        count = max(self._widths, default=0) + 1
        columns = "".join(self._column(at) for at in range(count))
        name = quoteattr(sheet_name(self._layout.sheet))
        return f"<table:table table:name={name}>{columns}{''.join(self._rows)}</table:table>"

    def _block(self, block: BlockLayout, accent: dict[str, str]) -> None:
        match block:
            case HeadingLayout():
                self._line([(block.text, self._style(accent | {"fo:font-size": "12pt"}))])
            case FactsLayout():
                self._facts(block)
            case TextLayout():
                for paragraph in block.paragraphs:
                    mark = f"{paragraph.mark} " if paragraph.mark else ""
                    self._line([(f"{'   ' * (paragraph.depth - 1)}{mark}{paragraph.text}", "")])
            case TableLayout():
                self._table(block)
            case ChartLayout():
                self._chart(block)
            case Picture():
                self._picture(block.data, block.width, block.height, block.alt)
            case Space():
                pass

    def _facts(self, block: FactsLayout) -> None:
        deep = -(-len(block.facts) // block.columns)
        label, value = self._style({"fo:color": "#5c6663"}), self._style({"fo:font-weight": "bold"})
        for at in range(deep):
            found = block.facts[at::deep]
            self._line([cell for name, said in found for cell in ((name, label), (said, value))])
            for number, (name, _) in enumerate(found):
                self._wide(2 * number, min(len(name) + 2, 30))

    def _chart(self, chart: ChartLayout) -> None:
        if chart.title:
            self._line([(chart.title, self._style({"fo:font-weight": "bold"}))])
        if not chart.places:
            self._line([(chart.empty, "")])
            return
        drawn, room = self._picture_of(chart), self._layout.page.room
        with Image.open(io.BytesIO(drawn)) as opened:
            height = room * opened.size[1] / opened.size[0]
        self._picture(drawn, room, height, chart.in_words())
        columns = columns_of(chart)
        head = self._head_look()
        self._line(
            [(chart.over, self._style(head)), *((label, self._style(head | _at("right"))) for label, _, _ in columns)]
        )
        shown = self._style({}, self._number(chart.pattern))
        for number, place in enumerate(chart.places):
            values = [values[number] for _, values, _ in columns]
            cells = [_text(place, "")]
            cells += [
                _number(value, f"{value}", shown) if value is not None else "<table:table-cell/>" for value in values
            ]
            self._add(cells)

    def _picture(self, data: bytes, width: float, height: float, alternative: str) -> None:
        """A picture in a cell of its own, in a row as high as it."""
        name = self._document.add_file(io.BytesIO(data))
        row = self._named(
            "row",
            f'style:family="table-row"><style:table-row-properties style:row-height="{height * _CENTIMETRES:.2f}cm" '
            'style:use-optimal-row-height="false"/></style:style>',
        )
        size = f'svg:width="{width * _CENTIMETRES:.2f}cm" svg:height="{height * _CENTIMETRES:.2f}cm"'
        said = f"<svg:desc>{escape(xml_safe(alternative))}</svg:desc>"
        image = f'<draw:image xlink:href="{name}" xlink:type="simple" xlink:show="embed" xlink:actuate="onLoad"/>'
        frame = f"<draw:frame {size}>{image}{said}</draw:frame>"
        self._rows.append(
            f'<table:table-row table:style-name="{row}"><table:table-cell>{frame}</table:table-cell></table:table-row>'
        )

    def _table(self, table: TableLayout) -> None:
        if table.title:
            self._line([(table.title, self._style({"fo:font-weight": "bold"}))])
        for index, column in enumerate(table.columns):
            self._wide(index, column.characters)
        heads = [
            _text(one.label, self._style(self._head_look() | _at(one.align, at)))
            for at, one in enumerate(table.columns)
        ]
        rows = f"<table:table-row>{''.join(heads)}</table:table-row>"
        self._rows.append(f"<table:table-header-rows>{rows}</table:table-header-rows>")
        if not table.height:
            self._line([(table.empty, "")])
            return
        at = 0
        for line in (*table.lines, *table.totals):
            for number in range(at, line.before):
                self._row(table, number)
            at = line.before
            self._between(table, line)
        for number in range(at, table.height):
            self._row(table, number)

    def _row(self, table: TableLayout, number: int) -> None:
        cells = []
        for index, column in enumerate(table.columns):
            plan = table.money[index][number] if index in table.money else column
            accents = table.emphasis.get(number, {}).get(index, frozenset())
            look = {"fo:font-weight": "bold"} if "bold" in accents else {}
            look |= {"fo:background-color": tint_of(self._look.accent)} if "tint" in accents else {}
            text = table.texts[index][number]
            shown = MARK + text if "mark" in accents else text
            address = table.link(index, number) if index in table.links and text else ""
            value = None if address or shown != text else table.values[index][number]
            cells.append(self._cell(plan, shown, value, look | _at(column.align, index), address))
        self._add(cells)

    def _between(self, table: TableLayout, line: Line) -> None:
        """A heading, a note or a total."""
        if not line.is_total:
            self._line([(line.texts[0], self._style({"fo:font-weight": "bold"}))])
            return
        edge = {"fo:font-weight": "bold", "fo:border-top": f"0.06cm solid {self._look.accent}"}
        cells = []
        for column, text, value in zip(line.columns or table.columns, line.texts, line.values, strict=True):
            is_share = text.endswith("%")
            cells.append(self._cell(column, text, None if is_share else value, edge | _at(column.align)))
        self._add(cells)

    def _cell(self, column: ColumnPlan, text: str, value: object, look: dict[str, str], address: str = "") -> str:
        """A cell of a column: a number or a date where it is one, else its text."""
        match value:
            case bool():
                return _text(text, self._style(look), address)
            case Decimal() if value.is_finite() and len(value.as_tuple().digits) <= _EXACT_DIGITS:
                form = self._number(column.pattern) if column.kind is ValueKind.NUMBER else ""
                return _number(value, text, self._style(look, form))
            case dt.date() if column.pattern is not None:
                style = self._style(look, self._date(column.pattern))
                said = value.replace(tzinfo=None).isoformat() if isinstance(value, dt.datetime) else value.isoformat()
                of = f'table:style-name="{style}" office:value-type="date" office:date-value="{said}"'
                return f"<table:table-cell {of}>{_paragraphs(text)}</table:table-cell>"
            case _:
                empty = f'<table:table-cell table:style-name="{self._style(look)}"/>'
                return _text(text, self._style(look), address) if text else empty

    def _head_look(self) -> dict[str, str]:
        return {
            "fo:font-weight": "bold",
            "fo:border-bottom": f"0.06cm solid {self._look.accent}",
            "fo:wrap-option": "wrap",
        }

    def _line(self, cells: Sequence[tuple[str, str]]) -> None:
        """A row of texts with their styles."""
        self._add([_text(text, style) for text, style in cells] or ["<table:table-cell/>"])

    def _add(self, cells: Sequence[str]) -> None:
        self._rows.append(f"<table:table-row>{''.join(cells)}</table:table-row>")

    def _wide(self, column: int, signs: int) -> None:
        self._widths[column] = max(signs, self._widths.get(column, 0))

    def _column(self, at: int) -> str:
        wide = min(max(self._widths.get(at, 0) * _OF_A_SIGN, _NARROWEST), _WIDEST)
        of = f'<style:table-column-properties style:column-width="{wide:.2f}cm"/>'
        said = f'style:family="table-column">{of}</style:style>'
        return f'<table:table-column table:style-name="{self._named("column", said)}"/>'

    def _number(self, pattern: str | None) -> str:
        """The name of a format of numbers; empty for none."""
        return self._data_style(number_style("N", pattern)) if pattern else ""

    def _date(self, pattern: str) -> str:
        return self._data_style(date_style("N", pattern, self._look.language))

    def _data_style(self, style: str) -> str:
        if style and style not in self._names:
            name = f"number{len(self._names) + 1}"
            self._names[style] = name
            self.styles[name] = style.replace('style:name="N"', f'style:name="{name}"', 1)
        return self._names.get(style, "")

    def _style(self, look: dict[str, str], data: str = "") -> str:
        """The name of a look of cells."""
        of = {name: value for name, value in look.items() if name in ("fo:font-weight", "fo:color", "fo:font-size")}
        side = {name: value for name, value in look.items() if name in ("fo:text-align", "fo:margin-left")}
        rest = {name: value for name, value in look.items() if name not in of and name not in side}
        parts = (
            ("style:table-cell-properties", {"style:vertical-align": "top", **rest}),
            ("style:paragraph-properties", side),
            ("style:text-properties", of),
        )
        inside = "".join(f"<{name} {_attributes(one)}/>" for name, one in parts if one)
        wears = f" style:data-style-name={quoteattr(data)}" if data else ""
        return self._named("cell", f'style:family="table-cell"{wears}>{inside}</style:style>')

    def _named(self, kind: str, rest: str) -> str:
        key = f"{kind} {rest}"
        if key not in self._names:
            name = f"{kind}{len(self._names) + 1}"
            self._names[key] = name
            self.styles[name] = f'<style:style style:name="{name}" {rest}'
        return self._names[key]


def _at(side: str, index: int = 0) -> dict[str, str]:
    """Alignment; a text behind another column stands a little apart from it."""
    apart = {"fo:margin-left": "0.25cm"} if side == "left" and index else {}
    return {"fo:text-align": _SIDES[side], **apart}


def _attributes(found: dict[str, str]) -> str:
    return " ".join(f"{name}={quoteattr(value)}" for name, value in found.items())


def _number(value: Decimal | float, text: str, style: str) -> str:
    said = f'table:style-name="{style}" office:value-type="float" office:value="{value:f}"'
    return f"<table:table-cell {said}>{_paragraphs(text)}</table:table-cell>"


def _text(text: str, style: str, address: str = "") -> str:
    look = f' table:style-name="{style}"' if style else ""
    shown = _paragraphs(text)
    if address:
        link = f'<text:a xlink:type="simple" xlink:href={quoteattr(address)}>'
        shown = f"<text:p>{link}{escape(xml_safe(text))}</text:a></text:p>"
    return f'<table:table-cell{look} office:value-type="string">{shown}</table:table-cell>'


def _paragraphs(text: str) -> str:
    """The lines of a text; blanks in a row as ODF has them."""
    return "".join(
        f"<text:p>{escape(xml_safe(line)).replace('  ', ' <text:s/>')}</text:p>" for line in text.split("\n")
    )
