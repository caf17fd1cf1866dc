"""The texts of HTML: what it shows, what it says to programs, and what it hides."""

from __future__ import annotations

from html.parser import HTMLParser

from gonnet.checks.spelling import MAYBE

_APART = frozenset(
    ("address", "article", "aside", "blockquote", "body", "button", "caption", "dd", "details", "div", "dl",
     "dt", "figcaption", "figure", "footer", "form", "h1", "h2", "h3", "h4", "h5", "h6", "head", "header", "hr",
     "html", "legend", "li", "main", "nav", "ol", "optgroup", "option", "p", "pre", "section", "select",
     "summary", "table", "tbody", "td", "textarea", "tfoot", "th", "thead", "title", "tr", "ul")
)  # fmt: skip
_SILENT = frozenset(
    ("class", "style", "width", "height", "lang", "dir", "charset", "colspan", "rowspan", "xmlns", "role", "border",
     "cellpadding", "cellspacing", "size", "rows", "cols", "tabindex", "start")
)  # fmt: skip
_DRAWING = frozenset(
    ("circle", "clippath", "defs", "ellipse", "g", "lineargradient", "line", "marker", "mask", "path",
     "pattern", "polygon", "polyline", "rect", "stop", "svg", "symbol", "use", "viewbox")
)  # fmt: skip
_DATA = "data:"


def page_texts(text: str) -> tuple[str, ...]:
    """What stands in a page: each text that nothing divides, and every attribute and comment that may say something.

    Raises:
        ValueError: it cannot be read.
    """
    page = _Page()
    page.feed(text)
    page.close()
    return page.ended()


class _Page(HTMLParser):
    """Collects texts; its style sheet and the bytes of its pictures are none."""

    def __init__(self) -> None:
        super().__init__()
        self._texts: list[str] = []
        self._unseen: list[str] = []
        self._open: list[str] = []
        self._in_style = False

    def ended(self) -> tuple[str, ...]:
        self._divide()
        return (*self._texts, *self._unseen)

    def _divide(self) -> None:
        if text := "".join(self._open).strip():
            self._texts.append(text)
        self._open = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self._in_style = tag == "style"
        if tag == "br":
            self._open.append(MAYBE)
        elif tag in _APART or tag in ("text", "tspan"):
            self._divide()
        if tag in _DRAWING:
            return
        for name, value in attrs:
            if value and name not in _SILENT and not value.startswith(_DATA):
                self._unseen.append(value)

    def handle_endtag(self, tag: str) -> None:
        self._in_style = False
        if tag in _APART or tag in ("text", "tspan"):
            self._divide()

    def handle_data(self, data: str) -> None:
        if not self._in_style:
            self._open.append(data)

    def handle_comment(self, data: str) -> None:
        self._unseen.append(data)
