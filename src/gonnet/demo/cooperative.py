"""The made-up figures of the Tarnvale dairy cooperative: one month of collections, the same on every machine.

The awkward cases are there on purpose: a farm that delivered nothing, one without an address, one with two contacts,
numbers with leading zeros, rows of a number that nobody has, rows without one, blanks around one, names in several
scripts, a name that is far too long, a name that begins with `=`, a cell count above the limit, and a remark that
mentions another farm's number.
"""

from __future__ import annotations

import csv
import datetime as dt
import random
from collections.abc import Iterator
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from pathlib import Path

import xlsxwriter

_SEED = 20_261_001
_FIRST = dt.date(2026, 10, 1)
_DAYS = 31
_REGIONS = ("Upper Tarn", "Lower Vale", "Eastmoor", "Skerrow")
_ADVISERS = (
    ("Ines Calloway", "ines.calloway@tarnvale.example"),
    ("Tobias Renner", "tobias.renner@tarnvale.example"),
    ("Oona Farrelly", "oona.farrelly@tarnvale.example"),
)
_DRIVERS = ("Marek Wójcik", "Siobhán Daly", "Pekka Lehtonen", "Γιώργος Νικολάου")

_FARMS = (
    "Ashgill Farm", "Beckfoot", "Łąka Górna", "Carrock End", "Dunmallet", "Ewe Close", "Zoë's Dairy", "Fell Gate",
    "Greenside", "Hallbank", "Ωmega Pastures", "Inglewood Rise", "Jericho Hill", "Keld House", "Lowthwaite",
    "Ferme Châtaigne", "Mossdale", "Nether Row", "Orrest Fold", "Молочный Двор", "Penruddock", "Quarry Bank",
    "Rowantree", "Größlhof", "Skelgill", "Thackthwaite", "Ullock Mains", "Vicarage Field", "Wath Sutton",
    "Yewbarrow", "Applegarth", "Bramley Cote", "Cotehill", "Dovenby", "Eaglesfield", "Fothergill", "Gosforth Green",
    "Harrow Slack", "Irton Pike", "Kirkland", "Langrigg", "Mungrisdale", "Newlands", "Ousby Moor", "Plumbland",
)  # fmt: skip
_DUES = ("tank hire", "laboratory", "share in the cooperative", "training", "cooling service")
_LANGUAGES = {3: "pl", 5: "de", 8: "fr"}  # of every ten farms; the others read the cooperative's
_LONG = (
    "The Very Old and Honourable Partnership of Threlkeld, Wythburn and Saint John's in the Vale, "
    "Dairy Farmers since the Year of the Great Snow, and Sons and Daughters"
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Farm:
    """A member farm."""

    number: str
    name: str
    region: str
    contact: str
    email: str
    adviser: tuple[str, str]
    language: str


def farms() -> tuple[Farm, ...]:
    """The member farms, in the order of the list."""
    chance = random.Random(_SEED)
    people = ("Ann", "Piotr", "Brigid", "Colm", "Dora", "Emil", "Freya", "Gethin", "Hana", "Iris", "Jonas", "Kirsten")
    families = ("Bell", "Dvořák", "Ellwood", "Fairhurst", "Graham", "Hodgson", "Iredale", "Jopson", "Ó Briain", "Lund")
    names = (*_FARMS, _LONG, "=Sum of All Fields", "Idle Acres")
    found = []
    for index, name in enumerate(names):
        number = f"{42 + index * 37:05d}" if index % 4 else f"B{101 + index}"
        contact = f"{chance.choice(people)} {chance.choice(families)}"
        email = f"farm{number.lower()}@members.tarnvale.example"
        adviser = _ADVISERS[index % len(_ADVISERS)]
        region = _REGIONS[index % len(_REGIONS)]
        found.append(
            Farm(
                number=number,
                name=name,
                region=region,
                contact=contact,
                email=email,
                adviser=adviser,
                language=_LANGUAGES.get(index % 10, ""),
            )
        )
    return tuple(found)


def without_address(members: tuple[Farm, ...]) -> Farm:
    """The farm whose address is not on the list."""
    return members[13]


def with_two_contacts(members: tuple[Farm, ...]) -> Farm:
    """The farm whose statement goes to two people."""
    return members[6]


def idle(members: tuple[Farm, ...]) -> Farm:
    """The farm that delivered nothing."""
    return members[-1]


def write_members(path: Path) -> None:
    """Write the recipient list as a workbook."""
    members = farms()
    book = xlsxwriter.Workbook(str(path), {"strings_to_formulas": False, "strings_to_urls": False})
    book.set_properties({"created": dt.datetime(2026, 10, 31)})  # noqa: DTZ001  workbooks know no zones
    sheet = book.add_worksheet("Members")
    head = ("farm_no", "farm_name", "region", "contact", "email", "adviser", "adviser_email", "language")
    lines = [head, *_lines(members)]
    for row, line in enumerate(lines):
        for column, text in enumerate(line):
            sheet.write_string(row, column, text)
    sheet.freeze_panes(1, 0)
    for column, width in enumerate((10, 34, 12, 18, 36, 16, 34, 10)):
        sheet.set_column(column, column, width)
    book.close()


def _lines(members: tuple[Farm, ...]) -> Iterator[tuple[str, ...]]:
    for farm in members:
        email = "" if farm == without_address(members) else farm.email
        yield (farm.number, farm.name, farm.region, farm.contact, email, *farm.adviser, farm.language)
        if farm == with_two_contacts(members):
            second = "books@members.tarnvale.example"
            yield (farm.number, farm.name, farm.region, "Milo Fairhurst", second, *farm.adviser, "pl")


def write_collections(path: Path) -> None:
    """Write the month's collections as CSV."""
    head = ("farm_no", "collected_on", "round_no", "driver", "litres", "fat_pct", "protein_pct", "cells", "price")
    with path.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow((*head, "amount", "remark"))
        rows = list(_collections(farms()))
        rows.sort(key=_as_collected)
        writer.writerows(rows)


def write_dues(path: Path) -> None:
    """Write what some farms owe the cooperative, as CSV."""
    chance = random.Random(_SEED + 2)
    with path.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(("farm_no", "invoice", "what", "due_on", "amount"))
        for number, farm in enumerate(farms()[::3]):
            for part in range(chance.randint(1, 4)):
                due = _FIRST + dt.timedelta(days=chance.randint(-70, 35))
                cents = chance.randint(1500, 48_000)
                invoice = f"D{2600 + 10 * number + part}"
                writer.writerow((farm.number, invoice, chance.choice(_DUES), due.isoformat(), f"{cents / 100:.2f}"))


def write_readers(path: Path) -> None:
    """Write how ten farms want to get what the laboratory found, as CSV."""
    ways = ("", "sheet", "by_post", "mail; shelf", "exchange", "to_sign", "by_post", "", "shelf", "sheet; exchange")
    head = ("farm_no", "farm_name", "email", "way", "place")
    with path.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(head)
        for farm, way in zip(farms(), ways, strict=False):
            email = "" if way in ("by_post", "exchange", "shelf") else farm.email
            writer.writerow((farm.number, farm.name, email, way, f"{farm.region}/{farm.adviser[0]}"))


def _collections(members: tuple[Farm, ...]) -> Iterator[tuple[str, ...]]:
    chance = random.Random(_SEED + 1)
    delivering = [farm for farm in members if farm != idle(members)]
    for index, farm in enumerate(delivering):
        usual = chance.randint(420, 2400)
        cells = chance.randint(120, 250)
        for day in range(_DAYS):
            if chance.random() < 0.02:
                continue
            remark = ""
            if index == 20 and day == 11:
                remark = f"tank shared with {delivering[2].number}"
            elif chance.random() < 0.02:
                remark = chance.choice(("gate locked, came back", "sample repeated", "second tank"))
            high = 437 if index == 9 and day == 17 else None
            number = f" {farm.number} " if index == 30 and day == 4 else farm.number
            yield _collection(number, day, chance, usual, high or round(chance.gauss(cells, 12)), remark)
    for day in range(4):
        yield _collection("07777", day, chance, 900, 180, "")  # nobody has this number
    yield _collection(delivering[4].number.lower(), 8, chance, 900, 180, "")  # written in another way
    for day in (6, 19):
        yield _collection("", day, chance, 700, 180, "number not read")


def _as_collected(row: tuple[str, ...]) -> tuple[str, str, str]:
    return row[1], row[2], row[0]


def _collection(number: str, day: int, chance: random.Random, usual: int, cells: int, remark: str) -> tuple[str, ...]:
    litres = max(60, round(chance.gauss(usual, usual * 0.06)))
    fat, protein = (Decimal(str(round(chance.gauss(mean, 0.11), 2))) for mean in (4.12, 3.41))
    price = (Decimal("0.2150") + fat * Decimal("0.0310") + protein * Decimal("0.0420")).quantize(Decimal("0.0001"))
    amount = (price * litres).quantize(Decimal("0.01"), rounding=ROUND_HALF_UP)
    date = (_FIRST + dt.timedelta(days=day)).isoformat()
    driver = _DRIVERS[(day + len(number)) % len(_DRIVERS)]
    round_no = str(1 + chance.randrange(3))
    return (
        number,
        date,
        round_no,
        driver,
        str(litres),
        str(fat),
        str(protein),
        str(cells),
        str(price),
        str(amount),
        remark,
    )
