"""Pictures of the pages on which the leak check found something, with the place marked."""

from __future__ import annotations

import io
import re
from collections.abc import Iterator
from pathlib import Path

import pypdfium2
from PIL import ImageDraw
from PIL.Image import Image

from gonnet import private
from gonnet.errors import StorageError
from gonnet.ledger import HitRecord, PackageRecord
from gonnet.packages import safe_name
from gonnet.pipeline.tools import Tools

_SCALE = 1.5  # pixels to the point
_AROUND = 3.0  # points
_PAGE = re.compile(r"\(page (\d+)\)")


def marked_pages(package: PackageRecord, tools: Tools, into: Path) -> Iterator[Path]:
    """Write a picture of each page on which something was found, once for each thing; yields where they are.

    Args:
        package: The package.
        tools: The tools.
        into: The folder; made when it is not there.

    Raises:
        StorageError: the folder cannot be written.
    """
    pages = [(hit, int(found[1]) - 1) for hit in package.hits if (found := _PAGE.search(hit.place))]
    for document in package.documents if pages else ():
        if document.format == "pdf":
            try:
                pdf = pypdfium2.PdfDocument(tools.store.get(document.sha256))
            except pypdfium2.PdfiumError:  # it is locked by a password
                continue
            for number, (hit, page) in enumerate(pages, 1):
                if page < len(pdf) and (picture := _marked(pdf[page], hit)) is not None:
                    name = f"{Path(safe_name(document.name)).stem} page {page + 1} ({number}).png"
                    yield _written(picture, into / name)
            pdf.close()


def _marked(page: pypdfium2.PdfPage, hit: HitRecord) -> Image | None:
    """The page with frames around what was found; None where it does not stand on it as it was spelled."""
    texts = page.get_textpage()
    finder = texts.search(hit.spelled, match_case=True)
    picture = page.render(scale=_SCALE).to_pil()
    drawing, height, count = ImageDraw.Draw(picture), page.get_height(), 0
    while (found := finder.get_next()) is not None:
        for at in range(texts.count_rects(*found)):
            left, bottom, right, top = texts.get_rect(at)
            box = (left - _AROUND, height - top - _AROUND, right + _AROUND, height - bottom + _AROUND)
            drawing.rectangle([_SCALE * side for side in box], outline="#c02020", width=3)
            count += 1
    return picture if count else None


def _written(picture: Image, place: Path) -> Path:
    target = io.BytesIO()
    picture.save(target, "PNG")
    try:
        private.folder(place.parent)
        return private.write(place, target.getvalue())
    except OSError as error:
        what = f"the folder cannot be written: {error.strerror}"
        raise StorageError(what, where=str(place.parent), fix="Name another with --into") from error
