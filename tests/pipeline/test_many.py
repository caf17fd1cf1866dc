"""A run of many recipients: its plans are made again each time they are gone through, and everything is as with few."""

from __future__ import annotations

import json
import re
import shutil
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner

from gonnet.checks import values
from gonnet.cli import gonnet
from gonnet.cli.keys import keys
from gonnet.ledger import book, reading
from gonnet.pipeline.check import check
from gonnet.pipeline.making import row_account
from gonnet.pipeline.preview import preview
from gonnet.pipeline.reviewing import sampling
from gonnet.pipeline.survey import Request
from gonnet.pipeline.surveying import plans, portions
from gonnet.rules import context
from support import AS_OF, Dairy

KEYS = [f"{number:03}" for number in range(40)]


# In most portions nobody has an adviser: of what type the column is, one of them alone does not know.
CHANGES = (
    ("litres > 5000", "litres > 36 or recipient.adviser like 'ada@%'"),
    ('name: "{{ key }} statement"', "name: statement"),
)


@pytest.fixture
def many(dairy: Dairy) -> Dairy:
    rows = "".join(f"{key},2026-10-01,1,2.10,\n{key},2026-10-02,{int(key)},3.00,\n" for key in KEYS)
    # What names somebody is found in the files of others, however far apart the two are.
    rows = rows.replace("005,2026-10-01,1,2.10,", "005,2026-10-01,1,2.10,for Farm 033")
    dairy.write("milk.csv", f"farm_no,day,litres,amount,remark\n{rows}")
    people = "".join(f"{key},Farm {key},f{key}@members.tarnvale.example,\n" for key in KEYS[3:])
    people = people.replace("f030@members.tarnvale.example,", "f030@members.tarnvale.example,ada@tarnvale.example")
    dairy.write("members.csv", "farm_no,farm_name,email,adviser\n" + people)
    return dairy


def seen(many: Dairy, into: Path) -> dict[str, Any]:
    """All that commands say of a run."""
    words = ["statements", "--workspace", str(many.folder), "--lines", "7", "--page", "2"]
    with many.tools() as tools:
        request = Request(as_of=AS_OF, asked={})
        checked = check(many.job(*CHANGES), tools, request)
        run = many.prepared(tools, *CHANGES)
        packages = tools.ledger.packages(run.id)
        return {
            "check": (checked.findings, checked.survey.plans.states, [plan.key for plan in checked.held]),
            "preview": [(one.key, one.why) for one in preview(many.job(*CHANGES), tools, request, None, None, into)],
            "made": [(p.key, p.state, p.reason, [(d.name, d.sha256) for d in p.documents]) for p in packages],
            "account": run.account,
            "keys": CliRunner().invoke(keys, words).output,
        }


def handed_over(many: Dairy) -> dict[str, str]:
    """All that commands say of a run while it is looked at, decided and sent, and of the next one."""
    said = {}
    for words in (
        "prepare statements --as-of 2026-11-05",
        "review 1 --lines 7 --page 2",
        "review 1 --sort litres --reverse --lines 5",
        "review 1 --state held --find 001 --json",
        "hold 1 020 021 --why late",
        "send 1 --yes --only 003..010",
        "send 1 --yes",
        "show 1 --lines 9 --page 2",
        "prepare statements --as-of 2026-12-05",
        "review 2 --sort change --lines 6",
        "send 2 --yes --only 00*",
        "send 2 --yes --again",
        "verify",
    ):
        if "12-05" in words:  # somebody new, somebody gone, another address, and a figure that moved
            milk, people = ((many.folder / name).read_text("utf-8") for name in ("milk.csv", "members.csv"))
            many.write("milk.csv", milk.replace("\n039,", "\n0395,").replace("012,2026-10-02,12", "012,2026-10-02,99"))
            many.write("members.csv", people.replace("039,", "0395,").replace("f011@", "office@"))
        name, *more = words.split()
        place = [*more, "--workspace", str(many.folder)]
        found = CliRunner().invoke(gonnet, [name, *place])
        assert found.exception is None or isinstance(found.exception, SystemExit), (words, found.exception)
        output = found.output
        said[words] = re.sub(r"\d+:\d+(:\d+)?|in [\d.]+ s|[\d.]+ s\b|[0-9a-f]{16,}|\d{4}-\d\d-\d\dT[^\"]*", "…", output)
    return said


def test_it_is_as_with_few(many: Dairy, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    few = seen(many, tmp_path / "few")
    assert "Page 2 of 6" in few["keys"]
    (leak,) = [reason for key, _, reason, _ in few["made"] if key == "005"]
    assert "'Farm 033'" in leak, leak
    monkeypatch.setattr(values, "_FEW", -1)
    monkeypatch.setattr(plans, "_KEPT", 3)
    monkeypatch.setattr(portions, "_WHOLE", 7)
    monkeypatch.setattr(portions, "_MANY", 7)
    monkeypatch.setattr(row_account, "_TOGETHER", 4)
    monkeypatch.setattr(row_account, "_ADDED_UP", 9)
    monkeypatch.setattr(context, "_TOGETHER", 9)
    assert seen(many, tmp_path / "more") == few
    names = [name for _, _, _, documents in few["made"] for name, _ in documents]
    assert len(names) == len(set(names)) == 2 * len(KEYS[3:]), "each file has a name of its own"


def test_it_is_handed_over_as_with_few(
    many: Dairy, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, serve: Callable[..., Any]
) -> None:
    serve(many)
    other = replace(many, folder=tmp_path / "other")
    shutil.copytree(many.folder, other.folder)
    few, arrived = handed_over(many), many.mail()
    monkeypatch.setattr(book, "_MANY", 5)
    monkeypatch.setattr(reading, "AT_ONCE", 2)
    assert "1 new; 1 gone (039 Farm 039); 1 with another address; 1 wi" in (
        compared := few["review 2 --sort change --lines 6"]
    ), compared
    assert handed_over(other) == few
    assert many.mail() == 2 * arrived


def test_the_page_of_a_very_large_run_has_what_is_striking_and_some_of_each_kind(
    many: Dairy, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(book, "_MANY", 5)
    monkeypatch.setattr(sampling, "MOST", 30)
    many.write("members.csv", (many.folder / "members.csv").read_text("utf-8").replace("f039@", "f038@"))
    for words in ("prepare statements", "skip 1 030 --why left", f"review 1 --html {tmp_path / 'page'}"):
        CliRunner().invoke(gonnet, [*words.split(), "--workspace", str(many.folder)])
    page = (tmp_path / "page").read_text("utf-8")
    shown = json.loads(page.partition('id="data">')[2].partition("</script>")[0])
    odd, ready = ["038", "039"], [f"{number:03}" for number in range(3, 24) if number != 5]
    assert [one["key"] for one in shown] == ["000", "001", "002", "005", *odd, *ready, "030"]
    assert "27 of 40 packages are on this page: all of the 6 that need a decision" in page
