"""YAML 1.2 as another program reads it, with the place of every part."""

from __future__ import annotations

import datetime as dt
import math
from decimal import Decimal
from pathlib import Path

import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from ruamel.yaml import YAML

import gonnet
from gonnet.errors import JobError
from gonnet.jobs.yaml_tree import meant_by, parsed

SHOWN = Path("jobs/x.yaml")
FILES = sorted(Path(gonnet.__file__).parent.glob("demo/workspace/**/*.yaml"))
WORDS = [
    "yes",
    "No",
    "on",
    "~",
    "null",
    "true",
    "TRUE",
    "tRUE",
    "0x1F",
    "0o17",
    "012",
    "1e3",
    "-.5",
    "5.",
    ".",
    "+",
    "1:30",
    "2026-11-05",
]


def plain(value: object) -> object:
    """A value of the other program in the kinds that are used here."""
    if isinstance(value, dict):
        return {name: plain(part) for name, part in value.items()}
    if isinstance(value, list):
        return [plain(part) for part in value]
    return Decimal(str(value)) if isinstance(value, float) and math.isfinite(value) else value


def others(text: str) -> object:
    return plain(YAML(typ="safe", pure=True).load(text))


@pytest.mark.parametrize("path", FILES, ids=lambda path: path.name)
def test_a_file_says_what_it_says_to_another_program(path: Path) -> None:
    text = path.read_text("utf-8")
    assert parsed(text, SHOWN)[0] == others(text)


@given(st.one_of(st.sampled_from(WORDS), st.text("0123456789.+-eE", min_size=1, max_size=7)))
@example("2026-02-30")
@example("1e400")
def test_a_text_without_quotes_means_what_it_means_to_another_program(text: str) -> None:
    try:
        wanted = others(f"a: {text}\n")
    except Exception:  # noqa: BLE001  what it makes of a day that does not exist, or of a lone sign of a list
        return
    if isinstance(wanted, dict) and isinstance(wanted["a"], int | Decimal | str | bool | None | dt.date):
        found = parsed(f"a: {text}\n", SHOWN)[0]
        assert found == wanted, text
        assert meant_by(text) == wanted["a"]


def test_every_part_has_its_place_and_what_is_merged_in_that_where_it_comes_to() -> None:
    text = "base: &b {x: 1, y: [é, 2]}\nmine:\n  <<: [*b]\n  x: 'yes'\nlist:\n- [a]\n- {b: }\n"
    tree, positions = parsed(text, SHOWN)
    assert tree == {
        "base": {"x": 1, "y": ["é", 2]}, "mine": {"x": "yes", "y": ["é", 2]}, "list": [["a"], {"b": None}],
    }  # fmt: skip
    assert positions.values["base", "y", 1] == (1, 24)
    assert (positions.keys["mine", "x"], positions.values["mine", "x"]) == ((4, 3), (4, 6))
    assert positions.values["mine", "y"] == positions.keys["mine", "y"] == (3, 3)
    assert (positions.values["list", 1], positions.keys["list", 1, "b"]) == ((7, 3), (7, 4))


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("a: 1\nb: {c: 1, 'c': 2}\n", 'jobs/x.yaml:2:11: duplicate key "c"'),
        ("a: [1\n", "jobs/x.yaml:2:1: this is not YAML: did not find expected"),
        ("a: !!int 3\n", "jobs/x.yaml:1:4: the tag `!!int` means nothing here"),
        ("a: !x 3\n", "jobs/x.yaml:1:4: the tag `!x` means nothing here"),
        ("? [a]\n: 1\n", "jobs/x.yaml:1:3: a group or a list cannot be a name here"),
        ("<<: 3\n", "jobs/x.yaml:1:5: `<<` merges groups"),
        ("a: &a [*a]\n", "jobs/x.yaml:1:4: this file is too large or too deeply nested"),
        ("a: \x01\n", "this is not YAML"),
    ],
)
def test_what_is_wrong_is_told_with_its_place(text: str, says: str) -> None:
    with pytest.raises(JobError) as caught:
        parsed(text, SHOWN)
    assert says in str(caught.value)
