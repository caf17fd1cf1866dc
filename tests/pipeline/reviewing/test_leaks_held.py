"""What the leak check held is released by a person who saw it, with a reason; and nobody is written to by accident."""

from __future__ import annotations

import re
from typing import Any

import pytest

from gonnet.pipeline.reviewing.amending.amend import amend
from gonnet.pipeline.reviewing.amending.amendment import Amendment
from support import MILK, RULES, Dairy, of

LEAKS = MILK.replace("second tank", "with Hallbank").replace("388.11,", "388.11,see Hallbank and 00042")


def test_what_was_found_is_shown_with_what_stands_around_it_and_released_at_once(dairy: Dairy) -> None:
    dairy.job((RULES, "  []\n"))
    dairy.write("milk.csv", LEAKS)
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    packages: Any = {package["key"]: package for package in dairy.json("review", "1", code=3)["packages"]}
    found = packages["117"]["found_by_the_leak_check"]
    assert {(hit["value"], hit["owner"]) for hit in found} == {("Hallbank", "118"), ("00042", "00042")}
    contexts = {hit["place"]: hit["context"] for hit in found}
    assert contexts["the pdf (page 1)"] == "see Hallbank and 00042"
    assert re.fullmatch(r"cell D\d+: see Hallbank and 00042", contexts["the xlsx (sheet1)"])
    asked = dairy.gonnet("release", "1", "--leak", "Hallbank", "--why", "a brand of tank", code=2)
    assert "say --yes" in asked.stderr
    shown = dairy.gonnet(
        "release", "1", "--leak", "Hallbank", "--why", "a brand of tank", "--yes", "--into", "seen"
    ).stdout
    assert "'Hallbank', the farm_name of 118, in the pdf (page 1)" in shown
    assert "with Hallbank" in shown
    assert [path.name for path in (dairy.folder / "seen").iterdir()] == ["00042 statement page 1 (1).png"]
    states = {package["key"]: package["state"] for package in dairy.json("review", "1", code=3)["packages"]}
    assert (states["00042"], states["117"]) == ("ready", "held"), "in 117 something else was found too"
    told = dairy.gonnet("show", "1", "00042", code=3).stdout
    assert "in spite of what the leak check found ('Hallbank' of 118): a brand of tank" in told


def test_what_was_not_searched_is_told(dairy: Dairy) -> None:
    dairy.write("plan.png", b"\x89PNG")
    documents = "  documents: [{report: statement, as: pdf}, {report: statement, as: xlsx}]\n"
    with dairy.tools() as tools:
        run = dairy.prepared(tools, (documents, f"  enclose: [plan.png]\n{documents}"))
    assert "enclosure: plan.png: a picture (PNG)" in run.unsearched
    assert any(text.startswith("3 short values") for text in run.unsearched), run.unsearched
    said = dairy.gonnet("review", "1", code=3).stdout
    assert "Not searched for other people's values:\n  · enclosure: plan.png: a picture (PNG)" in said


@pytest.mark.parametrize("part", ["to", "cc", "bcc"])
def test_a_rule_that_writes_to_somebody_else_holds_and_the_list_may_say_so(dairy: Dairy, part: str) -> None:
    rule = f"  - {{name: r, when: rows = 1, {part}: zoe@members.tarnvale.example}}\n"
    with dairy.tools() as tools:
        found = dairy.by_key(tools, dairy.prepared(tools, (RULES, rule)))["118"]
        assert "writes to zoe@members.tarnvale.example, which is the address of 00042" in found.reason
        assert str(found.state) == "held"
        members = (dairy.folder / "members.csv").read_text("utf-8")
        dairy.write(
            "members.csv",
            members.replace(
                "hallbank@members.tarnvale.example,", "hallbank@members.tarnvale.example,zoe@members.tarnvale.example"
            ),
        )
        assert str(dairy.by_key(tools, dairy.prepared(tools, (RULES, rule)))["118"].state) == "ready"


def test_an_address_by_hand_that_is_somebody_elses_holds_the_package(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        (found,) = amend(run, tools, of("117"), Amendment(to="zoe@members.tarnvale.example"), "why", "maren")
    assert (str(found.state), found.to) == ("held", ("zoe@members.tarnvale.example",))
    assert "the address of 00042" in found.reason
