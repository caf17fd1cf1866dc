"""Pictures from files of the workspace."""

from __future__ import annotations

import io

from PIL import Image, UnidentifiedImageError

from gonnet.errors import JobError
from gonnet.jobs.blocks import ImageBlock
from gonnet.jobs.reach import Reach
from gonnet.reports.plans.models import Picture
from gonnet.reports.plans.svg import rendered_svg
from gonnet.reports.plans.widths import POINTS

_FORMATS = ("PNG", "JPEG")


def picture(block: ImageBlock, reach: Reach, where: str, room: float) -> Picture:
    """The picture of a block, no wider than `room` points.

    Raises:
        JobError: there is no such file, or it is no PNG, JPEG or SVG.
    """
    path = reach.file(block.image, where)
    width = min(block.width * POINTS, room)
    try:
        data = path.read_bytes()
        if path.suffix.casefold() == ".svg":
            data = rendered_svg(path, width, where)
        with Image.open(io.BytesIO(data), formats=_FORMATS) as image:
            image.load()
            pixels = image.size
    except UnidentifiedImageError as error:
        raise JobError(f"{path.name} is no PNG, JPEG or SVG", where=where, fix="Save it as one of them") from error
    except OSError as error:
        reason = error.strerror or str(error)
        raise JobError(f"the picture {path} cannot be read: {reason}", where=where, fix="Check the file") from error
    return Picture(data=data, width=width, height=width * pixels[1] / pixels[0], align=block.align, alt=block.alt)
