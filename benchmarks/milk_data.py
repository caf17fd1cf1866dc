"""Made-up farms and collections for the delivery benchmark, as CSV files, and the job that reports them."""

from __future__ import annotations

import csv
import random
from pathlib import Path

ROWS = 40  # collections of a farm

_SETTINGS = """\
style: {{organisation: Tarnvale Dairy Cooperative, locale: en_IE, currency: EUR}}
mail_servers:
  relay: {{host: 127.0.0.1, port: {port}, security: none, connections: 4}}
"""
_JOB = """\
title: Milk statements
data:
  milk: {file: milk.csv}
  farms: {file: farms.csv}
split: {rows: milk, by: farm_no}
recipients: {rows: farms, key: farm_no, to: email, name: farm_name}
figures: {litres: sum(litres), payable: sum(amount)}
reports:
  statement:
    title: "Milk statement, {{ recipient.farm_name }}"
    header: "{{ recipient.farm_name }}"
    footer: Questions? Call the milk office.
    blocks:
      - facts:
          Farm: "{{ recipient.farm_name }} ({{ key }})"
          Litres: "{{ figures.litres | number }}"
          To be paid: "{{ figures.payable | money }}"
      - table:
          title: Collections
          columns:
            - {field: day, label: Day}
            - {field: tanker, label: Tanker and driver}
            - {field: litres, label: Litres, format: "#,##0", total: sum}
            - {field: fat_pct, label: Fat %}
            - {field: protein_pct, label: Protein %}
            - {field: price, label: Price, format: "0.0000"}
            - {field: amount, label: Amount, total: sum}
package:
  documents: [DOCUMENTS]
  name: "statement-{{ key }}"
messages:
  standard:
    subject: "Your milk statement, {{ recipient.farm_name }}"
    body: |
      Dear {{ recipient.farm_name }},

      your statement is attached: {{ figures.litres | number }} litres, **{{ figures.payable | money }}**.

      Tarnvale milk office
deliver:
  - email: {from: "Milk office <milk@tarnvale.example>", server: relay}
"""
_DRIVERS = ("north tanker, Pádraig Ó Máille", "south tanker, Ewa Żółkiewska", "hill tanker, Jörg Oberhuber-Straßmann")
_WORDS = ("Upper", "Lower", "High", "Far", "Old", "New"), ("Tarn", "Birk", "Mere", "Thorn", "Ash"), ("field", "garth")


def write(folder: Path, farms: int, port: int, documents: str = "", rows: int = ROWS) -> None:
    """A workspace of `farms` farms × `rows` collections in `folder`, its rows in the order of the days."""
    chance = random.Random(20261031)
    with (folder / "farms.csv").open("w", encoding="utf-8", newline="") as file:
        out = csv.writer(file, lineterminator="\n")
        out.writerow(("farm_no", "farm_name", "email"))
        for number in range(farms):
            first, second, third = (chance.choice(words) for words in _WORDS)
            out.writerow((_key(number), f"{first} {second}{third} {number}", f"farm{number}@members.tarnvale.example"))
    with (folder / "milk.csv").open("w", encoding="utf-8", newline="") as file:
        out = csv.writer(file, lineterminator="\n")
        out.writerow(("farm_no", "day", "tanker", "litres", "fat_pct", "protein_pct", "price", "amount"))
        for row in range(rows):
            for number in range(farms):
                litres, price = chance.randrange(300, 4000), chance.randrange(3800, 5200)
                amount = f"{litres * price / 10_000:.2f}"
                fat, protein = f"{chance.randrange(340, 480) / 100:.2f}", f"{chance.randrange(310, 380) / 100:.2f}"
                day = f"2026-10-{row % 31 + 1:02}"
                out.writerow(
                    (_key(number), day, chance.choice(_DRIVERS), litres, fat, protein, f"{price / 10_000:.4f}", amount)
                )
    (folder / "gonnet.yaml").write_text(_SETTINGS.format(port=port), "utf-8")
    (folder / "jobs").mkdir(exist_ok=True)
    both = documents or "{report: statement, as: pdf}, {report: statement, as: xlsx}"
    (folder / "jobs" / "statements.yaml").write_text(_JOB.replace("DOCUMENTS", both), "utf-8")


def _key(number: int) -> str:
    return f"TV-{number + 1:06}"
