"""The account of a run as pages to read and to file."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from gonnet.pipeline.tools import Tools
from gonnet.reports import Look, Painter
from gonnet.reports.layout.models import BlockLayout, FactsLayout, HeadingLayout, Layout, TableLayout
from gonnet.reports.plans.columns import ColumnPlan, ValueKind
from gonnet.reports.plans.models import PageForm
from gonnet.reports.plans.widths import paper_size

_MARGIN, _SIZE, _MM = 42.5, 7.5, 72 / 25.4
_SHORT = 12  # characters of a digest in a table; the account as JSON has all of them

Columns = Sequence[tuple[str, float]]
"""Heading and share of the width of each column."""

_PACKAGES: Columns = (
    ("Key", 9),
    ("Name", 16),
    ("State", 8),
    ("Rows", 5),
    ("Documents", 30),
    ("To, and what came of it", 32),
)
_APPROVALS: Columns = (("Who", 15), ("When", 20), ("Digest", 20), ("Why", 30), ("Counts", 15))
_EVENTS: Columns = (("No.", 7), ("When", 16), ("Key", 12), ("What", 53), ("Digest", 12))


def as_pdf(account: Mapping[str, Any], tools: Tools) -> bytes:
    """The account as a PDF in the house style; the same account gives the same bytes.

    Raises:
        UnprintableError: it has a character that no face has.
    """
    style, run = tools.workspace.file.style, account["run"]
    width, height = paper_size(style.paper, landscape=True)
    form = PageForm(
        paper=style.paper, landscape=True, width=width, height=height, margins=(_MARGIN,) * 4, watermark=None
    )
    layout = Layout(
        title=f"Account of run {run['number']}: {run['title']}",
        sheet="",
        header="",
        footer="",
        page=form,
        blocks=tuple(_blocks(account, form.room)),
        merged=(),
    )
    look = Look(style=style, house=tools.workspace.house)
    return Painter(look).draw(layout, "pdf").data


def _blocks(account: Mapping[str, Any], room: float) -> Iterator[BlockLayout]:
    yield FactsLayout(facts=tuple(_facts(account)), columns=2)
    if faults := account["compared"]["faults"]:
        yield HeadingLayout(text="What is not as the record says")
        yield _table((("Fault", 100),), [(fault,) for fault in faults], room, "")
    if account["approvals"]:
        yield HeadingLayout(text="Approvals")
        lines = [
            (one["who"], _moment(one["at"]), one["digest"][:_SHORT], one["why"], _counts(one["ended"]))
            for one in account["approvals"]
        ]
        yield _table(_APPROVALS, lines, room, "")
    yield HeadingLayout(text="Packages")
    yield _table(_PACKAGES, list(map(_package, account["packages"])), room, "There are none.")
    yield HeadingLayout(text="What happened")
    events = [
        (str(one["number"]), _moment(one["at"]), one["key"] or "", one["what"], one["digest"][:_SHORT])
        for one in account["events"]
    ]
    yield _table(_EVENTS, events, room, "Nothing.")


def _facts(account: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    run, compared = account["run"], account["compared"]
    yield "Job", run["job"]
    yield "Run", f"{run['number']}, {run['state']}"
    yield "Period", run["period"]
    yield "As of", run["as_of"]
    yield "Times", f"in {account['zone']}"
    yield "Prepared", _moment(run["prepared"]) + (f" by {run['prepared_by']}" if run["prepared_by"] else "")
    yield "Reviewed", _moment(run["reviewed"]) if run["reviewed"] else "no"
    yield "Packages", ", ".join(f"{count:,} {state}" for state, count in run["counts"].items())
    whole = "whole: everything is as it was written" if not compared["faults"] else f"{len(compared['faults'])} faults"
    yield "Record", f"{whole}; compared {_moment(compared['at'])} by {compared['by']}"
    yield "Events", f"{compared['events']:,}"
    yield "Last event", compared["last_event"]


def _package(one: Mapping[str, Any]) -> tuple[str, ...]:
    documents = "\n".join(f"{part['name']} ({part['sha256'][:_SHORT]})" for part in one["documents"])
    parts = "\n".join(_part(part) for part in one["handed_over"])
    state = f"{one['state']}: {one['reason']}" if one["reason"] and not parts else one["state"]
    return one["key"], one["name"], state, f"{one['rows']:,}", documents, parts


def _part(part: Mapping[str, Any]) -> str:
    answer = f"{part['code'] or ''} {part['answer']}".strip()
    when = f", {_moment(part['at'])}" if part["at"] else ""
    return f"{part['to']}: {part['state']}{when}" + (f" ({answer})" if answer else "")


def _counts(ended: str | None) -> str:
    return f"until {_moment(ended)}" if ended else "yes"


def _moment(text: str) -> str:
    """A time to the second."""
    return text[:19].replace("T", " ")


def _table(columns: Columns, lines: Sequence[Sequence[str]], room: float, empty: str) -> TableLayout:
    plans = tuple(
        ColumnPlan(
            field=label,
            label=label,
            kind=ValueKind.TEXT,
            pattern=None,
            align="right" if label in ("Rows", "No.") else "left",
            total=None,
            is_measure=False,
            width=room * share / sum(part for _, part in columns),
            font_size=_SIZE,
        )
        for label, share in columns
    )
    texts = tuple(tuple(line[at] for line in lines) for at in range(len(columns)))
    return TableLayout(columns=plans, title=None, empty=empty, values=texts, texts=texts, rows=len(lines))
