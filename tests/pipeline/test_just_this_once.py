"""Keys by pattern, range, file and condition; another format, language or paper for one run alone."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import openpyxl
import pypdfium2
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gonnet.errors import DataError
from gonnet.pipeline.surveying.picking import picked
from support import Dairy

KEYS = ["00042", "117", "118", "119", "P*1", "@a", "a..b"]


@pytest.mark.parametrize(
    ("wanted", "found"),
    [
        (["117"], ["117"]),
        (["11*"], ["117", "118", "119"]),
        (["11[78]", "0*"], ["00042", "117", "118"]),
        (["117..118"], ["117", "118"]),
        (["118..2"], ["118", "119"]),
        (["P*1"], ["P*1"]),
        (["@a", "a..b"], ["@a", "a..b"]),
        (["12*"], "no key is like '12*'"),
        (["120..121"], "no key is between '120' and '121'"),
        (["1177"], "there is no key '1177' in this run"),
        (["@nothing.txt"], "the list of keys nothing.txt cannot be read"),
    ],
)
def test_keys_are_chosen_by_name_pattern_and_range(wanted: list[str], found: list[str] | str) -> None:
    if isinstance(found, list):
        assert picked(wanted, KEYS) == found
        return
    with pytest.raises(DataError) as caught:
        picked(wanted, KEYS)
    assert found in str(caught.value)


@given(st.lists(st.text(min_size=1), min_size=1, unique=True))
def test_a_key_that_is_there_means_itself_whatever_it_looks_like(keys: list[str]) -> None:
    assert picked(keys[:1], sorted(keys)) == keys[:1]


def chosen(dairy: Dairy, *only: str) -> list[str]:
    words = [word for part in only for word in ("--only", part)]
    return [part["key"] for part in dairy.json("prepare", "statements", *words, code=None)["packages"]]


def test_only_takes_patterns_ranges_files_and_conditions(dairy: Dairy, serve: Callable[..., Any]) -> None:
    dairy.write("keys.txt", "118\n\n 119 \n")
    assert chosen(dairy, "11*") == ["117", "118", "119"]
    assert chosen(dairy, "117..118") == ["117", "118"]
    assert chosen(dairy, "@keys.txt") == ["118", "119"]
    assert chosen(dairy, "where payable > 1000") == ["00042", "118"]
    assert chosen(dairy, "where recipient.adviser is null and rows > 0", "117") == ["117", "118"]
    assert (
        "nobody is as `where payable > 10000` says"
        in dairy.gonnet("keys", "statements", "--only", "where payable > 10000", code=2).stderr
    )
    assert "--only: " in dairy.gonnet("keys", "statements", "--only", "where paid > 1", code=2).stderr
    dairy.gonnet("prepare", "statements", code=3)
    assert len(dairy.json("review", "last", "--only", "11?", code=3)["packages"]) == 3
    serve(dairy)
    dairy.gonnet("send", "last", "--only", "0*", "--yes", code=0)
    assert dairy.mail() == ["zoe@members.tarnvale.example", "ines@tarnvale.example"]
    said = dairy.gonnet("send", "last", "--only", "where rows > 1", "--yes", code=2).stderr
    assert "a condition chooses keys of a job, not of a run" in said


def test_another_format_language_and_paper_for_one_run(dairy: Dairy) -> None:
    only_format = "rules:\n  - {name: as they like it, when: rows > 0, as: xlsx}\n"
    dairy.job(("rules:\n", only_format))
    found = dairy.json("prepare", "statements", "--as", "csv", "--only", "117")
    assert [part["name"] for part in found["packages"][0]["documents"]] == ["117 statement.csv"]
    assert "just this once: every document as csv" in str(found["findings"])
    dairy.gonnet("prepare", "statements", "--as", "pdf", "--paper", "A5", "--landscape", "--only", "117")
    dairy.gonnet("review", "--into", "look")
    with pypdfium2.PdfDocument(dairy.folder / "look" / "117 statement.pdf") as paper:
        width, height = paper[0].get_size()
    assert (round(width), round(height)) == (595, 420)
    dairy.gonnet("prepare", "statements", "--as", "xlsx", "--language", "de", "--only", "117")
    dairy.gonnet("review", "--into", "german")
    sheet = openpyxl.load_workbook(dairy.folder / "german" / "117 statement.xlsx").active
    assert sheet is not None
    assert any("780,51" in str(cell.value) for row in sheet for cell in row)
    dairy.job()
    assert [
        part["name"] for part in dairy.json("prepare", "statements", "--only", "117")["packages"][0]["documents"]
    ] == ["117 statement.pdf", "117 statement.xlsx"]


@pytest.mark.parametrize(
    ("changes", "words", "says"),
    [
        ([("{report: statement, as: pdf}", "{report: statement, as: pdf, password: {open: '{{ key }}'}}")], ["--as", "csv"], "a document `as: csv` cannot have a password"),
        ([], ["--language", "nowhere"], "'nowhere' is not a language"),
        ([], ["--as", "doc"], "is not one of"),
    ],
)  # fmt: skip
def test_what_cannot_be_once_is_told(dairy: Dairy, changes: list[tuple[str, str]], words: list[str], says: str) -> None:
    dairy.job(*changes)
    assert says in dairy.gonnet("prepare", "statements", *words, code=2).stderr
