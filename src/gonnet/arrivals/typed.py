"""Pages of print files: what they say, and how it stands in lines and columns.

A page ends with a form feed, or after so many lines. Within a line a carriage return or a backspace goes back, so that
signs stand over others: bold and underlined, as printers did it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from itertools import zip_longest
from pathlib import Path

from gonnet.errors import DataError
from gonnet.jobs.arrivals import Lines

_TAB = 8
_LINE = re.compile(r"[^\n]*\n|[^\n]+")
_COMMAND = re.compile(r"\x1b(?:\[[0-?]*[ -/]*[@-~]|[!-/][`-~]?[0-9+.-]*[@-^]|.)")  # ECMA-48, 5.4, and those of printers
FEED = "\f"


class TypedPages:
    """A print file.

    Args:
        path: The file.
        encoding: How its signs are written.
        lines: How many lines a page has; None where only form feeds end one.

    Raises:
        DataError: it cannot be read in that way.
    """

    def __init__(self, path: Path, encoding: str, lines: int | None) -> None:
        self.path = path
        try:
            self._pages = list(_paged(path.read_bytes().decode(encoding), lines))
        except UnicodeDecodeError as error:
            at = f"{path.name}, line {error.object[: error.start].count(10) + 1}"
            fix = "Write how it is written, such as `encoding: cp850` or `encoding: latin-1`"
            raise DataError(f"this text is not written in {encoding}", where=at, fix=fix) from error

    def close(self) -> None:
        """Nothing is open: it is read at once."""

    def __len__(self) -> int:
        """How many pages it has."""
        return len(self._pages)

    def extent(self) -> tuple[int, int, set[str]]:
        """Signs of its longest line, lines of its longest page, and all of its signs."""
        columns, lines, signs = 0, 0, set[str]()
        for page in map(TypedPage, self._pages):
            found = page.layers()
            lines = max(lines, len(found))
            for text in (text.rstrip() for layers in found for text in layers):
                columns = max(columns, len(text))
                signs.update(text)
        return columns, lines, signs

    def page(self, number: int) -> TypedPage:
        """A page, from 1."""
        return TypedPage(self._pages[number - 1])


class TypedPage:
    """One page.

    Attributes:
        raw: Its text as it stands in the file, without the form feed.
        is_picture: Never.
    """

    is_picture = False

    def __init__(self, raw: str) -> None:
        self.raw = raw

    def __enter__(self) -> TypedPage:
        return self

    def __exit__(self, *_: object) -> None:
        pass

    def text(self, within: Lines | None = None) -> str:
        """What the page says, or what stands in a place of it, as it is read."""
        if within is None:
            return "\n".join(self.lines())
        first, left = within.line - 1, within.column - 1
        right = None if within.columns is None else left + within.columns
        return "\n".join(line[left:right] for line in self.lines()[first : first + within.lines])

    def lines(self) -> list[str]:
        """Its lines as they are read: of signs that stand over one another, the one that is not only a mark."""
        return [_read(layers) for layers in self.layers()]

    def layers(self) -> list[list[str]]:
        """Its lines, each as one text or as several that stand over one another; without commands to a printer."""
        return [_layers(line) for line in self.raw.replace("\r\n", "\n").split("\n")]


def _paged(text: str, lines: int | None) -> Iterator[str]:
    """The pages of a text; what is empty after the last page, or before a form feed that begins the file, is none."""
    pages = [page for part in text.removeprefix("\ufeff").split(FEED) for page in _parted(part, lines)]
    while pages and not pages[-1].strip():
        pages.pop()
    yield from pages[1:] if len(pages) > 1 and not pages[0].strip() else pages


def _parted(text: str, most: int | None) -> Iterator[str]:
    if most is None:
        yield text
        return
    lines = _LINE.findall(text)
    yield from ("".join(lines[at : at + most]) for at in range(0, len(lines), most))


def _layers(line: str) -> list[str]:
    if line.isprintable():
        return [line]
    layers: list[dict[int, str]] = [{}]
    at = 0
    for sign in _COMMAND.sub("", line):
        if sign == "\r":
            at = 0
        elif sign == "\b":
            at = max(0, at - 1)
        elif sign == "\t":
            at += _TAB - at % _TAB
        elif sign.isprintable() or sign.isspace():
            if not sign.isspace():
                free = next((layer for layer in layers if at not in layer), None)
                if free is None:
                    layers.append(free := {})
                free[at] = sign
            at += 1
    return ["".join(layer.get(at, " ") for at in range(max(layer, default=-1) + 1)) for layer in layers]


def _read(layers: Sequence[str]) -> str:
    if len(layers) == 1:
        return layers[0]
    signs = zip_longest(*layers, fillvalue=" ")
    return "".join(min(column, key=_is_mark) for column in signs)


def _is_mark(sign: str) -> int:
    return 2 if sign == " " else int(sign == "_")
