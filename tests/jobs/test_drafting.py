"""The first job of a user's own table: whatever its columns are called, it can be read and makes sense."""

from __future__ import annotations

import tempfile
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from gonnet.jobs import load_job, load_workspace
from gonnet.jobs.blocks import TableBlock
from gonnet.jobs.drafting import Draft, SeenColumn, SeenList, SeenPeriod, drafted, labelled, titled

NAMES = st.one_of(
    st.sampled_from(
        ["amount", "Net amount", "no", "yes", "null", "1", "a: b", "# c", '"q"', "Łódź", "{{ x }}", "- d", "rows"]
    ),
    st.text(st.characters(codec="utf-8", exclude_categories=("Cs", "Cc")), min_size=1, max_size=12),
).filter(lambda name: name == name.strip() and "{" not in name)
COLUMNS = st.lists(
    st.builds(
        SeenColumn,
        name=NAMES,
        kind=st.sampled_from(["text", "whole", "decimal", "date", "time", "truth"]),
        decimals=st.integers(0, 6),
        is_amount=st.booleans(),
    ),
    min_size=1,
    max_size=8,
    unique_by=lambda column: column.name.casefold(),
)


@settings(max_examples=60)
@given(COLUMNS, st.booleans())
def test_whatever_the_columns_are_called_the_job_can_be_read(columns: list[SeenColumn], mailed: bool) -> None:
    who = SeenList(lines=("file: people.xlsx",), key=(columns[0].name,), to="E-Mail", name=columns[-1].name)
    by = SeenColumn(name="farm no", kind="text")
    draft = Draft(
        name="mine",
        lines=('file: "data: 1.csv"',),
        by=(by.name,),
        columns=(by, *columns),
        rows=3,
        people=who if mailed else None,
        period=SeenPeriod(column=columns[0].name, kind="month", value="2026-10") if mailed else None,
    )
    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / "jobs").mkdir()
        (Path(folder) / "gonnet.yaml").write_text("style: {}\n")
        (Path(folder) / "jobs" / "mine.yaml").write_text(drafted(draft), "utf-8")
        job = load_job(load_workspace(Path(folder)), "mine").file
    block = job.reports["statement"].blocks[-1]
    assert isinstance(block, TableBlock)
    assert [column.field for column in block.table.columns] == [
        column.name for column in columns if column.name != by.name
    ]
    assert job.split.by == (by.name,)
    assert bool(job.recipients) == (bool(job.messages) and bool(job.deliver)) == mailed


def test_names_become_headings() -> None:
    assert (labelled("net_amount"), labelled("Łódź"), titled("milk-statements")) == (
        "Net amount",
        "Łódź",
        "Milk statements",
    )
