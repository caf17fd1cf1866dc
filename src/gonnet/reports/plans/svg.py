"""Drawings in SVG as pictures with so many pixels that print shows none: made once a run, the same for every format."""

from __future__ import annotations

import io
from contextlib import closing
from pathlib import Path

import pypdfium2

from gonnet.errors import JobError

_MOST = 2_400  # pixels, along the longer side
_DENSE = 600 / 72  # pixels to the point


def rendered_svg(path: Path, width: float, where: str) -> bytes:
    """The drawing as a PNG with a clear ground, for a picture that is `width` points wide.

    Raises:
        JobError: what reads SVG is not installed, or the file is no drawing that it can read.
    """
    try:
        from reportlab.graphics import renderPDF  # a tenth of a second to load
        from svglib.svglib import svg2rlg
    except ModuleNotFoundError as error:
        raise JobError(
            "what reads SVG is not installed", where=where, fix="pip install 'gonnet[svg]', or save it as PNG"
        ) from error
    wrong = JobError(f"{path.name} is no SVG drawing that can be read", where=where, fix="Save it as PNG")
    try:
        drawing = svg2rlg(str(path))
    except Exception as error:  # whatever a broken drawing makes the reader raise
        raise wrong from error
    if drawing is None or drawing.width <= 0 or drawing.height <= 0:
        raise wrong
    scale = min(_DENSE * width / drawing.width, _MOST / max(drawing.width, drawing.height))
    with closing(pypdfium2.PdfDocument(renderPDF.drawToString(drawing))) as page:
        picture = page[0].render(scale=scale, fill_color=(255, 255, 255, 0), maybe_alpha=True).to_pil()
    target = io.BytesIO()
    picture.save(target, "PNG", optimize=True)
    return target.getvalue()
