"""What a spreadsheet would run stays text, numbers stay numbers; links into scripts are known however they are written."""

from __future__ import annotations

import csv
import io

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gonnet.wording.harmless import as_cell, is_script


@pytest.mark.parametrize(
    ("text", "cell"),
    [
        ("=1+1", "'=1+1"), ("+cmd", "'+cmd"), ("-x", "'-x"), ("@sum", "'@sum"), ("＝1", "'＝1"), ("＠x", "'＠x"),
        (" =1", " '=1"), ("\u00a0=1", "\u00a0'=1"), ("\tx", "'\tx"), ("\rx", "'\rx"), ("\nx", "'\nx"), ('"=1', "\"'=1"),
        ("a;=1", "a;'=1"), ("a, =1", "a, '=1"), ("a|@x", "a|'@x"), (";-1", ";'-1"), ('""=1', "\"\"'=1"), ("1, -5", "1, '-5"), ("a\n-5", "a\n'-5"), ("a\n=1", "a\n'=1"), ("-5 cows", "'-5 cows"), ("-1;", "'-1;"), ("a,-1;b", "a,'-1;b"), ("a\r\n-5\r\nb", "a\r\n-5\r\nb"),
        ("-5", "-5"), ("+3,20", "+3,20"), ("a, -5, b", "a, -5, b"), ("a = b", "a = b"), ("me@x.example", "me@x.example"), ("", ""),
    ],
)  # fmt: skip
def test_a_cell(text: str, cell: str) -> None:
    assert as_cell(text) == cell


@given(
    st.text(st.sampled_from("=+-@＝ \t;,|\"'a1.\n"), max_size=12), st.sampled_from(",;\t|"), st.sampled_from(",;\t|")
)
def test_no_cell_begins_with_a_formula_at_whatever_sign_lines_are_parted(text: str, mine: str, theirs: str) -> None:
    line = io.StringIO(newline="")
    csv.writer(line, delimiter=mine).writerow(["117", as_cell(text), "end"])
    for row in csv.reader(io.StringIO(line.getvalue(), newline=""), delimiter=theirs):
        for cell in row:
            sign = cell.lstrip(' "')[:1]
            number = cell.strip().replace(",", ".")
            is_number = number.lstrip("+-").replace(".", "", 1).isdecimal()
            assert not sign or sign not in "=+-@＝" or is_number, (line.getvalue(), row)


@pytest.mark.parametrize(
    ("target", "is_one"),
    [
        ("javascript:alert(1)", True), ("JavaScript:x", True), (" java\nscript:x", True), ("\x01javascript:x", True),
        ("java\u200bscript:x", True), ("vbscript:x", True), ("data:text/html,x", True), ("https://x.example/javascript:", False),
        ("mailto:data@x.example", False), ("/data:", False), ("", False),
    ],
)  # fmt: skip
def test_a_link_into_a_script(target: str, is_one: bool) -> None:
    assert is_script(target) is is_one
