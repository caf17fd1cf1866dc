"""The cooperative's mark: a drop of milk over hills."""

from __future__ import annotations

from pathlib import Path

from PIL import Image, ImageDraw

_SIZE = 480
_SLATE, _HILL, _MILK = "#2f5d50", "#7fa293", "#ffffff"


def write(path: Path) -> None:
    """Write it as a PNG; the same bytes each time."""
    image = Image.new("RGB", (2 * _SIZE, 2 * _SIZE), _MILK)
    draw = ImageDraw.Draw(image)
    draw.ellipse((20, 20, 2 * _SIZE - 20, 2 * _SIZE - 20), fill=_SLATE)
    draw.chord((20, 20, 2 * _SIZE - 20, 2 * _SIZE - 20), 20, 160, fill=_HILL)
    draw.polygon([(480, 170), (330, 480), (630, 480)], fill=_MILK)
    draw.ellipse((312, 400, 648, 736), fill=_MILK)
    image.resize((_SIZE, _SIZE), Image.Resampling.LANCZOS).save(path)
