"""From text to types: a column becomes a number, a date, a time or a yes/no only when every value is written as one.

`00042` therefore stays text wherever it stands, and 12.30 becomes an exact DECIMAL.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence

from gonnet.data.engine import EXACT, Engine, quoted
from gonnet.data.types import doubting
from gonnet.data.types.controls import require_totals
from gonnet.data.types.finding import Sought, find, sought
from gonnet.data.types.kinds import Kind, Number, Whole
from gonnet.data.types.narrowing import narrow
from gonnet.data.types.numbers import Notation
from gonnet.data.types.target import Hint, Target
from gonnet.errors import DataError, meant

_FIXED = {
    "text": "VARCHAR",
    "whole": "BIGINT",
    "number": "DECIMAL(38,10)",
    "date": "DATE",
    "time": "TIMESTAMP",
    "yes/no": "BOOLEAN",
}
FIXED = re.compile(r"^(text|whole|number|date|time|yes/no|decimal\((\d+), ?(\d+)\))$")
_DECLARED = {
    Hint.FLOAT: "DOUBLE",
    Hint.DATE: "DATE",
    Hint.TIME: "TIMESTAMP",
    Hint.TRUTH: "BOOLEAN",
}
_OPEN = (Hint.ANY, Hint.TEXT, Hint.DATED)
_WIDE = 38  # digits of the widest number


def assign_types(engine: Engine, target: Target, hints: Mapping[str, Hint], *, are_words_gone: bool = False) -> None:
    """Make the target's table from its table of text.

    Args:
        engine: The engine.
        target: The data set.
        hints: Column → what its source says of it.
        are_words_gone: Whether the texts that stand for no value in every column are gone already.

    Raises:
        DataError: a value does not fit the type that the job fixes or the source declares; names the row.
    """
    for named in (*target.fixed, *target.writing.columns()):
        if named not in hints:
            what = f"data set '{target.name}' has no column '{named}'"
            raise DataError(what, where=target.where, fix=meant(named, list(hints), noun="column"))
    are_rows_gone = narrow(engine, target, are_words_gone=are_words_gone) or bool(target.controls)
    if not engine.count(target.raw):
        _without_rows(engine, target, hints)
        return
    found = _found(engine, target, hints)
    values = {name: _value(engine, target, name, hint, found) for name, hint in hints.items()}
    _change(engine, target, values, are_rows_gone=are_rows_gone)
    require_totals(engine, target, values)
    if are_rows_gone:
        _close_up(engine, target)


def _change(engine: Engine, target: Target, values: Mapping[str, str], *, are_rows_gone: bool) -> None:
    """Make the table of text the target's; only columns that do not stay as they are cost anything."""
    raw = quoted(target.raw)
    known = {column.name: column.type for column in engine.columns(target.raw)}
    changed = {name: value for name, value in values.items() if value != quoted(name)}
    if changed:
        described = engine.query(f"describe select {', '.join(changed.values())} from {raw}")
        for (name, value), (_, kind, *_) in zip(changed.items(), described, strict=True):
            if kind != known[name] or not value.startswith("cast("):
                using = f"try({value})" if are_rows_gone else value  # rows that are gone are looked at too
                engine.query(f"alter table {raw} alter column {quoted(name)} type {kind} using {using}")
    engine.query(f"alter table {raw} rename to {quoted(target.name)}")
    engine.tables.append(target.name)


def _found(engine: Engine, target: Target, hints: Mapping[str, Hint]) -> dict[str, str]:
    """Column of text → the SQL that makes its values, told where that is worth it."""
    wanted = [
        sought(target, name, hint)
        for name, hint in hints.items()
        if hint in _OPEN and name not in target.fixed and name not in target.text
    ]
    find(engine, target, wanted)
    _require_as_named(engine, target, wanted)
    doubting.tell(engine, target, wanted)
    settled = {column.name: column.kind for column in wanted if column.kind is not None and not column.rivals}
    sizes = _sizes(engine, target, {name: kind for name, kind in settled.items() if isinstance(kind, Number)})
    return {
        name: kind.decimal(name, *sizes[name]) if isinstance(kind, Number) else kind.value(name)
        for name, kind in settled.items()
    }


def _close_up(engine: Engine, target: Target) -> None:
    """Number the rows anew, without those that were taken off."""
    name, raw = quoted(target.name), quoted(target.raw)
    engine.query(f"alter table {name} rename to {raw}")
    engine.query(f"create table {name} as select * from {raw} order by rowid")
    engine.query(f"drop table {raw}")


def _require_as_named(engine: Engine, target: Target, columns: Iterable[Sought]) -> None:
    """Refuse a column that is not written as the job says of it.

    Raises:
        DataError: there is one; names its rows.
    """
    for column in columns:
        named = target.writing.numbers.get(column.name), *target.writing.dates.get(column.name, ())
        kinds = [kind for kind in named if kind is not None]
        if kinds and column.kind is None and column.seen:
            test = " or ".join(kind.test(column.name) for kind in kinds)
            shown = ", ".join(doubting.places(engine, target, column.name, test))
            what = f"column '{column.name}' of data set '{target.name}' is not written as the job says ({shown})"
            fix = 'Correct these values or what the job says; `missing: ["…"]` names texts that stand for no value'
            raise DataError(what, where=target.where, fix=fix)


def _sizes(engine: Engine, target: Target, numbers: Mapping[str, Number]) -> dict[str, tuple[int, int]]:
    """Column → the most signs of its numbers in the plain form, and the most decimals."""
    found = {name: (0, 0) for name in numbers}
    measured = [(name, kind.plain(name)) for name, kind in numbers.items() if not isinstance(kind, Whole)]
    if measured:
        parts = ", ".join(
            f"max(length({plain})), max(length({plain}) - coalesce(nullif(instr({plain}, '.'), 0), length({plain})))"
            for _, plain in measured
        )
        row = engine.query(f"select {parts} from {quoted(target.raw)}")[0]
        for at, (name, _) in enumerate(measured):
            found[name] = int(str(row[2 * at] or 0)), int(str(row[2 * at + 1] or 0))
    return found


def _value(engine: Engine, target: Target, name: str, hint: Hint, found: Mapping[str, str]) -> str:
    """The SQL that makes the values of a column."""
    if name in target.text and name not in target.fixed and hint in (Hint.FLOAT, Hint.DECIMAL):
        _require_exact(engine, target, name, hint)
        # A number that is whole is written without decimals: 1042, never 1042.0.
        return f"regexp_replace({_plainly(name, hint)}, '\\.0+$', '')"
    if name in target.fixed:
        return _as_fixed(engine, target, name, hint)
    if hint is Hint.KEPT:
        return quoted(name)
    if name in target.text or hint in _OPEN:
        return found.get(name, quoted(name))
    kind = _declared(engine, target, name, hint)
    if hint in (Hint.DATE, Hint.TIME):
        said = f"has what is no {'date' if hint is Hint.DATE else 'time'}"
        _require(engine, target, name, kind, quoted(name), said, f"Let the query make it empty: nullif({name}, …)")
    return f"cast({quoted(name)} as {kind})"


def _declared(engine: Engine, target: Target, name: str, hint: Hint) -> str:
    """The type of a column of which the source says what it is; its numbers are as wide as they need to be."""
    if hint in _DECLARED:
        return _DECLARED[hint]
    column = quoted(name)
    dot = f"coalesce(nullif(instr({column}, '.'), 0), length({column}))"
    sizes = f"max(length(ltrim({column}, '-'))), max(length({column}) - {dot})"
    row = engine.query(f"select {sizes} from {quoted(target.raw)} where {column} is not null")[0]
    longest, places = int(str(row[0] or 0)), int(str(row[1] or 0))
    if hint is Hint.WHOLE:
        return "BIGINT" if longest <= 18 else "HUGEINT" if longest <= _WIDE else "VARCHAR"
    if not longest:
        return "DECIMAL(18,2)"
    return f"DECIMAL({18 if longest + places <= 18 else 38},{places})" if longest <= _WIDE else "VARCHAR"


def _without_rows(engine: Engine, target: Target, hints: Mapping[str, Hint]) -> None:
    """Make the target of no rows: a column of which no value says what it is may be added up, dated and read."""
    kinds: dict[str, str | None] = {}
    for name, hint in hints.items():
        if name in target.fixed:
            kinds[name] = _type_of(target.fixed[name])
        elif hint is Hint.KEPT:
            kinds[name] = next(column.type for column in engine.columns(target.raw) if column.name == name)
        elif name in target.text:
            kinds[name] = "VARCHAR"
        else:
            kinds[name] = None if hint in _OPEN else _declared(engine, target, name, hint)
    engine.query(f"drop table {quoted(target.raw)}")
    engine.create_empty(target.name, kinds)


def _plainly(column: str, hint: Hint) -> str:
    """A number of the source as text; a binary one that is whole with all its digits."""
    name = quoted(column)
    return f"cast(cast(cast({name} as double) as hugeint) as varchar)" if hint is Hint.FLOAT else name


def _require_exact(engine: Engine, target: Target, column: str, hint: Hint) -> None:
    """Refuse keys that are binary numbers with decimals or too many digits: two of them may look like one.

    Raises:
        DataError: there are some; names them.
    """
    if hint is not Hint.FLOAT:
        return
    value = f"cast({quoted(column)} as double)"
    odd = engine.query(
        f"select distinct {quoted(column)} from {quoted(target.raw)} "
        f"where {value} <> round({value}) or abs({value}) >= {EXACT} or not isfinite({value}) order by 1 limit 3"
    )
    if odd:
        shown = ", ".join(str(key) for (key,) in odd)
        what = f"the keys in '{column}' of data set '{target.name}' are binary numbers that are not exact ({shown})"
        raise DataError(what, where=target.where, fix="Make them text or whole numbers where they come from")


def _type_of(wanted: str) -> str:
    """The engine's type for one that a job fixes."""
    found = FIXED.match(wanted)
    assert found is not None  # the model has looked
    return f"DECIMAL({found[2]},{found[3]})" if found[2] else _FIXED[wanted]


def _as_fixed(engine: Engine, target: Target, name: str, hint: Hint) -> str:
    """The SQL that makes the values of a column whose type the job fixes, written as the job says."""
    kind = _type_of(target.fixed[name])
    value = quoted(name)
    if hint in _OPEN:
        named: Sequence[Kind] = target.writing.named_numbers(name)
        if kind in ("DATE", "TIMESTAMP"):
            named = target.writing.named_dates(name)
        elif kind in ("VARCHAR", "BOOLEAN"):
            named = ()
        value = _first_that_fits(name, named)
    said = f"does not fit {target.fixed[name]}"
    _require(engine, target, name, kind, value, said, "Correct these values, or give another type")
    return f"cast({value} as {kind})"


def _first_that_fits(name: str, kinds: Iterable[Kind]) -> str:
    """The SQL for the value by whichever kind fits a text; the text itself where none does."""
    cases = "".join(f"when {kind.test(name)} then {_exactly(kind, name)} " for kind in kinds)
    return f"case {cases}else {quoted(name)} end" if cases else quoted(name)


def _exactly(kind: Kind, name: str) -> str:
    if isinstance(kind, Notation):
        hundredth = f"cast({kind.plain(name)} as decimal(30,10)) * 0.01::decimal(3,2)"
        return f"cast({hundredth} as varchar)" if kind.is_percent else kind.plain(name)
    return f"cast({kind.value(name)} as varchar)"


def _require(engine: Engine, target: Target, name: str, kind: str, value: str, said: str, fix: str) -> None:
    """Refuse values that are not of a type.

    Raises:
        DataError: there are some; names their rows.
    """
    bad = doubting.places(engine, target, name, f"try_cast({value} as {kind}) is not null")
    if bad:
        shown = ", ".join(bad)
        what = f"column '{name}' of data set '{target.name}' {said} ({shown})"
        raise DataError(what, where=target.where, fix=fix)
