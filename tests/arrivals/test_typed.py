"""Print files: where pages end, what stands over one another, and that nothing of them is lost."""

from __future__ import annotations

import tempfile
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gonnet.arrivals.typed import TypedPage, TypedPages
from gonnet.errors import DataError
from gonnet.jobs.arrivals import Lines


def raw(text: str, lines: int | None = None, encoding: str = "utf-8") -> list[str]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "run.prn")
        path.write_bytes(text.encode(encoding))
        pages = TypedPages(path, encoding, lines)
        return [pages.page(number).raw for number in range(1, len(pages) + 1)]


@pytest.mark.parametrize(
    ("text", "lines", "pages"),
    [
        ("a\n\fb\n\f", None, ["a\n", "b\n"]),
        ("\fa\f\fb", None, ["a", "", "b"]),
        ("a\nb\nc\nd\ne\n", 2, ["a\nb\n", "c\nd\n", "e\n"]),
        ("a\nb\fc\nd\ne", 2, ["a\nb", "c\nd\n", "e"]),
        ("\ufeffa\r\nb", 1, ["a\r\n", "b"]),
    ],
)
def test_a_page_ends_with_a_form_feed_or_after_its_lines(text: str, lines: int | None, pages: list[str]) -> None:
    assert raw(text, lines) == pages


@pytest.mark.parametrize(
    ("line", "layers", "read"),
    [
        ("Total\r_____", ["Total", "_____"], "Total"),
        ("_\bA_\bB", ["__", "AB"], "AB"),
        ("A\bAB\bB", ["AB", "AB"], "AB"),
        ("a\tb", ["a       b"], "a       b"),
        ("\x1b&l1OFarm\x1bE \x1b[1mno\x1b[0m", ["Farm no"], "Farm no"),
        ("\x0fGrüße 00042\x12", ["Grüße 00042"], "Grüße 00042"),
    ],
)
def test_signs_may_stand_over_others(line: str, layers: list[str], read: str) -> None:
    assert (TypedPage(line).layers(), TypedPage(line).text()) == ([layers], read)


def test_a_place_is_counted_in_lines_and_columns() -> None:
    page = TypedPage("abcdef\nghijkl\nmnopqr")
    assert page.text(Lines(line=2, lines=2, column=3, columns=2)) == "ij\nop"
    assert page.text(Lines(line=2, column=4)) == "jkl"
    assert page.text(Lines(line=9)) == ""


def test_what_is_written_otherwise_is_told_with_its_line() -> None:
    with pytest.raises(DataError, match="not written in utf-8") as told:
        raw("a\nGrüße", encoding="utf-8") and TypedPages(_latin(), "utf-8", None)
    assert told.value.where == "run.prn, line 2"


def _latin() -> Path:
    path = Path(tempfile.mkdtemp(), "run.prn")
    path.write_bytes("a\nGrüße".encode("latin-1"))
    return path


@given(st.text(st.sampled_from("ab\n\f _\b"), max_size=40), st.one_of(st.none(), st.integers(1, 4)))
def test_all_that_can_be_read_is_on_some_page(text: str, lines: int | None) -> None:
    pages = raw(text, lines)
    assert "".join("".join(page.split()) for page in pages) == "".join(text.split())
    assert lines is None or all(page.count("\n") <= lines for page in pages)
