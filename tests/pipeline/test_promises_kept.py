"""Promises that a change by hand could break without anybody noticing: each breaks a test here."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal
from typing import Any

import pytest

from gonnet.errors import RunError
from gonnet.pipeline.making import batches
from gonnet.pipeline.making.produce import Made
from gonnet.pipeline.reviewing.amending.amend import amend
from gonnet.pipeline.reviewing.amending.amendment import Amendment
from support import MEMBERS, MILK, RULES, Dairy, of

BOTH_RECORDS = "always"

BUNDLED = (
    ("key: farm_no, name: farm_name, to: email, cc: adviser", "key: farm_no, to: adviser, bundle: {as: whole}"),
    ("{name: idle,", "{name: idle, for: bundles,"),
    ("{name: a lot,", "{name: a lot, for: bundles,"),
    ('title: "Statement of {{ recipient.farm_name }}"', "title: Statement"),
    ('subject: "Statement of {{ recipient.farm_name }}"', "subject: Milk"),
    ("Dear {{ recipient.farm_name }}", "Hello"),
)


def held(dairy: Dairy, *changes: tuple[str, str]) -> dict[str, str]:
    with dairy.tools() as tools:
        found = dairy.by_key(tools, dairy.prepared(tools, *changes))
        return {key: package.reason for key, package in found.items() if str(package.state) == "held"}


def test_list_members_without_rows_are_watched_for(dairy: Dairy) -> None:
    dairy.write("milk.csv", MILK.replace("2026-10-02,790,388.11,", "2026-10-02,790,388.11,from Idle Acres"))
    assert "'Idle Acres', the farm_name of 119" in held(dairy)["117"]


def test_who_is_left_out_of_the_list_is_watched_for_and_so_are_shared_addresses(dairy: Dairy) -> None:
    chosen = ("{rows: members, key: farm_no,", "{rows: members, where: \"farm_no <> '118'\", key: farm_no,")
    milk = MILK.replace("second tank", "from Hallbank").replace("388.11,", "388.11,ask zoe@members.tarnvale.example")
    dairy.write("milk.csv", milk.replace("3136.00,", "3136.00,00042"))
    dairy.write("members.csv", MEMBERS + "120,Second,zoe@members.tarnvale.example,\n")
    found = held(dairy, chosen, (RULES, "  []\n"))
    assert "'Hallbank', the farm_name of 118" in found["00042"]
    assert "'zoe@members.tarnvale.example', the address of 00042 and 120" in found["117"]


def test_header_lines_of_ones_own_are_searched(dairy: Dairy) -> None:
    noted = MEMBERS.replace("\n", ",see Zoë's Dairy\n").replace("adviser,see Zoë's Dairy", "adviser,note", 1)
    dairy.write("members.csv", noted)
    found = held(dairy, ("    body: |\n", '    headers: {X-Farm: "{{ recipient.note }}"}\n    body: |\n'))
    assert "'Zoë's Dairy', the farm_name of 00042" in found["117"]
    assert "00042" not in found, "it is their own"


def test_an_enclosure_that_is_put_in_by_hand_is_searched(dairy: Dairy) -> None:
    note = dairy.write("note.txt", "Compare with Zoë's Dairy")
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        before = dairy.by_key(tools, run)["117"]
        with pytest.raises(RunError, match="this names somebody else: 'Zoë's Dairy'"):
            amend(run, tools, of("117"), Amendment(enclose=(note,)), "why", "maren")
        assert dairy.by_key(tools, run)["117"] == before


def test_otherwise_is_for_those_for_whom_no_rule_above_held_whichever_it_was(dairy: Dairy) -> None:
    rules = (
        "  - {name: small, when: litres < 2000, important: true}\n"
        "  - {name: large, when: litres > 5000, important: true}\n"
        "  - {name: rest, otherwise: true, hold: in between}\n"
    )
    assert held(dairy, (RULES, rules)) == {"00042": "in between"}


def test_a_rule_that_is_unknown_does_not_hold(dairy: Dairy) -> None:
    dairy.write("members.csv", MEMBERS)
    unknown = ("when: litres > 5000", "when: 'nullif(litres, litres) > 5000'")
    assert held(dairy, unknown) == {}


@pytest.mark.parametrize("what", ["rows", "sums"])
def test_a_package_that_does_not_show_what_was_read_aborts_the_run(
    dairy: Dairy, monkeypatch: pytest.MonkeyPatch, what: str
) -> None:
    real = batches.make

    def wrong(*parts: Any) -> Any:  # noqa: ANN401
        for plan, made in real(*parts):
            yield plan, _changed(made, what) if plan.key in ("117", "ines@tarnvale.example") and made else made

    monkeypatch.setattr(batches, "make", wrong)
    with dairy.tools() as tools:
        for changes, said in (((), "do not add up to the whole"), (BUNDLED, "the bundle for ines@tarnvale.example")):
            with pytest.raises(RunError, match=said):
                dairy.prepared(tools, *changes)
            assert str(tools.ledger.run("last").state) == "aborted"


def _changed(made: Made, what: str) -> Made:
    if what == "rows":
        return replace(made, rows={view: count + 1 for view, count in made.rows.items()})
    return replace(made, sums={place: total + Decimal("0.01") for place, total in made.sums.items()})
