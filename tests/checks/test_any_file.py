"""Files of other programs are read wherever they say something, and what cannot be read is told."""

from __future__ import annotations

import io
import zipfile

import pytest

import attacks
import enclosed
from gonnet.checks import Identity, Watch, read_any
from gonnet.checks.reading import packed
from gonnet.errors import DataError

WATCH = Watch([Identity(key="0040117", values=(("key", "0040117"), ("name", "Łąka Górna")))])


WITHOUT_SUCH_LETTERS = ("terms.pdf", "note of an old system.txt")


@pytest.mark.parametrize(
    ("name", "value"),
    [
        (name, value)
        for name in enclosed.FOUND
        for value in ("0040117", *(() if name in WITHOUT_SUCH_LETTERS else ("Łąka Górna",)))
    ],
)
def test_a_value_is_found_wherever_a_file_may_have_it(name: str, value: str) -> None:
    found = read_any(enclosed.FOUND[name](value), name)
    assert [hit.value for hit in WATCH.search(("9",), "a", found, is_fixed=True)] == [value], found
    assert WATCH.search(("9",), "a", read_any(enclosed.FOUND[name]("Other"), name), is_fixed=True) == ()


@pytest.mark.parametrize("name", enclosed.UNSEARCHED)
def test_what_cannot_be_read_is_told_with_its_reason(name: str) -> None:
    found = read_any(enclosed.UNSEARCHED[name](attacks.VICTIM["farm_no"]), name)
    assert len(found.unsearched) == 1, found
    assert WATCH.search(("9",), "a", found) == ()


def test_an_archive_that_would_fill_the_memory_is_not_unpacked() -> None:
    target = io.BytesIO()
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("large.txt", "0" * 5_000)
    room = packed.Room("large.zip", left=packed._Left(bytes=1_000))
    found = read_any(target.getvalue(), "large.zip", room)
    assert found.unsearched == ("large.txt in large.zip: larger than is unpacked",)


@pytest.mark.parametrize("name", ["a.pdf", "a.xlsx", "a.docx", "a.zip"])
def test_what_is_not_what_its_name_says_is_refused(name: str) -> None:
    with pytest.raises(ValueError, match="not a"):
        read_any(b"something else", name)


def test_a_pdf_that_nothing_here_can_search_is_refused(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("importlib.util.find_spec", lambda _name: None)
    with pytest.raises(DataError, match=r"terms.pdf is a PDF, and what reads all of it is not installed"):
        read_any(b"%PDF-1.7", "terms.pdf")
