"""Data is never code: texts that a program would run, and links that a program would follow into a script."""

from __future__ import annotations

import re

# What a spreadsheet runs: a sign, full-width ones too, at the beginning of a cell, with blanks before it or not. And of
# what only a program of another locale takes for a cell, since it parts lines at another sign. A number is none, where
# it is all of a cell: a list such as `1, -5, 2` has numbers between the same signs. After its last number stands
# whatever parts the line, and then another cell.
_SIGN = r"[=+\-@\uff1d\uff0b\uff0d\uff20]"
_PARTS = r",;\t|\n\r"
_NUMBER = r"[+-]?\d+(?:[.,]\d+)?\s*"
_QUOTED = rf"\s*[\"'][\"'\s]*(?={_SIGN})"
_FORMULA = re.compile(
    rf"^(?=[\t\r\n])|^(?:{_QUOTED}|\s*(?={_SIGN})(?!{_NUMBER}\Z))"
    rf"|([{_PARTS}])(?:{_QUOTED}|\s*(?={_SIGN})(?!{_NUMBER}(?:\r|\1)))"
)
_IGNORED = re.compile(r"[\x00-\x20\x7f-\xa0\u200b-\u200f\u2028-\u202f\ufeff]")
_SCRIPTS = ("javascript:", "vbscript:", "data:")


def as_cell(text: str) -> str:
    """A text for a cell of a CSV file, with an apostrophe before whatever a spreadsheet would run."""
    return _FORMULA.sub(lambda found: f"{found[0]}'", text)


def is_script(target: str) -> bool:
    """Whether a link leads into a script or into data of its own; blanks and controls in it do not hide that."""
    return _IGNORED.sub("", target).casefold().startswith(_SCRIPTS)
