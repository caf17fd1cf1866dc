"""Drawing a layout as a text document that a person edits further (ECMA-376, WordprocessingML), with python-docx.

Headings, captions and tables are what they are to the office programs: they can be found in the navigation, read aloud
and restyled. What is drawn on a page alone, such as a watermark, is not in it.
"""

from __future__ import annotations

import io
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from typing import Any
from xml.sax.saxutils import escape

from gonnet.reports.layout.charts import ChartLayout
from gonnet.reports.layout.models import BlockLayout, FactsLayout, HeadingLayout, Layout, Line, TableLayout, TextLayout
from gonnet.reports.pen import MARK, tint_of
from gonnet.reports.plans.columns import ColumnPlan
from gonnet.reports.plans.models import Look, Picture, Space
from gonnet.reports.plans.widths import PADDING
from gonnet.reports.timeless import timeless
from gonnet.reports.workbook.cells import xml_safe
from gonnet.wording.marked import Paragraph, Span

_FACE = "Arial"  # which every office program has, or a face as wide: what is embedded in PDFs is not on every machine
_EMU = 12_700  # to the point
_NAMES = 'xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"'
_SIDES = {"left": "left", "right": "right", "centre": "center"}

PictureOf = Callable[[ChartLayout], bytes]
"""What draws a chart as a PNG."""


def draw_docx(layout: Layout, look: Look, picture_of: PictureOf) -> bytes:
    """The file's bytes; the same layout gives the same bytes.

    Args:
        layout: What it shows.
        look: The house style.
        picture_of: Draws its charts.
    """
    import docx

    document = docx.Document()
    _Writer(document, layout, look, picture_of).write()
    target = io.BytesIO()
    document.save(target)
    return timeless(target.getvalue())


class _Writer:
    """Writes one document."""

    def __init__(self, document: Any, layout: Layout, look: Look, picture_of: PictureOf) -> None:  # noqa: ANN401
        self._document, self._layout, self._look, self._picture_of = document, layout, look, picture_of
        self._pictures = 0

    def write(self) -> None:
        """All of it."""
        self._set_up()
        self._document.add_heading(xml_safe(self._layout.title), 1)
        for block in self._layout.blocks:
            self._block(block)

    def _set_up(self) -> None:
        """Properties, page, styles, what stands at the head and the foot of pages."""
        from docx.enum.section import WD_ORIENT
        from docx.shared import Pt

        layout, look, document = self._layout, self._look, self._document
        properties = document.core_properties
        properties.title, properties.author = xml_safe(layout.title), xml_safe(look.organisation)
        properties.comments, properties.language = "", look.language
        section, form = document.sections[0], layout.page
        section.orientation = WD_ORIENT.LANDSCAPE if form.landscape else WD_ORIENT.PORTRAIT
        section.page_width, section.page_height = Pt(form.width), Pt(form.height)
        section.top_margin, section.right_margin, section.bottom_margin, section.left_margin = map(Pt, form.margins)
        self._styles()
        head = "\t".join(part for part in (xml_safe(look.organisation), xml_safe(layout.header)) if part)
        self._furnish(section.header.paragraphs[0], [head])
        before, between, after = _around(look.page_count)
        fields = [_field("PAGE"), between, _field("NUMPAGES"), after]
        self._furnish(section.footer.paragraphs[0], [f"{xml_safe(layout.footer)}\t{before}", *fields])

    def _styles(self) -> None:
        from docx.oxml.ns import qn
        from docx.shared import Pt, RGBColor

        look, styles = self._look, self._document.styles
        looks = (
            ("Normal", 9.5, None, False), ("Heading 1", 18, look.accent, True), ("Heading 2", 13, look.second, True),
            ("Caption", 10.5, "#1d2321", True),
        )  # fmt: skip
        for name, size, colour, is_bold in looks:
            font = styles[name].font
            font.name, font.size, font.bold, font.italic = _FACE, Pt(size * look.scale), is_bold, False
            faces = styles[name].element.get_or_add_rPr().get_or_add_rFonts()
            for of in ("w:asciiTheme", "w:hAnsiTheme", "w:eastAsiaTheme", "w:cstheme"):
                faces.attrib.pop(qn(of), None)
            if colour is not None:
                font.color.rgb = RGBColor.from_string(colour.lstrip("#").upper())
        styles["Caption"].paragraph_format.keep_with_next = True
        for name in ("Header", "Footer"):
            styles[name].paragraph_format.tab_stops.clear_all()
        languages = styles.element.find(f".//{qn('w:lang')}")
        languages.set(qn("w:val"), look.language)

    def _furnish(self, paragraph: Any, parts: Sequence[str]) -> None:  # noqa: ANN401
        """The text at the head or the foot of pages, its second part on the right; what begins with `<` is a field."""
        from docx.enum.text import WD_TAB_ALIGNMENT
        from docx.oxml import parse_xml
        from docx.shared import Pt

        paragraph.paragraph_format.tab_stops.add_tab_stop(Pt(self._layout.page.room), WD_TAB_ALIGNMENT.RIGHT)
        for part in parts:
            if part.startswith("<w:"):
                paragraph._p.append(parse_xml(part))
            elif part:
                paragraph.add_run(part).font.size = Pt(8 * self._look.scale)

    def _block(self, block: BlockLayout) -> None:
        document = self._document
        match block:
            case HeadingLayout():
                _say_language(document.add_heading(xml_safe(block.text), 2), block.language)
            case FactsLayout():
                self._facts(block)
            case TextLayout():
                for paragraph in block.paragraphs:
                    _say_language(self._paragraph(paragraph), block.language)
            case Picture():
                self._picture(block.data, block.width, block.alt, block.align)
            case Space(height=None):
                self._page_break()
            case Space():
                document.add_paragraph().paragraph_format.space_after = round((block.height or 0) * _EMU)
            case ChartLayout():
                self._chart(block)
            case TableLayout():
                self._table(block)

    def _page_break(self) -> None:
        """An empty line that begins a page: a break of its own would leave an empty page behind a full one."""
        from docx.shared import Pt

        shape = self._document.add_paragraph().paragraph_format
        shape.page_break_before, shape.space_after, shape.line_spacing = True, Pt(0), Pt(1)

    def _paragraph(self, paragraph: Paragraph) -> Any:  # noqa: ANN401
        from docx.shared import Pt

        made = self._document.add_paragraph()
        indent = 14.0 * paragraph.depth * self._look.scale
        made.paragraph_format.left_indent = Pt(indent)
        if paragraph.mark:
            made.paragraph_format.first_line_indent = Pt(-12)
            made.paragraph_format.tab_stops.add_tab_stop(Pt(indent))
            made.add_run(f"{paragraph.mark}\t")
        for span in paragraph.spans:
            if span.link:
                self._link(made, span)
            else:
                run = made.add_run(xml_safe(span.text))
                run.bold, run.italic = span.bold or None, span.italic or None
        return made

    def _link(self, paragraph: Any, span: Span) -> None:  # noqa: ANN401
        from docx.opc.constants import RELATIONSHIP_TYPE
        from docx.oxml import parse_xml

        number = paragraph.part.relate_to(span.link, RELATIONSHIP_TYPE.HYPERLINK, is_external=True)
        looks = f"{'<w:b/>' if span.bold else ''}{'<w:i/>' if span.italic else ''}"
        looks += f'<w:color w:val="{self._look.accent.lstrip("#")}"/><w:u w:val="single"/>'
        of = 'xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"'
        text = f'<w:t xml:space="preserve">{escape(xml_safe(span.text))}</w:t>'
        paragraph._p.append(
            parse_xml(
                f'<w:hyperlink {_NAMES} {of} r:id="{number}"><w:r><w:rPr>{looks}</w:rPr>{text}</w:r></w:hyperlink>'
            )
        )

    def _picture(self, data: bytes, width: float, alternative: str, align: str = "left") -> None:
        from docx.enum.text import WD_ALIGN_PARAGRAPH

        self._document.add_picture(io.BytesIO(data), width=round(min(width, self._layout.page.room) * _EMU))
        self._pictures += 1
        shape = self._document.inline_shapes[-1]
        shape._inline.docPr.set("descr", xml_safe(alternative))
        sides = {
            "left": WD_ALIGN_PARAGRAPH.LEFT,
            "centre": WD_ALIGN_PARAGRAPH.CENTER,
            "right": WD_ALIGN_PARAGRAPH.RIGHT,
        }
        self._document.paragraphs[-1].alignment = sides[align]

    def _chart(self, chart: ChartLayout) -> None:
        if chart.title:
            self._document.add_paragraph(xml_safe(chart.title), style="Caption")
        if chart.places:
            self._picture(self._picture_of(chart), self._layout.page.room, chart.in_words())
        else:
            self._document.add_paragraph(xml_safe(chart.empty))

    def _facts(self, block: FactsLayout) -> None:
        deep = -(-len(block.facts) // block.columns)
        each = self._layout.page.room / block.columns
        widths = [each * 0.4, each * 0.6] * block.columns
        rows = []
        for at in range(deep):
            cells = [part for fact in block.facts[at::deep] for part in fact]
            shown = [
                _cell(text, width, is_bold=bool(n % 2))
                for n, (text, width) in enumerate(zip(cells, widths, strict=False))
            ]
            rows.append(f"<w:tr>{''.join(shown)}</w:tr>")
        self._add(widths, rows, lines=False)

    def _table(self, table: TableLayout) -> None:
        if table.title:
            self._document.add_paragraph(xml_safe(table.title), style="Caption")
        if not table.height:
            self._document.add_paragraph(xml_safe(table.empty))
            return
        room, natural = self._layout.page.room, sum(column.width for column in table.columns)
        widths = [column.width * min(1.0, room / natural) for column in table.columns]
        self._add(widths, list(self._rows(table, widths)), lines=True)

    def _rows(self, table: TableLayout, widths: Sequence[float]) -> Iterator[str]:
        heads = (_cell(c.label, w, is_bold=True, column=c) for c, w in zip(table.columns, widths, strict=True))
        yield f"<w:tr><w:trPr><w:cantSplit/><w:tblHeader/></w:trPr>{''.join(heads)}</w:tr>"
        at = 0
        for line in (*table.lines, *table.totals):
            yield from (self._row(table, row, widths) for row in range(at, line.before))
            at = line.before
            yield _line(line, table, widths)
        yield from (self._row(table, row, widths) for row in range(at, table.height))

    def _row(self, table: TableLayout, row: int, widths: Sequence[float]) -> str:
        cells = []
        for at, (column, width) in enumerate(zip(table.columns, widths, strict=True)):
            look = table.emphasis.get(row, {}).get(at, frozenset())
            text = table.texts[at][row]
            tint = tint_of(self._look.accent) if "tint" in look else ""
            shown = MARK + text if "mark" in look else text
            cells.append(_cell(shown, width, is_bold="bold" in look, column=column, tint=tint))
        return f"<w:tr><w:trPr><w:cantSplit/></w:trPr>{''.join(cells)}</w:tr>"

    def _add(self, widths: Sequence[float], rows: Sequence[str], *, lines: bool) -> None:
        """A table, with a short paragraph behind it: two tables that meet are one."""
        from docx.oxml import parse_xml
        from docx.shared import Pt

        rule = '<w:insideH w:val="single" w:sz="4" w:color="D5DBD8"/>'
        edges = f'<w:bottom w:val="single" w:sz="4" w:color="D5DBD8"/>{rule}' if lines else ""
        columns = "".join(f'<w:gridCol w:w="{_twips(width)}"/>' for width in widths)
        margins = f'<w:left w:w="{_twips(PADDING)}" w:type="dxa"/><w:right w:w="{_twips(PADDING)}" w:type="dxa"/>'
        table = parse_xml(
            f'<w:tbl {_NAMES}><w:tblPr><w:tblW w:w="{_twips(sum(widths))}" w:type="dxa"/>'
            f'<w:tblBorders>{edges}</w:tblBorders><w:tblLayout w:type="fixed"/><w:tblCellMar>{margins}</w:tblCellMar>'
            f'<w:tblLook w:firstRow="{int(lines)}" w:lastRow="0" w:firstColumn="0" w:lastColumn="0" w:noHBand="1" '
            f'w:noVBand="1"/></w:tblPr><w:tblGrid>{columns}</w:tblGrid>{"".join(rows)}</w:tbl>'
        )
        body = self._document.element.body
        body.insert(len(body) - 1, table)
        self._document.add_paragraph().paragraph_format.space_after = Pt(2)


def _cell(
    text: str, width: float, *, is_bold: bool = False, column: ColumnPlan | None = None, tint: str = "", span: int = 1
) -> str:
    side = _SIDES[column.align] if column is not None else "left"
    size = f'<w:sz w:val="{round(2 * column.font_size)}"/>' if column is not None else ""
    looks = f"<w:rPr>{'<w:b/>' if is_bold else ''}{size}</w:rPr>"
    lines = "<w:br/>".join(f'<w:t xml:space="preserve">{escape(part)}</w:t>' for part in xml_safe(text).split("\n"))
    fill = f'<w:shd w:val="clear" w:fill="{tint.lstrip("#")}"/>' if tint else ""
    over = f'<w:gridSpan w:val="{span}"/>' if span > 1 else ""
    return (
        f'<w:tc><w:tcPr><w:tcW w:w="{_twips(width)}" w:type="dxa"/>{over}{fill}</w:tcPr><w:p><w:pPr>'
        f'<w:spacing w:before="40" w:after="40" w:line="240" w:lineRule="auto"/><w:jc w:val="{side}"/></w:pPr>'
        f"<w:r>{looks}{lines}</w:r></w:p></w:tc>"
    )


def _line(line: Line, table: TableLayout, widths: Sequence[float]) -> str:
    """A heading of a group or a note over all columns; or totals, whose name may reach over columns without one."""
    named = replace(table.columns[0], align="left")
    if not line.is_total:
        return f"<w:tr>{_cell(line.texts[0], sum(widths), is_bold=True, column=named, span=len(widths))}</w:tr>"
    free = next((at for at, text in enumerate(line.texts) if text and at), len(line.texts))
    cells = [_cell(line.texts[0], sum(widths[:free]), is_bold=True, column=named, span=free)]
    rest = zip(line.texts[free:], widths[free:], table.columns[free:], strict=True)
    cells += [_cell(text, width, is_bold=True, column=column) for text, width, column in rest]
    return f"<w:tr><w:trPr><w:cantSplit/></w:trPr>{''.join(cells)}</w:tr>"


def _twips(points: float) -> int:
    return round(20 * points)


def _field(name: str) -> str:
    """What the office program counts: the number of the page, and how many there are."""
    return (
        f'<w:fldSimple {_NAMES} w:instr="{name}"><w:r><w:rPr><w:sz w:val="16"/></w:rPr><w:t>1</w:t></w:r></w:fldSimple>'
    )


def _around(page_count: str) -> tuple[str, str, str]:
    """What stands before, between and after the two numbers of `page {} of {}`."""
    before, _, rest = page_count.partition("{}")
    between, _, after = rest.partition("{}")
    return before, between, after


def _say_language(paragraph: Any, language: str) -> None:  # noqa: ANN401
    """Say in which language a paragraph is, where that is not the document's (ECMA-376, part 1, 17.3.2.20)."""
    from docx.oxml import OxmlElement
    from docx.oxml.ns import qn

    for run in paragraph._p.iter(qn("w:r")) if language else ():  # those of links too
        said = OxmlElement("w:lang")
        said.set(qn("w:val"), language)
        run.get_or_add_rPr().append(said)
