"""The table of attack, through the installed program: spellings × places × formats, and lists of real words."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from pathlib import Path

import pytest

import attacks
import everyday
from gonnet.jobs import load_job, load_workspace
from gonnet.ledger import State
from gonnet.pipeline.prepare import prepare
from gonnet.pipeline.survey import Request
from gonnet.pipeline.tools import open_tools
from support import AS_OF, run_gonnet


def write(folder: Path, name: str, text: str) -> None:
    place = folder / name
    place.parent.mkdir(exist_ok=True)
    place.write_text(text, "utf-8")


def reviewed(folder: Path, files: Iterable[tuple[str, str]], job: str) -> str:
    """`gonnet review --json` of a run in a workspace of these files."""
    for name, text in files:
        write(folder, name, text)
    made = run_gonnet(("prepare", job, "--as-of", "2026-11-05", "--quiet"), folder)
    assert made.returncode in (0, 3), made.stderr
    return run_gonnet(("review", "--json"), folder).stdout


def test_every_value_is_found_in_every_spelling_at_every_place_in_every_format(tmp_path: Path) -> None:
    found = attacks.attacks()
    verdicts = attacks.verdicts(found, reviewed(tmp_path, attacks.files(found), "attack"))
    assert len(verdicts) >= 2_000
    assert [attack for attack, verdict in verdicts.items() if verdict == "missed"] == []
    assert Counter(verdicts.values())["refused"] <= 100, "characters that no face has"


def test_what_only_looks_like_a_value_holds_nobody(tmp_path: Path) -> None:
    found = attacks.attacks(attacks.INNOCENT)
    verdicts = attacks.verdicts(found, reviewed(tmp_path, attacks.files(found), "attack"))
    assert len(verdicts) >= 400
    assert [attack for attack, verdict in verdicts.items() if verdict != "missed"] == []


@pytest.mark.parametrize(
    ("called", "are_names"),
    [
        (called, are_names)
        for called in everyday.LISTS
        for are_names in (False, True)
        if called != "numbers" or not are_names
    ],
)
def test_real_words_hold_nobody_but_who_has_somebody_elses(tmp_path: Path, called: str, are_names: bool) -> None:
    """The first recipient has the name of the fourth in a remark, as a sentence would have it: the others are ready."""
    words = everyday.LISTS[called]
    planted = (
        f"see {'' if are_names else 'farm '}{words[3]} there" if called != "numbers" or not are_names else words[3]
    )
    for name, text in [("gonnet.yaml", attacks.SETTINGS), *everyday.files(words, planted, are_names=are_names)]:
        write(tmp_path, name, text)
    workspace = load_workspace(tmp_path)
    with open_tools(workspace, 1) as tools:
        run = prepare(load_job(workspace, "lively"), tools, Request(as_of=AS_OF, asked={}))
        packages = tools.ledger.packages(run.id)
    first = "K00000" if are_names else words[0]
    assert [package.key for package in packages if package.state is State.HELD] == [first]
    assert len(packages) == len(words)
