"""The frame in which a message is shown: organisation, accent, a width that reads well, light and dark.

Everything that shapes it is in the message itself, and no font is named that would have to be loaded. Mail programs
leave out what they do not know; what is left reads well all the same.
"""

from __future__ import annotations

import html
import re
from typing import NamedTuple

from gonnet.wording.languages import direction, language_tag

_BEGINS, _ENDS = "<!-- what it says -->", "<!-- end of what it says -->"
_BETWEEN = re.compile(f"(?<={re.escape(_BEGINS)}).*?(?={re.escape(_ENDS)})", re.DOTALL)
_HEAD = '<p style="margin:0 0 18px;font-size:13px;font-weight:bold;letter-spacing:.02em">{organisation}</p>\n'
_PAGE = """\
<!DOCTYPE html>
<html lang="{lang}" dir="{way}"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<meta name="color-scheme" content="{schemes}"><title>{title}</title>
<style>{style}</style></head>
<body style="margin:0;padding:16px 12px;font-family:Helvetica,Arial,sans-serif;font-size:15px;line-height:1.5">
<div class="gonnet" style="max-width:40em;margin:0 auto;padding:18px 22px 8px;border-top:4px solid {accent}">
{head}{begins}{body}{ends}
</div></body></html>
"""
_LIGHT = ":root{color-scheme:light}body{color:#1d2321;background:#ffffff}"
_BOTH = (
    ":root{color-scheme:light dark}body{color:#1d2321;background:#ffffff}"
    "@media (prefers-color-scheme:dark){body{color:#e6eae8;background:#181b1a}a{color:#9cc9ba}}"
)


class Frame(NamedTuple):
    """What the house gives a message.

    Attributes:
        organisation: Whose message it is, above it; empty for none.
        accent: The colour of the line above it, `#rrggbb`.
    """

    organisation: str = ""
    accent: str = "#2f5d50"


def framed(body: str, title: str, locale: str, frame: Frame, style: str = "") -> str:
    """The page of a message.

    Args:
        body: What it says, as HTML.
        title: Its subject.
        locale: The CLDR locale of its texts.
        frame: What the house gives it.
        style: Of a report in it, whose colours are for light paper: such a message is light everywhere.
    """
    organisation = html.escape(frame.organisation)
    return _PAGE.format(
        lang=html.escape(language_tag(locale), quote=True),
        way=direction(locale),
        schemes="light" if style else "light dark",
        title=html.escape(title),
        style=(_LIGHT if style else _BOTH) + style,
        accent=frame.accent,
        head=_HEAD.format(organisation=organisation) if organisation else "",
        begins=_BEGINS,
        body=body,
        ends=_ENDS,
    )


def with_other_words(page: str, body: str) -> str | None:
    """The same page with another body; None where it has no frame."""
    found, count = _BETWEEN.subn(lambda _: body, page, count=1)
    return found if count else None
