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
