"""Lists of real words as keys and names, in a job with lively texts: nothing of it is a leak but what is planted."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator, Mapping, Sequence

AIRPORTS = [
    "NEW",
    "DAY",
    "JAN",
    "SAN",
    "MAY",
    "SUN",
    "FAT",
    "BAD",
    "ALL",
    "ANY",
    "BUT",
    "CAN",
    "FOR",
    "GET",
    "HIT",
    "HOT",
    "ICE",
    "JET",
    "KEY",
    "LAX",
    "LIT",
    "MAN",
    "MAR",
    "MON",
    "NET",
    "OAK",
    "OIL",
    "OLD",
    "ONE",
    "PAN",
    "PIE",
    "RED",
    "RUN",
    "SAT",
    "SEA",
    "SET",
    "SIN",
    "SIT",
    "SUM",
    "TAX",
    "TEN",
    "TOP",
    "TRI",
    "TWO",
    "USE",
    "WAR",
    "WAS",
    "YES",
    "ZAP",
    "END",
    "MIN",
    "MAX",
    "TOT",
    "PAY",
    "FEE",
    "VAT",
]
COUNTRIES = [
    "Turkey",
    "Chad",
    "Jordan",
    "Georgia",
    "Guinea",
    "China",
    "Jersey",
    "Cuba",
    "Mali",
    "Oman",
    "Peru",
    "Togo",
    "Niger",
    "Poland",
    "Ireland",
    "New Zealand",
    "France",
    "Sweden",
    "Norway",
    "Malta",
    "Italy",
    "Spain",
    "Portugal",
    "Greece",
    "Cyprus",
    "Latvia",
    "Estonia",
    "Finland",
    "Denmark",
    "Austria",
    "Hungary",
    "Ghana",
    "Kenya",
    "Panama",
    "Fiji",
    "Samoa",
    "Tonga",
    "Nepal",
    "India",
    "Japan",
]
NAMES = [
    "Mark",
    "Will",
    "Grace",
    "Faith",
    "Hope",
    "Victor",
    "Frank",
    "Dawn",
    "Amber",
    "Ruby",
    "Robin",
    "Rose",
    "Lily",
    "Jasmine",
    "Olive",
    "Pearl",
    "Melody",
    "Patience",
    "May",
    "June",
    "April",
    "August",
    "Bill",
    "Jack",
    "Rich",
    "Dean",
    "Art",
    "Gene",
    "Ray",
    "Rob",
    "Pat",
    "Sue",
    "Joy",
    "Ivy",
    "Holly",
    "Heather",
    "Violet",
    "Crystal",
    "Summer",
    "Autumn",
    "Sandy",
]
STREETS = [
    "High Street",
    "Station Road",
    "Mill Lane",
    "Church Lane",
    "The Green",
    "New Road",
    "Main Street",
    "Park Avenue",
    "Bridge Street",
    "West Street",
    "Market Place",
    "Dairy Lane",
    "Cow Lane",
    "Long Row",
    "Broadway",
    "Hill",
    "Back Lane",
    "School Road",
    "North End",
    "South View",
    "The Square",
    "Farm Road",
    "Milk Street",
    "Cross Street",
    "Orchard",
    "Riverside",
    "Spring Gardens",
    "Kings Road",
    "Manor Drive",
    "Meadow",
]
TRADES = [
    "Total",
    "Page",
    "Target",
    "Orange",
    "Shell",
    "Visa",
    "Boss",
    "Gap",
    "Apple",
    "Next",
    "Boots",
    "Subject",
    "Statement",
    "Collected",
    "Amount",
    "Date",
    "Number",
    "Note",
    "Payment",
    "Account",
    "Farm",
    "Milk",
    "Litres",
    "Standard",
    "Premium",
    "General",
    "National",
    "Union",
    "Crown",
    "Star",
    "Sun",
    "Moon",
    "Delta",
    "Key",
    "Price",
    "Sum",
    "Monthly",
    "Summary",
]
NUMBERS = [str(number) for number in range(1, 251)]

LISTS: Mapping[str, Sequence[str]] = {
    "airports": AIRPORTS,
    "countries": COUNTRIES,
    "given names": NAMES,
    "streets": STREETS,
    "trades": TRADES,
    "numbers": NUMBERS,
}

_REMARKS = (
    "collected on a new day, one can of old milk was sent back",
    "Will be collected in May; all in all a total of 12 cans",
    "see page 2 of the note, within 30 days",
    "tank 4, valve 17, 3 cans left at the top",
    "on target for the month",
    "the price may change in January or in March",
    "Total of 5 cans, 2 of them red",
    "paid by bank, number on the next page",
    "cold as ice; the jet was cleaned, the net was not",
    "hope for summer, patience until autumn",
    "mark the can in red, green or orange",
    "use the back lane, the main gate is shut",
    "line 1 of 3",
    "5 l less than on day 2",
)

JOB = """\
title: New prices, and the total of the month
data:
  milk: {file: milk.csv}
  members: {file: members.csv}
split: {rows: milk, by: farm_no}
recipients: {rows: members, key: farm_no, name: farm_name, to: email}
figures: {payable: sum(amount), cans: "cast(sum(cans) as integer)"}
reports:
  statement:
    title: "Monthly summary: new prices from January"
    footer: "Payment within 30 days. Page and account: see note 7."
    blocks:
      - heading: Total
      - facts: {Farm: "{{ recipient.farm_name }}", Number: "{{ key }}", Total: "{{ figures.payable }}", Cans: "{{ figures.cans }}"}
      - text: "On the first day of the month all prices are new. Please pay in 14 days, at the latest on 31 May."
      - chart: {kind: bars, over: day, series: [{value: amount, show: sum}], alt: Amount of each day, title: Amount by date}
      - table:
          columns:
            - {field: line, label: Line}
            - {field: day, label: Date, format: d MMM}
            - {field: kind, label: Kind}
            - {field: cans, label: Number, total: sum}
            - {field: amount, label: Amount, format: "#,##0.00", total: sum}
            - {field: remark, label: Note, width: 30}
package:
  documents:
    - {report: statement, as: pdf}
    - {report: statement, as: xlsx}
  name: "{{ key }} new statement 2026-10"
messages:
  standard:
    subject: "New: your monthly summary for October 2026"
    body: |
      Good day {{ recipient.farm_name }},

      the new total is **{{ figures.payable | money }}** for {{ figures.cans }} cans. Pay within 30 days.

      1. See page 1 for the sum, page 2 for the rest.
      2. All the best for the sun of May.

      The dairy, Main Street 12
deliver:
  - email: {from: "Statements <statements@tarnvale.example>"}
checks: {identifying: [farm_name]}
"""


def files(words: Sequence[str], planted: str = "", *, are_names: bool = False) -> Iterator[tuple[str, str]]:
    """A workspace whose keys, or names, are words; the first recipient's second row has one of somebody else."""
    yield "jobs/lively.yaml", JOB
    members, rows = [], []
    for at, word in enumerate(words):
        key = f"K{at:05}" if are_names else word
        name = word if are_names else f"Byre no. {at + 10_001}"
        members.append([key, name, f"m{at}@members.test"])
        for number in range(4):
            remark = _REMARKS[(at * 5 + number * 3) % len(_REMARKS)]
            if planted and at == 0 and number == 1:
                remark = planted
            kind = ("new", "old", "standard", "premium")[(at + number) % 4]
            amount = f"{(at * 37 + number * 11) % 900 + 0.5:.2f}"
            rows.append([key, number + 1, f"2026-10-0{number + 1}", kind, (at + number) % 30 + 1, amount, remark])
    yield "members.csv", _as_csv(["farm_no", "farm_name", "email"], members)
    yield "milk.csv", _as_csv(["farm_no", "line", "day", "kind", "cans", "amount", "remark"], rows)


def _as_csv(head: Sequence[str], rows: Sequence[Sequence[object]]) -> str:
    target = io.StringIO()
    writer = csv.writer(target)
    writer.writerows([head, *rows])
    return target.getvalue()
