"""Pictures in PDFs: JPEG as it is, everything else deflated, what is transparent as a mask (ISO 32000-1, 8.9)."""

from __future__ import annotations

import io
from functools import lru_cache
from typing import NamedTuple

from PIL import Image

from gonnet.reports.pdf.writing import raw_stream, stream

_SPACES = {"L": "/DeviceGray", "RGB": "/DeviceRGB"}


class Embedded(NamedTuple):
    """A picture as stream objects: itself, but for the name of its mask, and the mask, where it has one."""

    entries: str
    data: bytes
    is_jpeg: bool
    mask: bytes | None

    def object(self, mask: int | None) -> bytes:
        """The stream, with the number of its mask."""
        entries = self.entries + (f"/SMask {mask} 0 R" if mask is not None else "")
        return raw_stream(self.data, f"{entries}/Filter/DCTDecode") if self.is_jpeg else stream(self.data, entries)


@lru_cache(maxsize=64)
def embedded(data: bytes) -> Embedded:
    """A PNG or JPEG, ready to be put into files. Inks are drawn as lights: files of the archive name one space only."""
    with Image.open(io.BytesIO(data)) as image:
        if image.format == "JPEG" and image.mode in _SPACES:
            return Embedded(_entries(image, image.mode), data, True, None)
        has_mask = "A" in image.getbands() or "transparency" in image.info
        drawn = image.convert("RGBA") if has_mask else image
        mode = "L" if image.mode in ("1", "L", "LA") else "RGB"
        mask = None
        if has_mask:
            alpha = drawn.getchannel("A")
            mask = stream(alpha.tobytes(), _entries(alpha, "L"))
        return Embedded(_entries(drawn, mode), drawn.convert(mode).tobytes(), False, mask)


def _entries(image: Image.Image, mode: str) -> str:
    size = f"/Width {image.width}/Height {image.height}"
    return f"/Type/XObject/Subtype/Image{size}/ColorSpace{_SPACES[mode]}/BitsPerComponent 8"
