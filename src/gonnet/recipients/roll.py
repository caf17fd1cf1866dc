"""Reading the recipient list from its data set."""

from __future__ import annotations

import base64
import sys
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

from gonnet.data import Engine, quoted
from gonnet.data.key_text import BETWEEN, key_text
from gonnet.jobs.people import RecipientList, Settings
from gonnet.recipients.addresses import Address, NotAnAddressError, parse
from gonnet.recipients.certificates import certificates_in
from gonnet.recipients.corrections import Corrections
from gonnet.recipients.ways import Ways, listed
from gonnet.wording.differing import Differing
from gonnet.wording.languages import locale_of

NO_ADDRESS = "no address on the list"
_NO_WAYS = Ways()


class _Job(NamedTuple):
    """What a job says of every line of a list: the locale of those who say none, the ways, its name and number."""

    house: str
    ways: Ways
    source: str
    listed: int


class Sorted(NamedTuple):
    """The lines of a list for some keys, in a table of all of them in key order.

    Attributes:
        table: The table: the columns of the list after `gonnet_key` and `gonnet_line`.
        first: The first of the keys.
        last: The last of them.
    """

    table: str
    first: str
    last: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Recipient:
    """One line of the recipient list.

    Attributes:
        key: Whose rows they get; what the list says in its place where they may see several.
        line: Its place in the list (1 = the first data line).
        source: The list, as the job names it.
        listed: Its number among the lists of the job.
        name: How they are called; the key where the list has no name.
        to: Addresses of the message, never empty unless `unaddressed` says why.
        cc: Addresses in copy.
        bcc: Addresses in blind copy.
        problem: Why nothing can be made for this line, whatever the way, or None.
        unaddressed: Why no message can be written to it, or None.
        ways: By which it gets what it gets; the usual ones where it says none.
        needs_address: Whether one of them is mail.
        settings: What holds for it, where its own line says so; None for that of the list.
        language: The CLDR locale in which they read.
        fields: Every column of the line, for texts and rules.
        certificates: To which messages to it are encrypted, in PEM or Base64.
    """

    key: str
    line: int
    name: str
    to: tuple[Address, ...]
    cc: tuple[Address, ...]
    bcc: tuple[Address, ...]
    problem: str | None
    fields: Mapping[str, object]
    language: str
    source: str = ""
    listed: int = 0
    unaddressed: str | None = None
    ways: tuple[str, ...] = ()
    needs_address: bool = True
    settings: Settings | None = None
    certificates: tuple[str, ...] = ()

    @property
    def obstacle(self) -> str | None:
        """Why it gets nothing by the ways that it says, or None."""
        return together((self.problem, self.unaddressed if self.needs_address else None))

    @property
    def is_reachable(self) -> bool:
        """Whether it can get something by the ways that it says."""
        return self.obstacle is None and (bool(self.to) or not self.needs_address)


def read(
    engine: Engine,
    table: str,
    spec: RecipientList,
    house: str,
    values: Mapping[str, object] | None = None,
    *,
    where: str = "",
    number: int = 0,
    corrections: Corrections | None = None,
    ways: Ways = _NO_WAYS,
    portion: Sorted | None = None,
) -> tuple[Recipient, ...]:
    """Every line of the list that has a key and is wanted, in the order of the list.

    Args:
        engine: The engine.
        table: Its table of the lines.
        spec: The list.
        house: The locale of those of whom the list says none.
        values: Parameters that its condition may name.
        where: What to name in an error.
        number: Which of the job's lists it is.
        corrections: Addresses that were put right by hand.
        ways: The ways of the job.
        portion: Of which keys; None for all.

    Raises:
        DataError: the key column cannot be used as a key, or the list's condition does not run.
    """
    columns = [column.name for column in engine.columns(table)]
    rows = engine.query(*_asked(engine, table, spec, columns, values or {}, where, portion), where=where)
    said = _Job(locale_of(spec.settings.language or house), ways, spec.rows or "recipients", number)
    found = []
    for cell, line, *cells in rows:
        if cell is not None:
            key = sys.intern(str(cell))  # it is kept many times
            fields = dict(zip(columns, cells, strict=True)) | _key_fields(spec, key)
            if corrections is not None and spec.to is not None and spec.to in fields:
                fields[spec.to] = corrections.put_right(key, fields[spec.to])
            found.append(_recipient(spec, key, int(str(line)), fields, said))
    return tuple(found)


def _asked(
    engine: Engine,
    table: str,
    spec: RecipientList,
    columns: Sequence[str],
    values: Mapping[str, object],
    where: str,
    portion: Sorted | None,
) -> tuple[str, dict[str, object]]:
    """What asks for lines in the order of the list: key, number and columns of each; and its values."""
    chosen = ", ".join(quoted(column) for column in columns)
    conditions = [f"cast(({spec.where}\n) as boolean)"] if spec.where else []
    if portion is None:
        expression, line = key_text(engine, table, spec.says, where=where), "rowid + 1"
    else:
        table, expression, line = portion.table, "gonnet_key", "gonnet_line"
        conditions.append("gonnet_key between $gonnet_first and $gonnet_last")
        values = {**values, "gonnet_first": portion.first, "gonnet_last": portion.last}
    wanted = f"where {' and '.join(conditions)}" if conditions else ""
    return f"select {expression}, {line}, {chosen} from {quoted(table)} {wanted} order by 2", dict(values)


def left_out(
    engine: Engine,
    table: str,
    spec: RecipientList,
    house: str,
    wanted: Sequence[Recipient],
    *,
    number: int = 0,
    ways: Ways = _NO_WAYS,
    portion: Sorted | None = None,
) -> tuple[Recipient, ...]:
    """The lines that the list's condition leaves out: all but those that are wanted."""
    if not spec.where:
        return ()
    there = {person.line for person in wanted}
    every = spec.model_copy(update={"where": None})
    lines = read(engine, table, every, house, number=number, ways=ways, portion=portion)
    return tuple(person for person in lines if person.line not in there)


def _key_fields(spec: RecipientList, key: str) -> dict[str, object]:
    """The key's columns as texts, without the blanks around them."""
    parts = key.split(BETWEEN) if len(spec.says) > 1 else [key]
    return dict(zip(spec.says, parts, strict=True))


def lines_without_key(engine: Engine, table: str, spec: RecipientList) -> int:
    """How many lines of the list have no key and can receive nothing."""
    expression = key_text(engine, table, spec.says)
    return int(str(engine.query(f"select count(*) from {quoted(table)} where {expression} is null")[0][0]))


def _recipient(spec: RecipientList, key: str, line: int, fields: Mapping[str, object], job: _Job) -> Recipient:
    given = fields[spec.name] if spec.name else None
    name = str(given).strip() if given not in (None, "") else key
    problems: list[str] = []
    unaddressed: list[str] = []
    to = tuple(_addresses(fields, (spec.to,), name if spec.name else "", unaddressed)) if spec.to else ()
    if not to and not unaddressed:
        unaddressed.append(NO_ADDRESS)
    cc = tuple(_addresses(fields, spec.cc, "", unaddressed))
    bcc = tuple(_addresses(fields, spec.bcc, "", unaddressed))
    language = _language(fields[spec.language] if spec.language else None, job.house, problems)
    certificate = _certificate(fields[spec.certificate] if spec.certificate else None, unaddressed)
    said = fields[spec.way] if spec.way else None
    ways = job.ways.named(listed(said) or spec.settings.ways, problems)
    return Recipient(
        key=key,
        line=line,
        name=name,
        to=to,
        cc=cc,
        bcc=bcc,
        problem=together(problems),
        unaddressed=together(unaddressed),
        fields=fields,
        language=language,
        ways=ways,
        needs_address=job.ways.needs_address(ways),
        source=job.source,
        listed=job.listed,
        certificates=(certificate,) if certificate else (),
    )


def together(problems: Iterable[str | None]) -> str | None:
    """Several problems as one, each once; None where there is none."""
    return "; ".join(dict.fromkeys(problem for problem in problems if problem)) or None


def changed(person: Recipient, to: Sequence[str], cc: Sequence[str], bcc: Sequence[str]) -> Recipient:
    """The same line with other addresses: `to` in place of its own where it is given, `cc` and `bcc` besides.

    Args:
        person: The line.
        to: Columns of the list, or addresses.
        cc: The same.
        bcc: The same.
    """
    problems = [person.unaddressed] if person.unaddressed and not to else []
    found = tuple(_named(person, to, problems)) if to else person.to
    if to and not found and not problems:
        problems.append(f"no address in {', '.join(to)}")
    return replace(
        person,
        to=found,
        cc=(*person.cc, *_named(person, cc, problems)),
        bcc=(*person.bcc, *_named(person, bcc, problems)),
        unaddressed=together(problems),
    )


def _named(person: Recipient, names: Sequence[str], problems: list[str]) -> Iterator[Address]:
    """The addresses that columns of the line hold, or that are named themselves."""
    for name in names:
        yield from _addresses(person.fields, (name,), "", problems)


def _certificate(given: object, problems: list[str]) -> str:
    """The certificate in a cell, as text; empty where there is none."""
    data = given if isinstance(given, bytes) else str(given or "").strip().encode("utf-8")
    if not data:
        return ""
    try:
        certificates_in(data, "the list")
    except ValueError as error:
        problems.append(f"its certificate cannot be read: {error}")
        return ""
    return data.decode("ascii") if data.isascii() else base64.b64encode(data).decode("ascii")


def _language(given: object, house: str, problems: list[str]) -> str:
    if given is None or not str(given).strip():
        return house
    try:
        return locale_of(str(given))
    except ValueError as error:
        problems.append(str(error).partition(";")[0])
        return house


def _addresses(
    fields: Mapping[str, object], columns: tuple[str, ...], display: str, problems: list[str]
) -> Iterator[Address]:
    for column in columns:
        cell = column if "@" in column else fields[column]
        if isinstance(cell, Differing):
            problems.append(cell.why)
            continue
        if cell is None or not str(cell).strip():
            continue
        try:
            yield from parse(str(cell), display=display)
        except NotAnAddressError as error:
            problems.append(f"'{str(cell).strip()}' is not an address: {error}")
