"""A shell completes jobs, runs, keys with their names, data sets and parameters, and quickly."""

from __future__ import annotations

import os

import pytest

from support import Dairy

CHOICE = "parameters: {size: {kind: choice, of: [small, large], default: small}}\ndata:\n"


def offered(dairy: Dairy, *words: str) -> dict[str, str]:
    """What is offered for the last of the words, each with what explains it."""
    said = {
        "COMP_WORDS": " ".join(("gonnet", *words)),
        "COMP_CWORD": str(len(words)),
        "_GONNET_COMPLETE": "zsh_complete",
    }
    lines = dairy.gonnet(env={**os.environ, **said}).stdout.splitlines()
    return {lines[at + 1]: lines[at + 2] for at in range(0, len(lines) - 2, 3)}


@pytest.fixture
def prepared(dairy: Dairy) -> Dairy:
    dairy.job(("data:\n", CHOICE))
    dairy.job(name="other")
    dairy.gonnet("prepare", "statements", code=3)
    return dairy


@pytest.mark.parametrize(
    ("words", "found"),
    [
        (("check", ""), {"other": "Milk statements", "statements": "Milk statements"}),
        (("check", "st"), {"statements": "Milk statements"}),
        (("show", "1", "11"), {"117": "Łąka Górna", "118": "Hallbank", "119": "Idle Acres"}),
        (("show", "statements", "000"), {"00042": "Zoë's Dairy"}),
        (("amend", "last", "118"), {"118": "Hallbank"}),
        (("review", "last", "--only", "0"), {"00042": "Zoë's Dairy"}),
        (("rows", "statements", "me"), {"members": "_"}),
        (("prepare", "statements", "--set", ""), {"size=": "_"}),
        (("prepare", "statements", "--set", "size=l"), {"size=large": "_"}),
        (("show", "other", "1"), {}),
        (("send", "l"), {"last": "the newest run"}),
        (("runs", "--state", "hel"), {"held": "_"}),
    ],
)
def test_what_is_typed_is_completed(prepared: Dairy, words: tuple[str, ...], found: dict[str, str]) -> None:
    assert offered(prepared, *words) == found


def test_where_there_is_nothing_to_see_nothing_is_offered(dairy: Dairy) -> None:
    dairy.write("jobs/broken.yaml", "title: x\nparameters: {a: [\n")
    assert offered(dairy, "show", "1", "") == {}
    assert offered(dairy, "prepare", "broken", "--set", "") == {}
    assert "broken" in offered(dairy, "prepare", "")
