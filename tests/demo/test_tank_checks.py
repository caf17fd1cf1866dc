"""The demo's ten farms with six ways: told right in the review, the question, `show`, what is written back, the past."""

from __future__ import annotations

import sqlite3
from collections import Counter
from pathlib import Path
from typing import Any

import pytest

from gonnet.demo.workspace_files import write_workspace
from gonnet.ledger.past import Sent
from gonnet.pipeline.tools import Tools
from scripted_smtp import Script, serving
from support import Dairy

CAME = {
    "B101": "sent", "00301": "sent", "00153": "sent", "00079": "sent", "00375": "sent",
    "00116": "printed", "00264": "printed", "B105": "filed", "B109": "filed", "00227": "drafted",
}  # fmt: skip
WAYS = {
    "B101": "mail", "00301": "mail", "00153": "shelf; mail", "00079": "sheet", "00375": "exchange; sheet",
    "00116": "by_post", "00264": "by_post", "B105": "exchange", "B109": "shelf", "00227": "to_sign",
}  # fmt: skip
FILES = {
    "mail": {"pdf"}, "shelf": {"pdf"}, "shelf; mail": {"pdf"}, "sheet": {"xlsx"}, "exchange; sheet": {"csv", "xlsx"},
    "by_post": {"pdf"}, "exchange": {"csv"}, "to_sign": {"pdf"},
}  # fmt: skip


@pytest.fixture(scope="module")
def checks(tmp_path_factory: pytest.TempPathFactory) -> Dairy:
    """The demo, prepared and sent, with a database that is told of it."""
    folder = tmp_path_factory.mktemp("demo") / "tarnvale"
    dairy = Dairy(folder, write_workspace(folder))
    settings, job = folder / "gonnet.yaml", folder / "jobs/tank_checks.yaml"
    settings.write_text(settings.read_text("utf-8") + "databases:\n  pool: {url: 'sqlite:///pool.db'}\n", "utf-8")
    told = "write_back: {database: pool, sql: 'insert into told values ($key, $state, $way, $files)'}\n"
    job.write_text(job.read_text("utf-8") + told, "utf-8")
    with sqlite3.connect(folder / "pool.db") as pool:
        pool.execute("create table told (key, state, way, files)")
    dairy.gonnet("prepare", "tank_checks")
    return dairy


@pytest.fixture(scope="module")
def sent(checks: Dairy) -> Dairy:
    with serving(Script(), checks.port):
        checks.gonnet("send", "last", "--yes")
    return checks


def test_the_review_and_the_question_say_by_which_way(checks: Dairy) -> None:
    listed = checks.gonnet("review", "last", env={"COLUMNS": "170"}).stdout
    for key, way in WAYS.items():
        line = next(line for line in listed.splitlines() if f" {key} " in line)
        assert f" {way.replace('; ', ', ')} " in line
    asked = checks.gonnet("send", "last", code=2).stdout
    assert "5 messages to 5 addresses" in asked
    assert "2 PDFs to printer office; 4 files into folder archive; 1 draft into folder archive" in asked
    for said in (
        "00116  Łąka Górna  →  printer office  [pdf]",
        "00227  Ewe Close  →  a draft in folder archive  [eml]",
    ):
        assert said in asked


def test_what_came_of_each_is_told_apart_everywhere(sent: Dairy) -> None:
    assert {one["key"]: one["came_to"] for one in sent.json("show", "last")["packages"]} == CAME
    told = "5 sent, 2 printed, 2 filed, 1 drafted"
    for words in (("runs",), ("show", "last"), ("review", "last")):
        assert told in sent.gonnet(*words).stdout
    with sqlite3.connect(sent.folder / "pool.db") as pool:
        back: list[Any] = list(pool.execute("select * from told"))
    assert {key: (state, way) for key, state, way, _ in back} == {key: (CAME[key], WAYS[key]) for key in CAME}
    assert all({Path(name).suffix[1:] for name in files.split("; ")} == FILES[way] for _, _, way, files in back)


def past_of(tools: Tools) -> dict[str, Sent]:
    found: dict[str, Sent] = {}
    tools.ledger.see_past("tank_checks", found.__setitem__)
    return found


def test_a_draft_alone_is_no_letter_for_the_past(sent: Dairy) -> None:
    with sent.tools() as tools:
        assert sorted(past_of(tools)) == sorted(key.casefold() for key in CAME if key != "00227")
    sent.gonnet("settle", "last", "00227", "--sent", "--yes")
    with sent.tools() as tools:
        assert "00227" in past_of(tools)
        run = tools.ledger.run("last")
    assert Counter(run.came) == {"sent": 6, "printed": 2, "filed": 2}
