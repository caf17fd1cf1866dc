"""From a layout to the bytes of a file, in the format asked for."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from gonnet.reports import fonts
from gonnet.reports.layout import Layout
from gonnet.reports.pdf import draw_pdf
from gonnet.reports.plan import Look
from gonnet.reports.xlsx import draw_xlsx

Format = Literal["pdf", "xlsx"]


class UnprintableError(Exception):
    """A document contains a character that no embedded font has; its text says which, and where."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Drawn:
    """A finished file.

    Attributes:
        data: Its bytes; the same layout gives the same bytes.
        pages: Number of pages; None where the format has none.
    """

    data: bytes
    pages: int | None


def draw(layout: Layout, form: Format, look: Look) -> Drawn:
    """Draw `layout` as a file.

    Raises:
        UnprintableError: a PDF would lose a character.
    """
    if form == "pdf":
        _require_printable(layout, look)
    return _PAINTERS[form](layout, look)


def _require_printable(layout: Layout, look: Look) -> None:
    if not fonts.unprintable([look.organisation, *(text for _, text in layout.texts())]):
        return
    for place, text in layout.texts():
        for sign in fonts.unprintable([text]):
            shown = sign if sign.isprintable() else "a control character"
            raise UnprintableError(
                f"'{shown}' (U+{ord(sign):04X}) in {place} cannot be printed: the font does not have it"
            )
    raise UnprintableError("the organisation's name cannot be printed: the font does not have all of its characters")


def _pdf(layout: Layout, look: Look) -> Drawn:
    data, pages = draw_pdf(layout, look)
    return Drawn(data=data, pages=pages)


def _xlsx(layout: Layout, look: Look) -> Drawn:
    return Drawn(data=draw_xlsx(layout, look), pages=None)


_PAINTERS: dict[Format, Callable[[Layout, Look], Drawn]] = {"pdf": _pdf, "xlsx": _xlsx}
