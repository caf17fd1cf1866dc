"""Writing a first job for a table that was looked at: one that runs at once, with comments that teach."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

_NO_SUM = re.compile(
    r"(^|_)(id|no|nr|num|number|code|year|month|day|rate|price|pct|percent|ratio|share|avg|average|mean|zip|postcode|"
    r"phone|round|rank|version|unit|level|age)(_|$)"
)
_PLAIN_NAME = re.compile(r"^[A-Za-z][A-Za-z0-9_]*$")
_PLAIN_SQL = re.compile(r"^[a-z_][a-z0-9_]*\([a-z0-9_]+\)$")
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
    """

    name: str
    kind: str
    decimals: int = 0

    @property
    def is_amount(self) -> bool:
        """Whether adding its values up makes sense, as far as its name tells."""
        words = re.sub(r"[^a-z0-9]+", "_", self.name.casefold())
        return self.kind in ("whole", "decimal") and not _NO_SUM.search(words)


@dataclass(frozen=True, slots=True, kw_only=True)
class SeenList:
    """A recipient list as it was seen: its file, and the columns that matter."""

    file: str
    key: str
    to: str
    name: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Draft:
    """What a first job is made of."""

    name: str
    file: str
    by: str
    columns: tuple[SeenColumn, ...]
    people: SeenList | None


def drafted(draft: Draft) -> str:
    """The text of the job file."""
    return "\n".join(_lines(draft)) + "\n"


def _lines(draft: Draft) -> Iterator[str]:
    title = titled(draft.name)
    yield f"title: {scalar(title)}"
    yield ""
    yield "data:                          # tables of the run: files, or `sql:` over the data sets above it"
    yield f"  source: {{file: {scalar(draft.file)}}}"
    if draft.people:
        yield f"  people: {{file: {scalar(draft.people.file)}}}"
    yield ""
    yield f"split: {{rows: source, by: {scalar(draft.by)}}}     # the column that says whose row it is"
    yield ""
    if draft.people:
        yield from _people(draft.people)
    amounts = [column for column in draft.columns if column.is_amount and column.name != draft.by]
    if amounts:
        yield "figures:                       # one value a recipient, in SQL; used in texts and rules"
        for name, column in _figures(amounts):
            yield f"  {scalar(name)}: {scalar(f'sum({quoted(column)})', sql=True)}"
        yield ""
    yield "# rules:                       # when not to send; `rows` is a figure of every job"
    yield "#   - name: too little"
    yield "#     when: rows < 2"
    yield "#     skip: hardly anything to report"
    yield ""
    yield from _report(draft, title, amounts)
    if draft.people:
        yield from _message(draft.people, title)


def _people(people: SeenList) -> Iterator[str]:
    yield "recipients:                    # who gets it: one line of the list a contact"
    yield "  rows: people"
    yield f"  key: {scalar(people.key)}"
    if people.name:
        yield f"  name: {scalar(people.name)}"
    yield f"  to: {scalar(people.to)}"
    yield ""


def _figures(amounts: Sequence[SeenColumn]) -> Iterator[tuple[str, str]]:
    taken: set[str] = {"rows"}
    for number, column in enumerate(amounts, 1):
        name = re.sub(r"[^a-z0-9]+", "_", column.name.casefold()).strip("_")
        if not _PLAIN_NAME.match(name) or name in taken:
            name = f"sum_{number}"
        taken.add(name)
        yield name, column.name


def _report(draft: Draft, title: str, amounts: Sequence[SeenColumn]) -> Iterator[str]:
    yield "reports:"
    yield "  statement:"
    yield f"    title: {json.dumps(title, ensure_ascii=False)}"
    yield '    header: "{{ key }}"'
    yield "    blocks:"
    yield "      - facts:"
    if draft.people and draft.people.name:
        yield f"          Name: {json.dumps(_merged(draft.people.name), ensure_ascii=False)}"
    yield f'          {scalar(labelled(draft.by))}: "{{{{ key }}}}"'
    for name, column in _figures(amounts):
        if name != labelled(column):
            yield f'          {scalar(labelled(column))}: "{{{{ figures.{name} | number }}}}"'
    yield "      - table:"
    yield "          columns:             # format: a number or date pattern; total: sum, average, count, min, max"
    for seen in draft.columns:
        if seen.name != draft.by:
            yield f"            - {{{', '.join(_column(seen))}}}"
    yield ""
    yield "package:"
    yield "  documents:"
    yield "    - {report: statement, as: pdf}"
    yield "    - {report: statement, as: xlsx}"
    yield f'  name: "{{{{ key }}}} {draft.name}"    # what the files are called'


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
