"""The vet's workbook: a sheet for each farm that was visited, as another system writes it."""

from __future__ import annotations

import datetime as dt
import random
from pathlib import Path
from typing import TYPE_CHECKING

from gonnet.demo import cooperative

if TYPE_CHECKING:
    from xlsxwriter.format import Format
    from xlsxwriter.worksheet import Worksheet

_SEED = 11
_REASONS = (("calving", 96.0), ("lameness", 54.5), ("udder check", 38.0), ("vaccination", 22.75), ("mastitis", 61.25))
_FIRST = 6  # row of the first visit, from 1


def write(path: Path) -> None:
    """Write the workbook; the same bytes each time."""
    from xlsxwriter import Workbook

    chance, members = random.Random(_SEED), cooperative.farms()
    with Workbook(str(path)) as book:
        book.set_properties({"author": "Vale Vets", "created": dt.datetime(2026, 11, 1, tzinfo=dt.UTC)})
        formats = {
            "title": book.add_format({"bold": True, "font_size": 14, "font_color": "#2f5d50"}),
            "head": book.add_format({"bold": True, "bottom": 1, "bg_color": "#e3ece8"}),
            "right": book.add_format({"bold": True, "bottom": 1, "bg_color": "#e3ece8", "align": "right"}),
            "day": book.add_format({"num_format": "ddd d mmm yyyy", "align": "left"}),
            "money": book.add_format({"num_format": "#,##0.00 €"}),
            "total": book.add_format({"num_format": "#,##0.00 €", "bold": True}),
        }
        for farm in members:
            if farm != cooperative.idle(members) and chance.random() < 0.75:
                _sheet(book.add_worksheet(f"Farm {farm.number}"), formats, farm, chance)
        prices = book.add_worksheet("Prices")
        prices.write_column("A1", [reason for reason, _ in _REASONS])
        prices.write_column("B1", [price for _, price in _REASONS])
        prices.hide()


def _sheet(sheet: Worksheet, formats: dict[str, Format], farm: cooperative.Farm, chance: random.Random) -> None:
    """The visits to a farm."""
    visits = sorted(chance.sample(range(1, 32), chance.randint(1, 6)))
    fees = []
    sheet.write_string("A1", "Visits of the vet, October 2026", formats["title"])
    sheet.write_string("A2", f"Farm {farm.number}")
    sheet.write_string("A3", "Fees")
    sheet.write_row(_FIRST - 2, 0, ("Day", "Reason"), formats["head"])
    sheet.write_row(_FIRST - 2, 2, ("Cows", "Fee"), formats["right"])
    for at, day in enumerate(visits, _FIRST - 1):
        reason, price = chance.choice(_REASONS)
        cows = chance.randint(1, 4)
        fees.append(price * cows)
        sheet.write_datetime(at, 0, dt.datetime(2026, 10, day), formats["day"])  # noqa: DTZ001  workbooks know no zones
        sheet.write_string(at, 1, reason)
        sheet.write_number(at, 2, cows)
        sheet.write_number(at, 3, fees[-1], formats["money"])
    last = _FIRST + len(visits) - 1
    sheet.write_formula("B3", f"=SUM(D{_FIRST}:D{last})", formats["total"], sum(fees))
    sheet.set_column("A:A", 18)
    sheet.set_column("B:B", 22)
    sheet.set_column("C:D", 12)
    sheet.freeze_panes(_FIRST - 1, 0)
    sheet.set_footer("&LVale Vets&RPage &P of &N")
