"""Whose each page is: every page is somebody's, or nobody's for a reason that is told."""

from __future__ import annotations

from functools import partial
from itertools import pairwise
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import pikepdf
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from reportlab.pdfgen.canvas import Canvas

from gonnet.arrivals import Arrived, read_run, runs
from gonnet.errors import AbsentError, DataError
from gonnet.jobs.arrivals import KeyFrom, Named, PdfRun
from gonnet.pipeline.making.workers import processes

FARM = KeyFrom(text=r"Farm no\. (\w+)")


def run_of(path: Path, *texts: str) -> Path:
    canvas = Canvas(str(path), pagesize=(300, 200))
    for text in texts:
        canvas.drawString(20, 100, text)
        canvas.showPage()
    canvas.save()
    return path


def read(path: Path, key: KeyFrom = FARM, listed: Path | None = None, **more: Any) -> Arrived:  # noqa: ANN401
    return read_run("run", PdfRun(pdf=path.name, key=key, **more), path, listed, "")


def keys(found: Arrived) -> list[str | None]:
    return [page.key for page in found.pages]


@settings(max_examples=60)
@given(
    st.lists(st.sampled_from(["117", "118", "", "Separator"]), min_size=1, max_size=8),
    st.sampled_from(["follow", "refuse", "leave out"]),
    st.sampled_from(["refuse", "together"]),
)
def test_every_page_has_one_key_or_one_reason(said: list[str], unmarked: Any, again: Any) -> None:  # noqa: ANN401
    with TemporaryDirectory() as folder:
        texts = [f"Farm no. {text}" if text.isdecimal() else text for text in said]
        path = run_of(Path(folder) / "run.pdf", *texts)
        marked = [text for text in said if text != "Separator"]
        expected: list[str | None] = []
        for text in marked:
            expected.append(text or (expected[-1] if unmarked == "follow" and expected else None))
        divided = any(pair == ("Separator", "") for pair in pairwise(said))
        turns = [key for at, key in enumerate(expected) if key and (at == 0 or expected[at - 1] != key)]
        wrong = (unmarked == "refuse" and "" in marked) or (unmarked == "follow" and (marked[:1] == [""] or divided))
        seen = list(dict.fromkeys(turns))
        wrong = wrong or (again == "refuse" and turns != seen and _comes_back(expected))
        try:
            found: Arrived | None = read(path, unmarked=unmarked, again=again, leave_out="^Separator")
        except DataError as error:
            where = error.where
            found = None
        assert (found is None) == wrong
        if found is None:
            assert where.startswith("run.pdf, page ")
            return
        assert [page.number for page in found.pages] == list(range(1, len(said) + 1))
        assert [key for key, text in zip(keys(found), said, strict=True) if text != "Separator"] == expected
        left = said.count("Separator")
        assert any(f"{left} page" in one.text for one in found.findings) == bool(left)
        nobody = expected.count(None)
        assert any("no key: nobody gets" in one.text for one in found.findings) == bool(nobody)


def _comes_back(expected: list[str | None]) -> bool:
    """Whether a key has pages on both sides of another's."""
    known = [key for key in expected if key]
    turns = [key for at, key in enumerate(known) if at == 0 or known[at - 1] != key]
    return len(turns) != len(set(turns))


def test_keys_come_from_bookmarks_labels_and_lists(tmp_path: Path) -> None:
    path = run_of(tmp_path / "run.pdf", "a", "b", "c", "d")
    with pikepdf.open(path, allow_overwriting_input=True) as pdf:
        with pdf.open_outline() as outline:
            outline.root.extend(
                [
                    pikepdf.OutlineItem("Farm 117", 0),
                    pikepdf.OutlineItem("Cells", 1),
                    pikepdf.OutlineItem("Farm 118", 2),
                ]
            )
        labels = [0, {"/P": "F117-", "/S": "/D"}, 3, {"/P": "F118-", "/S": "/D"}]
        pdf.Root.PageLabels = pikepdf.Dictionary(
            Nums=pikepdf.Array(
                [
                    pikepdf.Dictionary({k: pikepdf.Name(v) if v[0] == "/" else v for k, v in one.items()})
                    if isinstance(one, dict)
                    else one
                    for one in labels
                ]
            )
        )
        pdf.save(path)
    assert keys(read(path, KeyFrom(bookmark=r"^Farm (\w+)"))) == ["117", "117", "118", "118"]
    assert keys(read(path, KeyFrom(label=r"^F(?P<key>\d+)-"))) == ["117", "117", "117", "118"]
    listed = tmp_path / "pages.csv"
    listed.write_text("key;first;last\n117;1;1\n00118;2;4\n")
    assert keys(read(path, KeyFrom(list="pages.csv"), listed)) == ["117", "00118", "00118", "00118"]


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("key,first,last\n117,1,5\n", "pages.csv, line 2: the pages 1 to 5 are not there: the run has 2"),
        ("key,first,last\n117,1,1\n118,two,2\n", "pages.csv, line 3: this line does not say which pages are whose"),
        ("farm,from,to\n117,1,1\n", "pages.csv, line 2: this line does not say which pages are whose"),
        ("key,first,last\n117,1,2\n118,2,2\n", "run.pdf, page 2: this page of 'run' says 2 keys: '117', '118'"),
        ("key,first,last\n117,1,1\n", "run.pdf, page 2: this page of 'run' says no key"),
    ],
)
def test_a_list_that_does_not_fit_is_told_with_its_line(tmp_path: Path, text: str, said: str) -> None:
    path = run_of(tmp_path / "run.pdf", "a", "b")
    (tmp_path / "pages.csv").write_text(text)
    with pytest.raises(DataError) as caught:
        read(path, KeyFrom(list="pages.csv"), tmp_path / "pages.csv")
    assert str(caught.value).startswith(said)


def test_what_pages_say_is_kept_with_blanks_and_joined_letters_as_people_read_them(tmp_path: Path) -> None:
    path = run_of(tmp_path / "run.pdf", "Farm no. 117 offers 1.234,50  today")
    found = read(
        path, read={"what": Named(text=r"offers ([\d.,]+)\s+(?P<value>\w+)"), "due": Named(text=r"offers ([\d.,]+)")}
    )
    assert found.pages[0].values == ("today", "1.234,50")


def test_a_page_that_says_thousands_of_keys_says_so_in_few_words(tmp_path: Path) -> None:
    path = tmp_path / "run.pdf"
    canvas = Canvas(str(path), pagesize=(3000, 3000))
    for number in range(10_000):
        canvas.drawString(20 + 28 * (number % 100), 20 + 28 * (number // 100), f"F{number:05d}")
    canvas.save()
    with pytest.raises(DataError) as caught:
        read(path, KeyFrom(text=r"F(\d{5})"))
    assert "says 10,000 keys: " in caught.value.what
    assert len(str(caught.value)) < 250


def test_several_files_are_one_run_in_the_order_of_their_names(tmp_path: Path) -> None:
    run_of(tmp_path / "in-2.pdf", "Farm no. 118")
    run_of(tmp_path / "in-1.pdf", "Farm no. 117", "more of it")
    found = read(tmp_path / "in-*.pdf", unmarked="follow")
    assert [(page.key, found.files[page.file].name, page.number) for page in found.pages] == [
        ("117", "in-1.pdf", 1),
        ("117", "in-1.pdf", 2),
        ("118", "in-2.pdf", 1),
    ]
    with pytest.raises(AbsentError, match="there is no file other"):
        read(tmp_path / "other.pdf")


@pytest.mark.parametrize("loading", [0.0, 1e-9, 3.0])  # seconds in which this process reads too: none, a little, all
def test_pages_say_the_same_whoever_reads_them(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, loading: float) -> None:
    """Several processes, a few pages each; what is wrong with a page is told as if one had read all."""
    monkeypatch.setattr(processes, "_LOADING", loading)
    monkeypatch.setattr(runs, "_AT_ONCE", 2)
    monkeypatch.setattr(processes, "_WORTH_SPREADING", 2)
    shared = partial(processes.spread, lambda count: processes.local_executor(count, 2))
    path = run_of(tmp_path / "run.pdf", *(f"Farm no. {at // 2} Due {at}.50" for at in range(9)))
    read_more: Any = {"due": Named(text=r"Due ([\d.]+)")}
    spec = PdfRun(pdf=path.name, key=FARM, read=read_more, leave_out=("Due 8",))
    found = read_run("run", spec, path, None, "", spread=shared)
    assert found.pages == read_run("run", spec, path, None, "").pages
    assert [page.key for page in found.pages] == ["0", "0", "1", "1", "2", "2", "3", "3", None]
    listed = tmp_path / "list.csv"
    listed.write_text("key,first,last\nA,1,99\n")
    by_list = PdfRun(pdf=path.name, key=KeyFrom(list="list.csv"))
    with pytest.raises(DataError, match="the run has 9"):
        read_run("run", by_list, path, listed, "", spread=shared)
