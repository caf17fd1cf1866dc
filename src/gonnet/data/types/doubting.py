"""What is told of columns of text: how they were read, and what they may be meant as instead."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Sequence

from gonnet.data.engine import Engine, quoted
from gonnet.data.types.dates import Dated, short
from gonnet.data.types.finding import Sought
from gonnet.data.types.kinds import Clock, Day, Kind, PlainDecimal
from gonnet.data.types.numbers import NOTATIONS, Notation
from gonnet.data.types.target import Doubt, Hint, Target
from gonnet.findings import Finding, Weight

_SPELLINGS = 3  # of texts for "no value" in one column
_FEW = 60  # values by which the kinds are ranked
_ENOUGH = 3  # different values that must speak for a kind
_DECIMALS = re.compile(r"[0-9][.,][0-9]")
_LOOKS_DATED = re.compile(r"[0-9]{1,4}[-./][0-9]{1,2}[-./][0-9]{1,4}.*")


def tell(engine: Engine, target: Target, columns: Sequence[Sought]) -> None:
    """Note how columns were read, where it is not the plain form; and what may be meant otherwise."""
    for column in columns:
        if column.kind is not None and not column.rivals:
            _told(engine, target, column)
        elif column.rivals:
            _put(target, _in_two_ways(column))
        elif doubt := _nearly(engine, target, column):
            _put(target, doubt)


def _put(target: Target, doubt: Doubt) -> None:
    target.doubts[doubt.column] = doubt
    text = f"data set '{target.name}': {doubt.text}, so it is text; {doubt.advice}"
    target.findings.append(Finding(weight=Weight.NOTE, text=text))


def _told(engine: Engine, target: Target, column: Sought) -> None:
    kind = column.kind
    if isinstance(kind, Notation) and kind.is_named:
        _require_one_currency(engine, target, column, kind)
    if kind is not None and kind.note and column.kind is not None:
        target.notes.append(
            f"{target.name}.{column.name}: {kind.note}" + (f", like {column.like}" if column.like else "")
        )


def _require_one_currency(engine: Engine, target: Target, column: Sought, kind: Notation) -> None:
    """Leave a column text whose amounts are in several currencies: added up they would be nonsense."""
    found = engine.query(f"select distinct {kind.currency(column.name)} as c from {quoted(target.raw)} order by c")
    signs = [str(sign) for (sign,) in found if sign]
    if len(signs) > 1:
        column.kind = None
        text = (
            f"data set '{target.name}': column '{column.name}' has amounts in {' and '.join(signs)}; it is text. "
            "Take the amount and the currency apart with SQL"
        )
        target.findings.append(Finding(weight=Weight.ATTENTION, text=text))


def _in_two_ways(column: Sought) -> Doubt:
    assert column.kind is not None
    kinds = [column.kind, *column.rivals]
    sample = next(text for text in sorted(column.seen) if re.search(r"[.,/-]", text))
    lines = (Notation(",", ".").line if isinstance(kind, PlainDecimal) else kind.line for kind in kinds)
    text = f"column '{column.name}' can be read in {len(kinds)} ways (such as '{sample}')"
    return Doubt(column=column.name, text=text, choices=tuple((line,) for line in lines))


def _nearly(engine: Engine, target: Target, column: Sought) -> Doubt | None:
    """A doubt about text that is a kind but for a few spellings, or that is one which is never taken unasked."""
    few = sorted(column.seen)[:: len(column.seen) // _FEW + 1]
    for kinds in _unasked(target, column):
        best = max(kinds, key=lambda kind: sum(map(kind.fits, few)))
        if 2 * sum(map(best.fits, few)) >= len(few) and sum(map(best.fits, column.seen)) >= _ENOUGH:
            return _but_for_some(engine, target, column, best)
    return None


def _but_for_some(engine: Engine, target: Target, column: Sought, best: Kind) -> Doubt | None:
    others = _others(engine, target, column.name, best)
    is_named = _is_named(target, column, best)
    if len(others) > _SPELLINGS or not all(_may_be_none(text) for text, _, _ in others):
        return _not_as_named(engine, target, column, best) if is_named else None
    lines = (best.line,) if best.line and not is_named else ()
    if others:
        return _but_for(target, column, best, others, lines)
    shown = "percentages" if isinstance(best, Notation) and best.is_percent else best.what
    text = f"column '{column.name}' has {shown}, written such as '{min(column.seen)}'"
    return Doubt(column=column.name, text=text, choices=(lines,)) if lines else None


def _others(engine: Engine, target: Target, name: str, kind: Kind) -> list[tuple[str, int, int]]:
    """Different texts of a column that are not of a kind, each with its number of rows and the first of them."""
    column = quoted(name)
    rows = engine.query(
        f"select {column}, count(*), min(rowid) + 1 from {quoted(target.raw)} "
        f"where {column} is not null and not ({kind.test(name)}) group by all order by 3 limit {_SPELLINGS + 1}"
    )
    return [(str(text), int(str(count)), int(str(first))) for text, count, first in rows]


def _but_for(
    target: Target, column: Sought, best: Kind, others: Sequence[tuple[str, int, int]], lines: tuple[str, ...]
) -> Doubt:
    texts, counts, firsts = zip(*others, strict=True)
    count, first = sum(counts), min(firsts)
    shown = " and ".join(f"'{text}'" for text in texts)
    rows = f"row {first}" if count == 1 else f"{count:,} rows, the first is row {first}"
    missing = list(dict.fromkeys((*target.writing.missing_of(column.name), *texts)))
    text = f"column '{column.name}' has {best.what} but for {shown} ({rows})"
    line = f"missing: {json.dumps(missing, ensure_ascii=False)}"
    return Doubt(column=column.name, text=text, choices=((*lines, line),))


def _not_as_named(engine: Engine, target: Target, column: Sought, best: Kind) -> Doubt:
    shown = ", ".join(places(engine, target, column.name, best.test(column.name)))
    text = f"column '{column.name}' is not written throughout as the job says ({shown})"
    return Doubt(column=column.name, text=text, choices=((f"types: {{{column.name}: text}}",),))


def places(engine: Engine, target: Target, name: str, test: str, most: int = 5) -> list[str]:
    """The first rows whose text is not as `test` wants it, each with its text."""
    column = quoted(name)
    rows = engine.query(
        f"select rowid + 1, {column} from {quoted(target.raw)} "
        f"where {column} is not null and not ({test}) order by rowid limit {most}"
    )
    return [f"row {row}: '{text}'" for row, text in rows]


def _unasked(target: Target, column: Sought) -> Iterator[Sequence[Kind]]:
    """The kinds that a column of text may be meant as, the likely ones first.

    A source that has types means most texts as they are.
    """
    writing = target.writing
    if column.hint is Hint.TEXT and not column.kinds:
        return
    if column.hint is Hint.ANY and not writing.named_numbers(column.name):
        yield (PlainDecimal(),)
    if column.hint is not Hint.TEXT:
        yield Day(), Clock(), *writing.dates_of(column.name), *short(writing.language)
    if column.hint is Hint.ANY or any(map(_DECIMALS.search, column.seen)):
        known = writing.named_numbers(column.name)[:1] or NOTATIONS
        named = [Notation(notation.group, notation.decimal_sign, is_named=True) for notation in known]
        yield *named, *(notation.as_percent() for notation in named)


def _is_named(target: Target, column: Sought, kind: Kind) -> bool:
    if isinstance(kind, Notation):
        return bool(target.writing.named_numbers(column.name))
    return isinstance(kind, Dated) and bool(target.writing.named_dates(column.name))


def _may_be_none(text: str) -> bool:
    """Whether a text may stand for no value, or is a mistake that nobody wants to have: no digits, or a date."""
    return not any(sign.isdigit() for sign in text) or _LOOKS_DATED.fullmatch(text) is not None
