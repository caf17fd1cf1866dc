"""Attacks on the leak check: one value of a victim, in every spelling, at every place, in every format.

Each attacker is a farm whose own data hold the victim's value in one spelling at one place; whether their package is
held, and for which files, is what the check found. `tools/leaks.py` prints the same as a table.
"""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from urllib.parse import quote

VICTIM = {
    "farm_no": "0040117",
    "farm_name": "Łąka Górna",
    "email": "zofia@laka-gorna.example",
    "account": "PL61109010140000071219812874",
    "phone": "+48 601 234 567",
}

FORMATS = ("pdf", "xlsx", "csv", "html")


def _wide(text: str) -> str:
    return "".join(chr(ord(sign) + 0xFEE0) if "!" <= sign <= "~" else sign for sign in text)


def _spaced(text: str, by: int, sign: str) -> str:
    return sign.join(text[at : at + by] for at in range(0, len(text), by))


SPELLINGS: Mapping[str, str] = {
    "key": "0040117",
    "key in words": "see 0040117 too",
    "key in brackets": "(0040117)",
    "key after a colon": "Farm:0040117",
    "key and an amount": "0040117,2.00",
    "key in a list": "0041,0040117;17",
    "key in full width": _wide("0040117"),
    "key in Arabic digits": "٠٠٤٠١١٧",
    "key with zero width spaces": "\u200b".join("0040117"),
    "key with soft hyphens": "00\u00ad40\u00ad117",
    "key without zeros": "40117",
    "key as a number": "40,117.00",
    "key with thousands": "40.117",
    "key with a space": "40 117",
    "key with hyphens": "00-40-117",
    "key in underscores": "x_0040117_y",
    "key behind a letter": "M0040117",
    "key in a link": "https://tarnvale.example/farms/0040117/milk?year=2026",
    "key in entities": "".join(f"&#{ord(sign)};" for sign in "0040117"),
    "name": "Łąka Górna",
    "name in capitals": "ŁĄKA GÓRNA",
    "name in small letters": "łąka górna",
    "name taken apart": "L\u0301a\u0328ka Górna".replace("L\u0301a\u0328", "Ła\u0328"),
    "name with a no-break space": "Łąka\u00a0Górna",
    "name with two spaces": "Łąka  Górna",
    "name with a comma": "Łąka, Górna",
    "name in underscores": "Łąka_Górna",
    "name with a hyphen": "Łąka-Górna",
    "name in a sentence": "Milk of Łąka Górna, tank 2",
    "address": "zofia@laka-gorna.example",
    "address in capitals": "ZOFIA@LAKA-GORNA.EXAMPLE",
    "address in brackets": "Zofia <zofia@laka-gorna.example>",
    "address for a program": quote("zofia@laka-gorna.example", safe=""),
    "address in entities": "zofia&#64;laka-gorna&#46;example",
    "account": "PL61109010140000071219812874",
    "account in groups": _spaced("PL61109010140000071219812874", 4, " "),
    "account with hyphens": _spaced("PL61109010140000071219812874", 4, "-"),
    "account in small letters": "pl61109010140000071219812874",
    "account in no-break groups": _spaced("PL61109010140000071219812874", 4, "\u00a0"),
    "phone": "+48 601 234 567",
    "phone without spaces": "+48601234567",
    "phone with hyphens": "+48-601-234-567",
    "phone with points": "+48.601.234.567",
    "phone with brackets": "+48 (601) 234 567",
    "phone with a slash": "+48 601/234 567",
    "phone with two zeros": "0048601234567",
}

INNOCENT: Mapping[str, str] = {
    "part of a longer number": "10040117",
    "an amount": "9,940.11",
    "a number with decimals": "3.40117",
    "a longer word": "Łąkarka Górnaś",
    "another number": "0040118",
    "a date": "2026-07-04",
    "a name's first word": "Łąka",
    "a time and a date": "04:01:17 on 4.01.2017",
    "a code with letters": "X40117Q9",
}
"""Texts that are like the victim's values, and are none."""


@dataclass(frozen=True)
class Place:
    """A place where a value may stand.

    Attributes:
        column: Of the rows or of the list: where the attacker's data have it.
        formats: The files in which it is found.
        reason: Another word that the reason must have, for what stands in no document.
    """

    column: str
    formats: tuple[str, ...]
    reason: str = ""


PLACES: Mapping[str, Place] = {
    "cell": Place("remark", ("pdf", "xlsx", "csv", "html")),
    "narrow cell": Place("narrow", ("pdf", "xlsx", "csv", "html")),
    "heading of a group": Place("parlour", ("pdf", "xlsx", "csv", "html")),
    "heading of a crosstab": Place("driver", ("pdf", "xlsx", "csv", "html")),
    "place of a chart": Place("tank", ("pdf", "xlsx", "csv", "html")),
    "series of a chart": Place("round", ("pdf", "xlsx", "csv", "html")),
    "heading": Place("in_heading", ("pdf", "xlsx", "html")),
    "fact": Place("in_fact", ("pdf", "xlsx", "html")),
    "text": Place("in_text", ("pdf", "xlsx", "html")),
    "link": Place("in_link", ("pdf", "xlsx", "html")),
    "title": Place("in_title", ("pdf", "xlsx", "html")),
    "header": Place("in_header", ("pdf", "xlsx", "html")),
    "footer": Place("in_footer", ("pdf", "xlsx", "html")),
    "subject": Place("in_subject", (), "the message"),
    "message": Place("in_message", (), "the message"),
    "link of the message": Place("in_message_link", (), "the message"),
    "name of a file": Place("in_name", (), "the name of a file"),
    "name of a folder": Place("in_folder", (), "the name of a file"),
}

ROWS = ("remark", "narrow", "parlour", "driver", "tank", "round")
_LIST = tuple(place.column for place in PLACES.values() if place.column not in ROWS)

JOB = """\
title: Milk of the month
data:
  milk: {file: milk.csv}
  members: {file: members.csv}
split: {rows: milk, by: farm_no}
recipients: {rows: members, key: farm_no, name: farm_name, to: email}
reports:
  statement:
    title: "Milk {{ recipient.in_title }}"
    header: "Page of {{ recipient.in_header }}"
    footer: "Foot of {{ recipient.in_footer }}"
    blocks:
      - heading: "About {{ recipient.in_heading }}"
      - facts: {Key: "{{ key }}", Note: "{{ recipient.in_fact }}"}
      - text: "Please note {{ recipient.in_text }} and [look](https://tarnvale.example/{{ recipient.in_link }})."
      - chart: {kind: bars, over: tank, series: [{value: litres, show: sum}], alt: Litres of each tank, title: Litres}
      - chart: {kind: lines, over: day, series: [{value: litres, show: sum}], by: round, alt: Litres of each round}
      - crosstab: {rows: day, columns: driver, value: litres, show: sum}
      - table:
          group: [{by: parlour, subtotals: true}]
          columns:
            - {field: day, format: d MMM}
            - {field: litres, format: "#,##0", total: sum}
            - {field: remark}
            - {field: narrow, width: 12}
  rows:
    title: "Rows"
    blocks:
      - table: {columns: [{field: day}, {field: litres}, FIELDS]}
package:
  documents:
    - {report: statement, as: pdf}
    - {report: statement, as: xlsx}
    - {report: rows, as: csv}
    - {report: statement, as: html}
  name: "{{ key }} {{ recipient.in_name }}"
messages:
  standard:
    subject: "Your milk {{ recipient.in_subject }}"
    body: |
      Good day,

      {{ recipient.in_message }}

      [Look](https://tarnvale.example/{{ recipient.in_message_link }})
deliver:
  - email: {from: "Statements <statements@tarnvale.example>"}
  - folder: {root: archive, path: "{{ recipient.in_folder }}"}
checks: {identifying: [farm_name, account, phone]}
"""

SETTINGS = """\
mail_servers:
  office: {host: 127.0.0.1, port: 9, security: none, seconds: 5}
folders:
  archive: {path: archive}
style: {organisation: Tarnvale Dairy Cooperative, locale: en_IE, currency: EUR}
"""


@dataclass(frozen=True)
class Attack:
    """One value at one place."""

    key: str
    spelling: str
    place: str
    text: str


def attacks(spellings: Mapping[str, str] = SPELLINGS) -> list[Attack]:
    pairs = [(spelling, place) for spelling in spellings for place in PLACES]
    return [Attack(f"9{at:05}1", spelling, place, spellings[spelling]) for at, (spelling, place) in enumerate(pairs)]


def files(found: list[Attack]) -> Iterator[tuple[str, str]]:
    """The workspace: name and text of each file."""
    yield "gonnet.yaml", SETTINGS
    yield "jobs/attack.yaml", JOB.replace("FIELDS", ", ".join(f"{{field: {name}}}" for name in ROWS))
    usual = dict.fromkeys((*ROWS, *_LIST), "usual")
    members = [VICTIM | usual]
    rows = [{"farm_no": VICTIM["farm_no"], "day": "2026-10-01", "litres": "12.5"} | usual]
    for attack in found:
        mine = usual | {PLACES[attack.place].column: attack.text}
        members.append(
            {"farm_no": attack.key, "farm_name": f"Byre {attack.key}", "email": f"farm{attack.key}@members.test"}
            | {"account": "", "phone": ""}
            | {name: mine[name] for name in _LIST}
        )
        for day, litres in (("2026-10-01", "11.5"), ("2026-10-02", "12.5")):
            is_second = day.endswith("2")
            cells = {name: mine[name] if is_second else "usual" for name in ROWS}
            rows.append({"farm_no": attack.key, "day": day, "litres": litres} | cells)
    yield "members.csv", _as_csv(members, [*VICTIM, *_LIST])
    yield "milk.csv", _as_csv(rows, ["farm_no", "day", "litres", *ROWS])


def _as_csv(lines: list[dict[str, str]], columns: list[str]) -> str:
    target = io.StringIO()
    writer = csv.DictWriter(target, columns, extrasaction="ignore", quoting=csv.QUOTE_ALL)
    writer.writeheader()
    writer.writerows(lines)
    return target.getvalue()


def verdicts(found: list[Attack], review: str) -> dict[tuple[str, str, str], str]:
    """Spelling, place and format → `found`, `missed` or, where it cannot be printed, `refused`.

    Args:
        found: What was tried.
        review: What `gonnet review --json` says.
    """
    reasons = {package["key"]: package["reason"] for package in json.loads(review)["packages"]}
    told: dict[tuple[str, str, str], str] = {}
    for attack in found:
        place, reason = PLACES[attack.place], reasons[attack.key]
        for form in (*place.formats, *filter(None, [place.reason])):
            is_found = "stands in" in reason and (f"the {form}" in reason or form in reason)
            refused = "refused" if "cannot be printed" in reason else "missed"
            told[attack.spelling, attack.place, form] = "found" if is_found else refused
    return told
