"""Writing a first job for a table that was looked at: one that runs at once, with comments that teach."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

_PLAIN_NAME = re.compile(r"^[A-Za-z][A-Za-z0-9_]*$")
_PLAIN_SQL = re.compile(r"^(coalesce\()?[a-z_][a-z0-9_]*\([a-z0-9_]+\)(, 0\))?$")
# Words that stand for something else in SQL (ISO/IEC 9075-2, reserved words; those that are likely as column names).
_RESERVED = re.compile(
    r"""
    all | analyse | analyze | and | any | array | as | asc | both | case | cast | check | collate | column |
    constraint | create | current_date | current_time | current_timestamp | default | desc | describe |
    distinct | do | else | end | except | false | fetch | for | foreign | from | grant | group | having | in |
    initially | intersect | into | is | lambda | lateral | leading | like | limit | not | null | offset | on |
    only | or | order | pivot | placing | primary | qualify | references | returning | select | show | some |
    summarize | table | then | to | trailing | true | union | unique | unpivot | using | variadic | when |
    where | window | with
    """,
    re.VERBOSE,
)
_WORDS = frozenset({"true", "false", "null", "yes", "no", "on", "off"})
_PLAIN_SCALAR = re.compile(r"^[A-Za-z][A-Za-z0-9_ ./-]*[A-Za-z0-9_]$")


@dataclass(frozen=True, slots=True, kw_only=True)
class SeenColumn:
    """A column as it was seen in a file.

    Attributes:
        name: Its name.
        kind: `text`, `whole`, `decimal`, `date`, `time` or `truth`.
        decimals: Decimals of its values.
        is_amount: Whether adding its values up makes sense, as far as can be seen.
        has_gaps: Whether some rows have no value.
    """

    name: str
    kind: str
    decimals: int = 0
    is_amount: bool = False
    has_gaps: bool = False

    @property
    def sum(self) -> str:
        """Its sum in SQL, 0 where no row has a value."""
        whole = f"sum({quoted(self.name)})"
        return f"coalesce({whole}, 0)" if self.has_gaps else whole


@dataclass(frozen=True, slots=True, kw_only=True)
class SeenList:
    """A recipient list as it was seen.

    Attributes:
        lines: What the job says of where it comes from, a line each.
        key: The columns that hold the keys.
        to: The one with addresses.
        name: The one by which a person is called, or None.
    """

    lines: tuple[str, ...]
    key: tuple[str, ...]
    to: str
    name: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class SeenPeriod:
    """The period in which all rows lie.

    Attributes:
        column: The column of dates that shows it.
        kind: `month`, `quarter` or `year`.
        value: Which one, as a job names it.
    """

    column: str
    kind: str
    value: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Draft:
    """What a first job is made of.

    Attributes:
        name: The job.
        lines: What it says of where the rows come from, a line each.
        by: The key's columns.
        columns: The columns of the rows.
        rows: How many rows there are.
        people: The recipient list, or None.
        period: The period that the rows are of, or None.
        remarks: What whoever reads the job should know.
    """

    name: str
    lines: tuple[str, ...]
    by: tuple[str, ...]
    columns: tuple[SeenColumn, ...]
    rows: int
    people: SeenList | None = None
    period: SeenPeriod | None = None
    remarks: tuple[str, ...] = ()

    @property
    def amounts(self) -> list[SeenColumn]:
        """The columns that are added up."""
        return [column for column in self.columns if column.is_amount and column.name not in self.by]

    @property
    def split(self) -> str:
        """The data set that is split."""
        return "in_period" if self.period else "source"


def drafted(draft: Draft) -> str:
    """The text of the job file."""
    return "\n".join(_lines(draft)) + "\n"


def _lines(draft: Draft) -> Iterator[str]:
    title = titled(draft.name)
    yield f"title: {scalar(title)}"
    yield ""
    for remark in draft.remarks:
        yield f"# {remark}"
    if draft.remarks:
        yield ""
    if draft.period:
        yield "parameters:                    # asked for with --set; at a terminal where there is no default"
        said = f"{{kind: {draft.period.kind}, default: {draft.period.value}}}"
        yield f"  period: {said}     # `previous` when it runs regularly"
        yield ""
    yield from _data(draft)
    yield f"split: {{rows: {draft.split}, by: {_names(draft.by)}}}     # the column that says whose row it is"
    yield ""
    if draft.people:
        yield from _people(draft.people)
    if draft.amounts:
        yield "figures:                       # one value a recipient, in SQL; used in texts and rules"
        for name, column in _figures(draft.amounts):
            yield f"  {scalar(name)}: {scalar(column.sum, sql=True)}"
        yield ""
    yield from _rules(draft)
    yield from _report(draft, title)
    if draft.people:
        yield from _message(draft.people, title)


def _data(draft: Draft) -> Iterator[str]:
    yield "data:                          # tables of the run: files, databases, or `sql:` over the data sets above it"
    yield "  source:"
    yield from (f"    {line}" for line in draft.lines)
    if draft.rows > 1:
        yield f"    expect: {{rows: {draft.rows // 2}}}     # fewer stop the run: then not all of it came"
    if draft.period:
        day = quoted(draft.period.column)
        if any(column.name == draft.period.column and column.kind == "time" for column in draft.columns):
            day = f"cast({day} as date)"
        yield "  in_period:"
        yield f"    sql: {scalar(f'select * from source where {day} between $period_start and $period_end')}"
    if draft.people:
        yield "  people:"
        yield from (f"    {line}" for line in draft.people.lines)
    yield ""


def _people(people: SeenList) -> Iterator[str]:
    yield "recipients:                    # who gets it: one line of the list a contact"
    yield "  rows: people"
    yield f"  key: {_names(people.key)}"
    if people.name:
        yield f"  name: {scalar(people.name)}"
    yield f"  to: {scalar(people.to)}"
    yield ""


def _rules(draft: Draft) -> Iterator[str]:
    yield "rules:                         # when not to send, or otherwise; `rows` is a figure of every job"
    yield "  - name: nothing to report"
    yield "    when: rows = 0"
    yield "    skip: no rows in this run"
    for name, column in list(_figures(draft.amounts))[:1]:
        yield f"  # - name: less than nothing of {column.name}"
        yield f"  #   when: {name} < 0"
        yield "  #   hold: somebody should look at it first"
    yield ""


def _names(names: Sequence[str]) -> str:
    return scalar(names[0]) if len(names) == 1 else f"[{', '.join(map(scalar, names))}]"


def _figures(amounts: Sequence[SeenColumn]) -> Iterator[tuple[str, SeenColumn]]:
    taken: set[str] = {"rows"}
    for number, column in enumerate(amounts, 1):
        name = re.sub(r"[^a-z0-9]+", "_", column.name.casefold()).strip("_")
        if not _PLAIN_NAME.match(name) or name in taken or _RESERVED.fullmatch(name):
            name = f"sum_{number}"
        taken.add(name)
        yield name, column


def _report(draft: Draft, title: str) -> Iterator[str]:
    of = " {{ period.label }}" if draft.period else ""
    yield "reports:"
    yield "  statement:"
    yield f"    title: {json.dumps(title + of, ensure_ascii=False)}"
    yield '    header: "{{ key }}"'
    yield "    blocks:"
    yield "      - facts:"
    if draft.people and draft.people.name:
        yield f"          Name: {json.dumps(_merged(draft.people.name), ensure_ascii=False)}"
    label = " / ".join(map(labelled, draft.by))
    yield f'          {scalar(label)}: "{{{{ key }}}}"'
    for name, column in _figures(draft.amounts):
        if name != labelled(column.name):
            yield f'          {scalar(labelled(column.name))}: "{{{{ figures.{name} | number }}}}"'
    yield "      - table:"
    yield "          columns:             # format: a number or date pattern; total: sum, average, count, min, max"
    for seen in draft.columns:
        if seen.name not in draft.by:
            yield f"            - {{{', '.join(_column(seen))}}}"
    yield ""
    yield "package:"
    yield "  documents:"
    yield "    - {report: statement, as: pdf}"
    yield "    - {report: statement, as: xlsx}"
    period = " {{ period.id }}" if draft.period else ""
    yield f'  name: "{{{{ key }}}} {draft.name}{period}"    # what the files are called'


def _column(column: SeenColumn) -> Iterator[str]:
    yield f"field: {scalar(column.name)}"
    yield f"label: {scalar(labelled(column.name))}"
    if column.kind == "decimal":
        yield f'format: "#,##0.{"0" * min(max(column.decimals, 1), 4)}"'
    elif column.kind == "whole" and column.is_amount:
        yield 'format: "#,##0"'
    elif column.kind == "date":
        yield "format: d MMM yyyy"
    if column.is_amount:
        yield "total: sum"


def _message(people: SeenList, title: str) -> Iterator[str]:
    greeting = f"Dear {_merged(people.name)}," if people.name else "Good day,"
    yield ""
    yield "messages:"
    yield "  standard:"
    yield f"    subject: {json.dumps(title + ' for {{ key }}', ensure_ascii=False)}"
    yield "    body: |"
    yield f"      {greeting}"
    yield ""
    yield f'      attached is your part of "{title}", as a PDF and as a workbook.'
    yield ""
    yield "deliver:"
    yield '  - email: {from: "Reports <reports@example.test>"}     # put your own sender here'


def _merged(column: str) -> str:
    """The merge field of a column of the list."""
    access = f".{column}" if _PLAIN_NAME.match(column) else f"[{json.dumps(column, ensure_ascii=False)}]"
    return f"{{{{ recipient{access} }}}}"


def labelled(name: str) -> str:
    """A column's or a job's name as a heading: `net_amount` → `Net amount`."""
    words = name.replace("_", " ").strip()
    return words[:1].upper() + words[1:]


def titled(name: str) -> str:
    """A job's name as a title."""
    return labelled(name.replace("-", " "))


def quoted(column: str) -> str:
    """A column in SQL: as it is where that is plain, else in quotes."""
    if re.fullmatch(r"[a-z_][a-z0-9_]*", column) and not _RESERVED.fullmatch(column):
        return column
    return '"' + column.replace('"', '""') + '"'


def scalar(text: str, *, sql: bool = False) -> str:
    """A text as a YAML value, in quotes where it needs them."""
    plain = _PLAIN_SQL if sql else _PLAIN_SCALAR
    if plain.match(text) and text.casefold() not in _WORDS:
        return text
    return json.dumps(text, ensure_ascii=False)
