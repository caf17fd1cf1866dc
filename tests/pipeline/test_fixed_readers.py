"""A report over all rows for fixed readers: no split, no list, no `*`."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from support import MILK, Dairy

BOSS = """\
title: Collections
data:
  milk: {file: milk.csv}
recipients: ["Director <director@tarnvale.example>", board@tarnvale.example]
figures: {litres: sum(litres)}
reports:
  whole:
    title: All collections
    blocks: [{table: {columns: [{field: farm_no}, {field: litres, total: sum}]}}]
package: {documents: [{report: whole, as: xlsx}], name: collections}
messages: {standard: {subject: "{{ figures.litres }} l", body: "Dear {{ recipient.name }}, see the workbook."}}
deliver: [{email: {from: statements@tarnvale.example}}]
"""


def test_they_get_every_row_those_without_a_key_too(dairy: Dairy, serve: Callable[..., Any]) -> None:
    dairy.write("milk.csv", MILK + ",2026-10-03,20,9.80,\n")
    dairy.write("jobs/boss.yaml", BOSS)
    found = dairy.json("prepare", "boss")
    assert found["rows"]["delivered"] == found["rows"]["read"] == 6
    (package,) = found["packages"]
    assert (package["key"], package["state"]) == ("all", "ready")
    assert found["findings"] == []
    serve(dairy)
    dairy.gonnet("send", "last", "--yes")
    assert dairy.mail() == ["director@tarnvale.example", "board@tarnvale.example"]
    assert "Dear Director" in dairy.gonnet("mailbox", "show", "1").stdout
    assert dairy.json("rows", "boss", "--key", "all")["rows"] == 6


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ("recipients", "split: {rows: milk, by: farm_no}\nrecipients", "boss.yaml:5:14: addresses alone are for a report over all rows"),
        ('["Director <director@tarnvale.example>", board@tarnvale.example]', "{rows: milk, key: farm_no, to: remark}", "boss.yaml:4:13: a list of recipients needs a column that says whose row it is"),
        ("  milk: {file: milk.csv}\n", "  milk: {file: milk.csv}\n  members: {file: members.csv}\n", "'split' is missing here"),
        ("board@tarnvale.example", "nobody", "nobody"),
    ],
)  # fmt: skip
def test_what_does_not_go_together_is_told(dairy: Dairy, old: str, new: str, says: str) -> None:
    dairy.write("jobs/boss.yaml", BOSS.replace(old, new, 1))
    found = dairy.gonnet("check", "boss", code=None)
    assert found.returncode in (2, 3)
    assert says in found.stderr + found.stdout


ALONE = """\
title: A word to each
data: {milk: {file: milk.csv}, members: {file: members.csv}}
split: {rows: milk, by: farm_no}
recipients: {rows: members, key: farm_no, name: farm_name, to: email}
figures: {litres: "coalesce(sum(litres), 0)"}
rules: [{name: nothing, when: rows = 0, skip: no milk}]
package: {documents: []}
messages: {standard: {subject: "{{ figures.litres | number }} litres", body: "Dear {{ recipient.farm_name }}, we have collected {{ figures.litres | number }} litres."}}
deliver: [{email: {from: statements@tarnvale.example}}]
"""


def test_a_message_needs_no_document(dairy: Dairy, serve: Callable[..., Any]) -> None:
    dairy.write("jobs/alone.yaml", ALONE)
    assert dairy.json("check", "alone", code=None)["states"] == {"ready": 3, "skipped": 1}
    found = dairy.json("prepare", "alone")
    assert [(part["key"], part["state"], part["documents"]) for part in found["packages"]] == [
        ("00042", "ready", []), ("117", "ready", []), ("118", "ready", []), ("119", "skipped", []),
    ]  # fmt: skip
    assert len(dairy.json("prepare", "alone", "--extra", "--language", "de", "--landscape")["packages"]) == 4
    assert "2,380 litres" in dairy.gonnet("show", "1", "00042").stdout
    dairy.gonnet("hold", "1", "118", "--why", "later")
    dairy.gonnet("release", "1", "118", "--why", "now", "--yes")
    serve(dairy)
    dairy.gonnet("send", "1", "--yes", code=None)
    assert len(dairy.mail()) == 3
    shown = dairy.gonnet("mailbox", "show", "1").stdout
    assert "we have collected 2,380 litres" in shown


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ("messages: {standard", "phrases: {standard", ""),
        ("package: {documents: []}", "package: {documents: [{report: none, as: pdf}]}", "there is no report 'none'"),
        ("{{ recipient.farm_name }}", "{{ recipient.farm }}", "has no field 'farm'"),
        (
            "email: {from: statements@tarnvale.example}",
            "folder: {path: x}",
            "folders and printers get documents, and this job has none",
        ),
    ],
)
def test_what_a_message_alone_lacks_is_told(dairy: Dairy, old: str, new: str, says: str) -> None:
    text = ALONE.replace(old, new, 1)
    if not says:
        text = "\n".join(line for line in ALONE.splitlines() if not line.startswith(("messages", "deliver")))
        says = "this job makes nothing: no document, no message"
    dairy.write("jobs/alone.yaml", text + "\n")
    assert says in dairy.gonnet("check", "alone", code=2).stderr
