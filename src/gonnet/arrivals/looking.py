"""Looking at pages of a run while a pattern is tried out: what each says, where, and what was found."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

import pypdfium2
from PIL import Image, ImageDraw

from gonnet.arrivals.keys import Says, keys_of, value_of
from gonnet.arrivals.pages import MM, Pages, Word
from gonnet.arrivals.runs import Run, opened
from gonnet.errors import DataError
from gonnet.jobs.arrivals import PdfRun, TextRun, Within

_SCALE = 110 / 72  # pixels to the point
_ROOM = 3  # pixels between a word and the box around it
_PLACE, _FOUND = "#1f6fb2", "#c2410c"


@dataclass(frozen=True, slots=True, kw_only=True)
class Looked:
    """A page that was looked at.

    Attributes:
        file: The name of its file.
        number: Its number in the file, from 1.
        of: How many pages the file has.
        keys: The keys that it says.
        in_place: What stands in the place of the key; empty where the key is not taken from a place.
        is_left_out: Whether `leave_out` leaves it out.
        values: The values that it says, by name.
        is_picture: Whether it says nothing that can be read.
    """

    file: str
    number: int
    of: int
    keys: tuple[str, ...]
    in_place: str
    is_left_out: bool
    values: dict[str, str]
    is_picture: bool


def look(spec: Run, path: Path, listed: Path | None, password: str, first: int, most: int) -> list[Looked]:
    """Some pages of a file, from page `first` on.

    Raises:
        DataError: the file has no such page, or cannot be read.
    """
    with closing(opened(spec, path, password)) as pages:
        if not 1 <= first <= len(pages):
            raise DataError(
                f"there is no page {first}: the file has {len(pages):,}", where=path.name, fix="Name another"
            )
        keys = keys_of(spec.key, pages, listed)
        leave_out = [re.compile(text) for text in spec.leave_out]
        found = []
        for number in range(first, min(len(pages), first + most - 1) + 1):
            with pages.page(number) as page:
                said = ((name, value_of(named, page)) for name, named in spec.read.items())
                found.append(
                    Looked(
                        file=path.name,
                        number=number,
                        of=len(pages),
                        keys=keys(number, page),
                        in_place=_in_place(spec, page),
                        is_left_out=any(pattern.search(page.text()) for pattern in leave_out),
                        values={name: value for name, value in said if value is not None},
                        is_picture=page.is_picture,
                    )
                )
    return found


def _in_place(spec: Run, page: Says) -> str:
    return page.text(spec.key.within).strip() if spec.key.within is not None else ""


def words_of(path: Path, password: str, number: int) -> list[Word]:
    """The words of a page, each with its place."""
    with closing(Pages(path, password)) as pages, pages.page(number) as page:
        return list(page.words())


def lines_of(spec: TextRun, path: Path, number: int) -> list[str]:
    """The lines of a page of text, as they are read."""
    return opened(spec, path, "").page(number).text().split("\n")


def places_of(spec: PdfRun) -> Iterator[tuple[str, Within]]:
    """What a job looks for in a place, and the place."""
    if spec.key.within is not None:
        yield "key", spec.key.within
    for name, named in spec.read.items():
        if named.within is not None:
            yield name, named.within


def picture(spec: PdfRun, path: Path, password: str, looked: Looked) -> Image.Image:
    """The page as it is seen, with the places of the job and the words of what was found drawn in."""
    document = pypdfium2.PdfDocument(path, password=password or None)
    try:
        image: Image.Image = document[looked.number - 1].render(scale=_SCALE).to_pil().convert("RGB")
    finally:
        document.close()
    draw = ImageDraw.Draw(image)
    found = {part for value in (*looked.keys, *looked.values.values()) for part in value.split()}
    for word in words_of(path, password, looked.number):
        if word.text in found or word.text.strip(".,:;()") in found:
            left, top, right, bottom = _box(word.left, word.top, word.width, word.height)
            draw.rectangle((left - _ROOM, top - _ROOM, right + _ROOM, bottom + _ROOM), outline=_FOUND, width=2)
    for name, within in places_of(spec):
        box = _box(within.left, within.top, within.width, within.height)
        draw.rectangle(box, outline=_PLACE, width=2)
        draw.text((box[0] + 3, box[1] - 12), name, fill=_PLACE)
    return image


def _box(left: float, top: float, width: float, height: float) -> tuple[float, float, float, float]:
    scale = MM * _SCALE
    return left * scale, top * scale, (left + width) * scale, (top + height) * scale
