"""A run of many recipients: its plans are made again each time they are gone through, and everything is as with few."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner

from gonnet.cli.keys import keys
from gonnet.pipeline.check import check
from gonnet.pipeline.preview import preview
from gonnet.pipeline.survey import Request
from gonnet.pipeline.surveying import plans, portions
from support import AS_OF, Dairy

KEYS = [f"{number:03}" for number in range(40)]


CHANGES = (("litres > 5000", "litres > 36"), ('name: "{{ key }} statement"', "name: statement"))


@pytest.fixture
def many(dairy: Dairy) -> Dairy:
    rows = "".join(f"{key},2026-10-01,1,2.10,\n{key},2026-10-02,{int(key)},3.00,\n" for key in KEYS)
    dairy.write("milk.csv", f"farm_no,day,litres,amount,remark\n{rows}")
    people = "".join(f"{key},Farm {key},f{key}@members.tarnvale.example,\n" for key in KEYS[3:])
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


def test_it_is_as_with_few(many: Dairy, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    few = seen(many, tmp_path / "few")
    assert "Page 2 of 6" in few["keys"]
    monkeypatch.setattr(plans, "_KEPT", 3)
    monkeypatch.setattr(portions, "_MANY", 7)
    assert seen(many, tmp_path / "more") == few
    names = [name for _, _, _, documents in few["made"] for name, _ in documents]
    assert len(names) == len(set(names)) == 2 * len(KEYS[3:]), "each file has a name of its own"
