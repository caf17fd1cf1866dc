"""A document is said to have so many rows only where they were found in its bytes."""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gonnet.checks import ReadBack
from gonnet.checks.rows import lacking
from gonnet.reports import Painter
from gonnet.reports.layout.models import Layout, TableLayout
from made import FORM_CHANGE, form
from opened import many_rows
from support import RULES, Dairy

PAIR = "[{report: statement, as: pdf}, {report: statement, as: xlsx}]"
TABLE = "columns: [{field: day"
KEPT = (
    "rows: Lines",
    'rows: Lines\n      sheets: [\'{{ recipient.farm_name == "Łąka Górna" and "Sum" or "Milk 2026" }}\']',
)


def without(rows: slice, layout: Layout) -> Layout:
    """A layout whose tables lack some rows."""

    def cut(block: Any) -> Any:  # noqa: ANN401
        if not isinstance(block, TableLayout):
            return block
        texts = tuple(column[rows] for column in block.texts)
        values = tuple(column[rows] for column in block.values)
        exact = {at: column[rows] for at, column in block.exact_values.items()}
        totals = tuple(replace(line, before=len(texts[0])) for line in block.totals)
        return replace(block, texts=texts, values=values, exact_values=exact, totals=totals)

    return replace(layout, blocks=tuple(map(cut, layout.blocks)))


@pytest.mark.parametrize("kind", ["pdf", "xlsx", "html", "csv", "docx", "ods", "txt", "a form"])
def test_a_file_that_lacks_a_row_is_held(dairy: Dairy, monkeypatch: pytest.MonkeyPatch, kind: str) -> None:
    many_rows(dairy, 30, "a remark so long that no column has room for it in a single line whatever its width may be")
    change = PAIR, f"[{{report: statement, as: {kind}}}]"
    if kind == "a form":
        form(dairy.folder)
        change = FORM_CHANGE
    as_drawn: Callable[..., Any] = Painter.draw

    def draw(self: Painter, layout: Layout, *rest: object, **more: object) -> Any:  # noqa: ANN401
        return as_drawn(self, without(slice(0, 29), layout), *rest, **more)

    found = {}
    for how in (as_drawn, draw):
        monkeypatch.setattr(Painter, "draw", how)
        with dairy.tools() as tools:
            found[how] = dairy.by_key(tools, dairy.prepared(tools, change, (RULES, "  []\n")))["117"]
    whole, less = found[as_drawn], found[draw]
    assert (whole.reason, whole.documents[-1].rows) == ("", 30)
    assert str(less.state) == "held"
    assert "as often as its rows do" in less.reason


def test_a_form_whose_rows_are_on_a_sheet_that_goes_has_none(dairy: Dairy) -> None:
    form(dairy.folder)
    with dairy.tools() as tools:
        found = dairy.by_key(tools, dairy.prepared(tools, FORM_CHANGE, KEPT, ("{report: statement, as: pdf}, ", "")))
        book = openpyxl.load_workbook(io.BytesIO(tools.store.get(found["117"].documents[0].sha256)))
    assert {key: found[key].documents[0].rows for key in ("00042", "117")} == {"00042": 2, "117": 0}
    assert book.sheetnames == ["Sum"]


@given(st.lists(st.text("ab 1é-", min_size=1, max_size=9), max_size=8), st.data())
def test_each_text_counts_as_often_as_it_stands_there_whole_or_broken_into_lines(
    texts: list[str], data: st.DataObject
) -> None:
    several = ["Łąka"] * data.draw(st.integers(1, 3))
    there = [
        text[:at] + "\n" + text[at:] if (at := data.draw(st.integers(0, len(text)))) else text
        for text in data.draw(st.permutations([*texts, *several]))
    ]
    found = ReadBack(parts=(("page 1", tuple(there)),))
    assert lacking([texts, several], found) == ""
    assert lacking([texts, several, ["Łąka"]], found) == "Łąka"
