"""Drawing a layout as one self-contained HTML page that can be read aloud, printed, and read on a narrow screen."""

from __future__ import annotations

import base64
from collections.abc import Callable, Iterator, Sequence
from html import escape

from reportlab.lib.colors import Color

from gonnet.jobs.values import Accent
from gonnet.reports.chart_drawing import ChartDrawing
from gonnet.reports.fonts import Family
from gonnet.reports.layout.charts import ChartLayout
from gonnet.reports.layout.models import BlockLayout, FactsLayout, HeadingLayout, Layout, Line, TableLayout, TextLayout
from gonnet.reports.pen import MARK, tint_of
from gonnet.reports.plans.columns import ColumnPlan
from gonnet.reports.plans.models import Look, Picture, Space
from gonnet.wording.languages import direction
from gonnet.wording.marked import Paragraph

_CHART_WIDTH = 520.0
_STYLE = """
body{font:16px/1.5 system-ui,"Noto Sans",sans-serif;color:#1d2321;background:#fff}
body{max-width:60em;margin:0 auto;padding:1.5em}
header,footer{display:flex;justify-content:space-between;gap:1em;font-size:.85em;color:#5c6663}
header{border-bottom:1px solid ACCENT;padding-bottom:.4em}header strong{color:ACCENT}
footer{border-top:1px solid #d5dbd8;padding-top:.4em;margin-top:2em}
h1,h2{line-height:1.25}h1{font-size:1.7em;color:ACCENT}h2{font-size:1.25em;color:SECOND}a{color:ACCENT}
dl{display:grid;gap:.2em 2em;margin:1em 0}dl>div{display:flex;gap:1em}
dt{color:#5c6663}dd{margin:0;font-weight:600}
.scroll{overflow-x:auto}table{border-collapse:collapse;margin:.5em 0 1.5em;font-size:.9em}
caption{text-align:start;font-weight:600;padding:.3em 0}
th,td{padding:.25em .6em;text-align:start;vertical-align:top;white-space:pre-wrap}
thead th{border-bottom:2px solid ACCENT;color:#5c6663}tbody td{border-bottom:1px solid #e6eae8}
.total th,.total td{border-top:1px solid ACCENT;font-weight:600}
tfoot .total th,tfoot .total td{border-top-width:2px}
th.right,td.right,.to-right{text-align:right}td.right{white-space:nowrap}.centre{text-align:center}.bold{font-weight:700}.tint{background:TINT}
img,svg{max-width:100%;height:auto}figure{margin:1em 0}figcaption{font-weight:600}
@media(max-width:40em){dl{grid-template-columns:1fr!important}body{padding:.8em}}
@media print{body{max-width:none;padding:0}.scroll{overflow:visible}}
@media print{tr,figure{break-inside:avoid}.new-page{break-before:page}}
"""


def draw_html(layout: Layout, look: Look, family: Family) -> bytes:
    """The page's bytes; the same layout gives the same bytes."""
    style = _STYLE.replace("ACCENT", look.accent).replace("SECOND", look.second).replace("TINT", tint_of(look.accent))
    parts = [
        f'<!DOCTYPE html>\n<html lang="{escape(look.language)}" dir="{direction(look.house.locale)}">',
        '<head><meta charset="utf-8">',
        '<meta name="viewport" content="width=device-width, initial-scale=1">',
        f"<title>{escape(layout.title)}</title><style>{style}</style></head>\n<body>",
        f"<header><strong>{escape(look.organisation)}</strong><span>{escape(layout.header)}</span></header>",
        f"<main><h1{_in(layout.language)}>{escape(layout.title)}</h1>",
        *blocks(layout, look, family),
        f"</main>\n<footer><span>{escape(layout.footer)}</span></footer>\n</body></html>\n",
    ]
    return "\n".join(parts).encode("utf-8")


def blocks(
    layout: Layout, look: Look, family: Family, instead: Callable[[BlockLayout], str | None] = lambda _block: None
) -> Iterator[str]:
    """The blocks of a layout as elements; `instead` gives what stands in the place of some of them."""
    for block in layout.blocks:
        other = instead(block)
        if other is None:
            yield from _block(block, look, family)
        else:
            yield other


def _block(block: BlockLayout, look: Look, family: Family) -> Iterator[str]:
    match block:
        case HeadingLayout():
            yield f"<h2{_in(block.language)}>{escape(block.text)}</h2>"
        case FactsLayout():
            yield f'<dl style="grid-template-columns:repeat({block.columns},auto)">'
            yield from (f"<div><dt>{escape(k)}</dt><dd>{_lines(v)}</dd></div>" for k, v in block.facts)
            yield "</dl>"
        case TextLayout():
            inside = paragraphs(block.paragraphs)
            yield from (f"<div{_in(block.language)}>", *inside, "</div>") if block.language else inside
        case Picture():
            kind = "png" if block.data.startswith(b"\x89PNG") else "jpeg"
            data = base64.b64encode(block.data).decode("ascii")
            side = {"left": "", "centre": "centre", "right": "to-right"}[block.align]
            image = f'<img src="data:image/{kind};base64,{data}" alt="{escape(block.alt)}"'
            yield f'<p class="{side}">{image} style="width:{block.width / 0.75:.0f}px"></p>'
        case Space():
            page = ' class="new-page"' if block.height is None else f' style="height:{block.height:.0f}pt"'
            yield f"<div{page}></div>"
        case TableLayout():
            yield from table(block, look.other_language(block.title))
        case ChartLayout():
            yield from _chart(block, look, family)


def _in(language: str) -> str:
    """The attributes of what is in a language that is not the page's."""
    return f' lang="{escape(language)}" dir="{direction(language.replace("-", "_"))}"' if language else ""


def paragraphs(found: Sequence[Paragraph]) -> Iterator[str]:
    """Paragraphs and entries of lists."""
    for paragraph in found:
        text = "".join(
            _look(_lines(span.text), bold=span.bold, italic=span.italic, link=span.link) for span in paragraph.spans
        )
        if paragraph.depth:
            mark = f"{escape(paragraph.mark)} " if paragraph.mark else ""
            yield f'<p role="listitem" style="margin:.2em 0 .2em {1.2 * paragraph.depth:.1f}em">{mark}{text}</p>'
        else:
            yield f"<p>{text}</p>"


def _look(text: str, *, bold: bool, italic: bool, link: str) -> str:
    text = f"<strong>{text}</strong>" if bold else text
    text = f"<em>{text}</em>" if italic else text
    return f'<a href="{escape(link)}">{text}</a>' if link else text


def _lines(text: str) -> str:
    return escape(text).replace("\n", "<br>")


def table(found: TableLayout, language: str = "") -> Iterator[str]:
    """A table with headings that are marked as such; what stands out has a mark where it has one in print.

    Args:
        found: What it shows.
        language: That of its title, where it is not the page's.
    """
    yield '<div class="scroll" tabindex="0"><table>'
    if found.title:
        yield f"<caption{_in(language)}>{escape(found.title)}</caption>"
    heads = "".join(f'<th scope="col"{_side(column)}>{escape(column.label)}</th>' for column in found.columns)
    yield f"<thead><tr>{heads}</tr></thead>\n<tbody>"
    if not found.height:
        yield f'<tr><td colspan="{len(found.columns)}">{escape(found.empty)}</td></tr>'
    at = 0
    for line in found.lines:
        yield from _rows(found, at, line.before)
        at = line.before
        yield _line(line, found.columns)
    yield from _rows(found, at, found.height)
    yield "</tbody>"
    if found.totals and found.height:
        yield "<tfoot>" + "".join(_line(line, found.columns) for line in found.totals) + "</tfoot>"
    yield "</table></div>"


def _rows(found: TableLayout, begin: int, end: int) -> Iterator[str]:
    for number in range(begin, end):
        looks = found.emphasis.get(number, {})
        cells = (
            _cell(column, texts[number], looks.get(at, frozenset()), found.link(at, number))
            for at, (column, texts) in enumerate(zip(found.columns, found.texts, strict=True))
        )
        yield f"<tr>{''.join(cells)}</tr>"


def _cell(column: ColumnPlan, text: str, look: frozenset[Accent], link: str) -> str:
    marked = MARK + text if "mark" in look else text
    classes: list[str] = [column.align] if column.align != "left" else []
    classes += [name for name in ("bold", "tint") if name in look]
    attribute = f' class="{" ".join(classes)}"' if classes else ""
    shown = f'<a href="{escape(link)}">{escape(marked)}</a>' if link and marked else escape(marked)
    return f"<td{attribute}>{shown}</td>"


def _line(line: Line, columns: Sequence[ColumnPlan]) -> str:
    if not line.is_total:
        return f'<tr><th scope="rowgroup" colspan="{len(columns)}">{escape(line.texts[0])}</th></tr>'
    first, *rest = zip(columns, line.texts, strict=True)
    cells = "".join(f"<td{_side(column)}>{escape(text)}</td>" for column, text in rest)
    return f'<tr class="total"><th scope="row"{_side(first[0])}>{escape(first[1])}</th>{cells}</tr>'


def _side(column: ColumnPlan) -> str:
    return "" if column.align == "left" else f' class="{column.align}"'


def _chart(chart: ChartLayout, look: Look, family: Family) -> Iterator[str]:
    yield "<figure>"
    if chart.title:
        yield f"<figcaption{_in(look.other_language(chart.title))}>{escape(chart.title)}</figcaption>"
    if chart.places:
        drawing = ChartDrawing(chart, family, look.accent, _CHART_WIDTH)
        pen = SvgPen(drawing.height)
        drawing.draw(pen)
        size = f'viewBox="0 0 {drawing.width:g} {drawing.height:g}" width="{drawing.width / 0.75:.0f}"'
        yield f'<svg xmlns="http://www.w3.org/2000/svg" {size} role="img"><title>{escape(chart.alt)}</title>'
        yield f"{''.join(pen.parts)}</svg>"
    else:
        yield f"<p>{escape(chart.empty)}</p>"
    yield "</figure>"


class SvgPen:
    """Draws with elements of SVG; y counts from the lower edge, as on a page."""

    def __init__(self, height: float) -> None:
        self._height = height
        self.parts: list[str] = []

    def text(
        self, x: float, y: float, text: str, face: str, size: float, colour: Color, *, right: bool = False
    ) -> None:
        """A text that begins at `x`, or ends there."""
        anchor = ' text-anchor="end"' if right else ""
        place = f'x="{x:.1f}" y="{self._height - y:.1f}" font-size="{size:g}" fill="{_hex(colour)}"'
        self.parts.append(f"<text {place}{anchor}>{escape(text)}</text>")

    def line(self, x: float, y: float, to_x: float, to_y: float, width: float, colour: Color) -> None:
        """A straight line."""
        self.path([(x, y), (to_x, to_y)], width, colour, ())

    def box(self, x: float, y: float, width: float, height: float, inside: Color, edge: Color | None) -> None:
        """A filled rectangle."""
        rim = f' stroke="{_hex(edge)}" stroke-width="0.5"' if edge else ""
        place = f'x="{x:.1f}" y="{self._height - y - height:.1f}" width="{width:.1f}" height="{height:.1f}"'
        self.parts.append(f'<rect {place} fill="{_hex(inside)}"{rim}/>')

    def path(self, points: Sequence[tuple[float, float]], width: float, colour: Color, dash: Sequence[float]) -> None:
        """A line through points."""
        line = " ".join(f"{x:.1f},{self._height - y:.1f}" for x, y in points)
        dashes = f' stroke-dasharray="{" ".join(f"{part:g}" for part in dash)}"' if dash else ""
        look = f'fill="none" stroke="{_hex(colour)}" stroke-width="{width:g}"{dashes}'
        self.parts.append(f'<polyline points="{line}" {look}/>')


def _hex(colour: Color) -> str:
    return "#" + "".join(f"{round(255 * part):02x}" for part in colour.rgb())
