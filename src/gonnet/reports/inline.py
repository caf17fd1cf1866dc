"""A layout inside the body of a message: as HTML with its pictures beside it, and as plain text."""

from __future__ import annotations

import io
from contextlib import closing
from dataclasses import dataclass
from html import escape

import pypdfium2

from gonnet.reports.fonts import BOLD, REGULAR, Alphabet, Family
from gonnet.reports.html import blocks
from gonnet.reports.layout.charts import ChartLayout
from gonnet.reports.layout.models import BlockLayout, Layout
from gonnet.reports.pdf.charts import ChartFlow
from gonnet.reports.pdf.file import PdfFile
from gonnet.reports.pdf.metadata import About
from gonnet.reports.pdf.structure import Element
from gonnet.reports.pen import tint_of
from gonnet.reports.plain import plain_text
from gonnet.reports.plans.models import Look, Picture

_WIDTH = 420.0  # points: a chart that a telephone shows whole
_SCALE = 2.0  # pixels to the point
# Mail programs know little of style sheets: no grids, and nothing that a line of its own could not lose.
_STYLE = """
.report table{border-collapse:collapse;margin:.5em 0 1em;font-size:14px}
.report caption{text-align:start;font-weight:bold;padding:4px 0}
.report th,.report td{padding:3px 9px;text-align:start;vertical-align:top;white-space:pre-wrap}
.report thead th{border-bottom:2px solid ACCENT;color:#5c6663}.report tbody td{border-bottom:1px solid #e6eae8}
.report .total th,.report .total td{border-top:1px solid ACCENT;font-weight:bold}
.report th.right,.report td.right,.report .to-right{text-align:right}.report td.right{white-space:nowrap}
.report .centre{text-align:center}.report .bold{font-weight:bold}.report .tint{background:TINT}
.report h2{font-size:17px;color:SECOND}.report dl div{margin:2px 0}
.report dt,.report dd{display:inline;margin:0 9px 0 0}
.report dt{color:#5c6663}.report dd{font-weight:bold}.report figure{margin:1em 0}.report figcaption{font-weight:bold}
.report img{max-width:100%;height:auto}
"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Inline:
    """A report for the body of a message.

    Attributes:
        html: Elements that name pictures as `cid:` and their name (RFC 2392).
        text: The same in plain text.
        pictures: Name → PNG or JPEG.
        style: The style sheet that goes with the HTML.
    """

    html: str
    text: str
    pictures: dict[str, bytes]
    style: str


def inlined(layout: Layout, look: Look, family: Family, alphabet: Alphabet, name: str) -> Inline:
    """The blocks of a layout; `name` begins the names of its pictures."""
    pictures: dict[str, bytes] = {}

    def pictured(block: BlockLayout) -> str | None:
        if not isinstance(block, Picture | ChartLayout) or (isinstance(block, ChartLayout) and not block.places):
            return None
        called = f"{name}-{len(pictures) + 1}"
        if isinstance(block, Picture):
            pictures[called], width, title = block.data, block.width / 0.75, ""
        else:
            pictures[called], width = chart_picture(block, look, family, alphabet), _WIDTH / 0.75
            title = f"<figcaption>{escape(block.title)}</figcaption>" if block.title else ""
        image = f'<img src="cid:{called}" alt="{escape(block.alt)}" width="{width:.0f}">'
        return f"<figure>{title}{image}</figure>"

    html = "\n".join(blocks(layout, look, family, pictured))
    style = _STYLE.replace("ACCENT", look.accent).replace("SECOND", look.second).replace("TINT", tint_of(look.accent))
    return Inline(html=f'<div class="report">{html}</div>', text=plain_text(layout), pictures=pictures, style=style)


def chart_picture(chart: ChartLayout, look: Look, family: Family, alphabet: Alphabet) -> bytes:
    """A chart as a PNG."""
    file = PdfFile(alphabet, (REGULAR, BOLD))
    flow = ChartFlow(chart, family, alphabet, look.accent, _WIDTH, float("inf"), Element("Figure"))
    file.begin_page(flow.width, flow.height)
    flow.draw(file, 0, 0)
    picture = io.BytesIO()
    with closing(pypdfium2.PdfDocument(file.finish(About(title="", author="")))) as page:
        page[0].render(scale=_SCALE).to_pil().save(picture, "PNG")
    return picture.getvalue()
