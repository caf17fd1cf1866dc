"""What the columns of a table are that was never seen before: amounts, identifiers, dates, names, addresses, keys."""

from __future__ import annotations

import math
import re
from collections.abc import Collection, Sequence
from dataclasses import dataclass

from gonnet.data import ColumnType, Engine, quoted
from gonnet.jobs.drafting import SeenColumn


def _words(text: str) -> frozenset[str]:
    return frozenset(text.split())


_NEVER = _words(
    """
    id no nr num number nummer code key ref rate price preis pct percent ratio share quota avg average mean
    median year years jahr zip plz postcode phone tel fax mobile rank version grade score rating level age
    lat lon lng latitude longitude coord x y z life expectancy per percap capita temp temperature dewp humid
    humidity wind speed gust pressure visib index iban seq unit
    """
)
"""Words in the name of a column whose sum means nothing."""

_ALWAYS = _words(
    """
    amount amounts sum total totals qty quantity net gross tax vat paid cost costs revenue sales litres
    liters kg hours value betrag menge umsatz summe netto brutto payable due balance pieces count distance
    """
)
"""Words in the name of a column that is added up, whatever its values look like."""

_RARELY = _words(
    """
    order invoice card account konto flight row line time day days tag month monat week quarter hour minute
    second round stop track date page room seat gate term period size
    """
)
"""Words that name a thing by its number, unless an amount of it is meant."""

_KEY_WORDS = _words(
    """
    farm member customer client branch dept department region group team site store no nr id code key
    """
)
_TOTALS = re.compile(
    r"(grand |sub)?totals?|sums?|summe|gesamt|insgesamt|totaal|totale|suma|celkem|итого", re.IGNORECASE
)


@dataclass(frozen=True, slots=True, kw_only=True)
class _Shape:
    """What the values of a column of numbers look like."""

    rows: int
    distinct: int
    least: float
    greatest: float
    is_clock: bool
    digits: int  # of all of them, 0 where they differ


def seen_columns(engine: Engine, table: str = "rows") -> tuple[SeenColumn, ...]:
    """The columns of a table, and which of them are amounts."""
    return tuple(_seen(engine, table, column) for column in engine.columns(table))


def _seen(engine: Engine, table: str, column: ColumnType) -> SeenColumn:
    name = quoted(column.name)
    is_amount = _is_amount(engine, table, column)
    gaps = engine.query(f"select 1 from {quoted(table)} where {name} is null limit 1") if is_amount else []
    return SeenColumn(
        name=column.name, kind=kind_of(column), decimals=column.decimals, is_amount=is_amount, has_gaps=bool(gaps)
    )


def kind_of(column: ColumnType) -> str:
    """What a column holds, in a word."""
    if column.is_open:
        return "text"
    if column.is_number:
        return "whole" if column.is_integer else "decimal"
    if column.is_date:
        return "date" if column.type == "DATE" else "time"
    return "truth" if column.type == "BOOLEAN" else "text"


def words_of(name: str) -> list[str]:
    """The words of a column's name: `netAmount_EUR` → net, amount, eur."""
    parted = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", " ", name)
    return re.sub(r"[^\w]+|_+|(?<=[a-z])(?=[0-9])", " ", parted.casefold()).split()


def _is_amount(engine: Engine, table: str, column: ColumnType) -> bool:
    """Whether adding the values up makes sense, as far as the name and the values tell; when in doubt it does not."""
    if not column.is_number or column.is_open:
        return False
    words = set(words_of(column.name))
    if words & _NEVER:
        return False
    if words & _ALWAYS:
        return True
    return not words & _RARELY and not _is_identifier(_shape(engine, table, column), column)


def _is_identifier(shape: _Shape, column: ColumnType) -> bool:
    """Whether numbers look like names: each of its own, all of one length, years, times of day, places, yes or no."""
    is_place = column.decimals >= 4 and not column.is_integer and shape.least >= -180 and shape.greatest <= 180
    if not column.is_integer:
        return is_place
    is_each_its_own = shape.rows >= 10 and shape.distinct == shape.rows
    are_years = shape.least >= 1800 and shape.greatest <= 2100 and shape.rows >= 2
    is_numbered = shape.digits >= 5 and shape.distinct > 10
    is_flag = shape.least >= 0 and shape.greatest <= 1
    return is_each_its_own or are_years or is_numbered or is_flag or (shape.is_clock and shape.distinct >= 20)


def _shape(engine: Engine, table: str, column: ColumnType) -> _Shape:
    name = quoted(column.name)
    whole = f"cast({name} as hugeint)"
    clock = f"min({name}) >= 0 and max({name}) between 600 and 2400 and bool_and({whole} % 100 < 60)"
    lengths = f"min(length(cast({whole} as varchar))), max(length(cast({whole} as varchar)))"
    ((rows, distinct, least, greatest, is_clock, shortest, longest),) = engine.query(
        f"select count({name}), count(distinct {name}), min({name}), max({name}), {clock}, {lengths} "
        f"from {quoted(table)}"
    )
    return _Shape(
        rows=int(str(rows)),
        distinct=int(str(distinct)),
        least=float(str(least or 0)),
        greatest=float(str(greatest or 0)),
        is_clock=bool(is_clock),
        digits=int(str(longest or 0)) if shortest == longest else 0,
    )


def likely_key(engine: Engine, seen: Sequence[SeenColumn], known: Collection[str] = ()) -> str | None:
    """The column that most likely says whose row it is; None where every value is there once.

    Args:
        engine: Holds the table as `rows`.
        seen: Its columns.
        known: Columns of the recipient list.
    """
    count = engine.count("rows")
    best: tuple[tuple[bool, bool, float], str] | None = None
    for column in seen:
        if column.is_amount or column.kind in ("date", "time", "truth", "decimal"):
            continue
        name = quoted(column.name)
        distinct = int(str(engine.query(f"select count(distinct {name}) from rows")[0][0]))
        if not 1 < distinct < max(3, count * 0.9):
            continue
        is_named = bool(_KEY_WORDS & set(words_of(column.name)))
        near = -abs(math.log(distinct / math.sqrt(count)))
        rank = (column.name in known, is_named, near)
        if best is None or rank > best[0]:
            best = rank, column.name
    return best[1] if best else None


def likely_address(engine: Engine) -> str | None:
    """The column with mail addresses; None where there is none."""
    texts = [column.name for column in engine.columns("rows") if column.type == "VARCHAR"]
    shares = {name: _share_of_addresses(engine, name) for name in texts}
    best = max(shares, key=lambda name: shares[name], default=None)
    return best if best is not None and shares[best] > 0.5 else None


def _share_of_addresses(engine: Engine, name: str) -> float:
    found = engine.query(f"select avg(({quoted(name)} like '%_@_%')::integer) from rows")[0][0]
    return float(str(found or 0))


def likely_name(seen: Sequence[SeenColumn], key: str, to: str) -> str | None:
    """The column by which a person is called: a person's name before that of a firm or a farm."""
    texts = [column.name for column in seen if column.kind == "text" and column.name not in (key, to)]
    named = [name for name in texts if "name" in words_of(name) or "name" in name.casefold()]
    by_word = [name for name in texts if {"contact", "person", "recipient"} & set(words_of(name))]
    exact = [name for name in named if name.casefold() in ("name", "full name", "full_name", "contact_name")]
    others = [name for name in named if not {"user", "file", "domain", "login", "last", "sur"} & set(words_of(name))]
    return next(iter((*by_word, *exact, *others, *named)), None)


def total_keys(keys: Collection[str]) -> list[str]:
    """Keys that are rather the label of a total line."""
    return sorted(key for key in keys if _TOTALS.fullmatch(key.strip(" :")))
