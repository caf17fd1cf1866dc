"""From a layout to the bytes of a file, in the format asked for."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from gonnet.jobs.values import CsvForm, Format, Joint
from gonnet.reports.csv_rows import draw_csv
from gonnet.reports.docx import draw_docx
from gonnet.reports.fonts import Alphabet, family
from gonnet.reports.html import draw_html
from gonnet.reports.inline import Inline, chart_picture, inlined
from gonnet.reports.layout.charts import ChartLayout
from gonnet.reports.layout.models import Layout
from gonnet.reports.ods import draw_ods
from gonnet.reports.pdf.document import draw_pdf
from gonnet.reports.pen import MARK
from gonnet.reports.plain import text_file
from gonnet.reports.plans.models import Look
from gonnet.reports.workbook.document import XlsxCache, draw_xlsx
from gonnet.reports.workbook.forms import fill_form

_ALWAYS = "".join(map(chr, range(32, 127)))


class UnprintableError(Exception):
    """A document contains a character that no embedded font has; its text says which, and where."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Drawn:
    """A finished file.

    Attributes:
        data: Its bytes; the same layout gives the same bytes.
        pages: Number of pages; None where the format has none.
        starts: On which page, from 0, each layout of a PDF begins.
    """

    data: bytes
    pages: int | None
    starts: tuple[int, ...] = ()


class Painter:
    """Draws documents of a run; keeps its faces between them, so it is made once per process.

    Args:
        look: The house style.
        signs: The characters that documents of the run are expected to have. Others are looked after, at a price.
    """

    def __init__(self, look: Look, signs: Iterable[str] = ()) -> None:
        self._look = look
        self._family = family(look.fonts)
        self._kept = XlsxCache()
        self._signs = self._family.signs & frozenset((*_ALWAYS, *MARK, *look.organisation, *look.page_count, *signs))

    def draw(
        self,
        layout: Layout,
        form: Format,
        csv: CsvForm | None = None,
        joined: Sequence[Layout] = (),
        joint: Joint | None = None,
        *,
        is_locked: bool = False,
    ) -> Drawn:
        """Draw `layout` as a file.

        Args:
            layout: What it shows.
            form: Its format.
            csv: How a CSV file is written.
            joined: What comes after it in the same PDF or workbook.
            joint: How they make one file.
            is_locked: Whether a PDF gets a password afterwards: no archive takes it then, and it does not say so.

        Raises:
            UnprintableError: a PDF would lose a character.
            DataError: a value does not fit the format.
        """
        match form:
            case "xlsx" if layout.form is not None:
                return Drawn(data=fill_form(layout, layout.form, self._look.organisation), pages=None)
            case "xlsx":
                return Drawn(data=draw_xlsx((layout, *joined), self._look, self._kept), pages=None)
            case "html":
                return Drawn(data=draw_html(layout, self._look, self._family), pages=None)
            case "docx":
                return Drawn(data=draw_docx(layout, self._look, self._chart), pages=None)
            case "ods":
                return Drawn(data=draw_ods(layout, self._look, self._chart), pages=None)
            case "txt":
                return Drawn(data=text_file(layout), pages=None)
            case "csv":
                return Drawn(data=draw_csv(layout, csv or CsvForm(delimiter=",", decimal=".")), pages=None)
            case "pdf":
                return self._pdf((layout, *joined), joint, is_locked=is_locked)

    def _pdf(self, layouts: Sequence[Layout], joint: Joint | None, *, is_locked: bool) -> Drawn:
        more: frozenset[str] = frozenset()
        for layout in layouts:
            signs = layout.signs() - self._signs - {"\n"}
            self._require_printable(signs, layout)
            more |= signs
        if joint is not None:
            more |= frozenset((*self._look.house.words.contents, "…")) - self._signs
        # Digits and capitals that a page number or a broken word may add are always there.
        alphabet = self._family.reduced(self._signs | more)
        data, pages, starts = draw_pdf(layouts, self._look, self._family, alphabet, joint, is_locked=is_locked)
        return Drawn(data=data, pages=pages, starts=starts)

    def _chart(self, chart: ChartLayout) -> bytes:
        """A chart as a picture.

        Raises:
            UnprintableError: it would lose a character.
        """
        alphabet = self._for_charts((chart,), "in a chart")
        return chart_picture(chart, self._look, self._family, alphabet)

    def _for_charts(self, charts: Iterable[ChartLayout], where: str) -> Alphabet:
        """Faces with all characters of some charts.

        Raises:
            UnprintableError: there is none for one of them.
        """
        drawn = [text for chart in charts for text in chart.texts()]
        for sign in self._family.unprintable(drawn):
            raise UnprintableError(f"{where}, {self._family.trouble(sign)}")
        return self._family.reduced(self._signs | frozenset("".join(drawn)))

    def inline(self, layout: Layout, name: str) -> Inline:
        """The blocks of `layout` for the body of a message; `name` begins the names of its pictures.

        Raises:
            UnprintableError: a chart would lose a character.
        """
        charts = (block for block in layout.blocks if isinstance(block, ChartLayout))
        alphabet = self._for_charts(charts, "in a chart of the message")
        return inlined(layout, self._look, self._family, alphabet, name)

    def _require_printable(self, more: frozenset[str], layout: Layout) -> None:
        furniture = f"{self._look.organisation}{self._look.page_count}"
        if not self._family.unprintable([furniture]) and more <= self._family.signs:
            return
        for place, text in layout.texts():
            for sign in self._family.unprintable([text]):
                raise UnprintableError(f"in {place}, {self._family.trouble(sign)}")
        raise UnprintableError(
            "the organisation's name or the page count cannot be printed: the font lacks a character of them"
        )


def draw(layout: Layout, form: Format, look: Look) -> Drawn:
    """Draw one document by itself."""
    return Painter(look).draw(layout, form)
