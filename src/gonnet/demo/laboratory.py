"""The laboratory's run: one PDF with the certificates of all farms, as another system prints them."""

from __future__ import annotations

import random
from collections.abc import Sequence
from pathlib import Path

from gonnet.demo import cooperative

_SEED = 7
_EACH = 22  # samples on a page
_SEPARATOR = "Control sheet of the laboratory: not for members"


def write(path: Path) -> None:
    """Write the run; the same bytes each time."""
    from reportlab.lib.pagesizes import A4
    from reportlab.pdfgen.canvas import Canvas

    canvas = Canvas(str(path), pagesize=A4, invariant=1)
    canvas.setTitle("Certificates of October 2026, all farms")
    chance, members = random.Random(_SEED), cooperative.farms()
    for farm in members:
        if farm == cooperative.idle(members):
            continue
        samples = [
            f"{day:02d}/10/2026     fat {chance.uniform(3.7, 4.6):.2f} %     protein {chance.uniform(3.2, 3.7):.2f} %"
            f"     cells {chance.randint(90, 380)}     bacteria {chance.randint(8, 60)}"
            for day in range(1, chance.randint(12, 31))
        ]
        pages = [samples[at : at + _EACH] for at in range(0, len(samples), _EACH)]
        for number, page in enumerate(pages, 1):
            _page(canvas, farm.number if number == 1 else "", len(samples), page, f"sheet {number} of {len(pages)}")
    _page(canvas, "", 0, [_SEPARATOR], "")
    canvas.save()


def _page(canvas: object, number: str, samples: int, lines: Sequence[str], sheet: str) -> None:
    """One page; only the first of a farm says whose it is."""
    from reportlab.pdfgen.canvas import Canvas

    assert isinstance(canvas, Canvas)
    canvas.setFont("Times-Bold", 17)
    canvas.drawString(60, 780, "Skerrow Dairy Laboratory")
    canvas.setFont("Times-Roman", 11)
    if number:
        canvas.drawString(60, 745, f"Certificate for farm no. {number}")
        canvas.drawString(60, 728, f"Samples: {samples}")
    for at, line in enumerate(lines):
        canvas.drawString(60, 690 - 22 * at, line)
    canvas.drawRightString(535, 50, sheet)
    canvas.showPage()
