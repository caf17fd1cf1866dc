"""Which kind of value a column of text holds: proposed by a sample, proved by every row, refuted by examples.

Where two kinds fit all values and would read them differently, the other columns of the file may settle it: one file
is written in one way. Where they do not, the column stays text, and it is told.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from gonnet.data.engine import Engine, quoted
from gonnet.data.types.dates import Dated
from gonnet.data.types.kinds import Clock, Day, Kind, Moment, PlainDecimal, Truth, Whole
from gonnet.data.types.numbers import NOTATIONS, Notation
from gonnet.data.types.target import Hint, Target

_SAMPLE = 2_000
_SPREAD = 1_000
_EXAMPLES = 20
_MAY_HAVE_RIVALS = (PlainDecimal, Notation, Dated)


@dataclass(slots=True)
class Sought:
    """A column of text whose kind is sought.

    Attributes:
        name: The column.
        hint: What the source says of it.
        kinds: What it may be, best first.
        seen: Texts that were looked at: a sample, and examples against kinds that it seemed to be.
        kind: What it is; None for text.
        rivals: Other kinds that fit all its values and read them differently.
        like: The column that settled between them.
    """

    name: str
    hint: Hint
    kinds: tuple[Kind, ...]
    seen: set[str] = field(default_factory=set)
    kind: Kind | None = None
    rivals: tuple[Kind, ...] = ()
    like: str = ""

    @property
    def fitting(self) -> list[Kind]:
        """The kinds that fit everything that was seen; the best alone where no other reads it differently."""
        if not self.seen:
            return []
        found = (kind for kind in self.kinds if all(map(kind.fits, self.seen)))
        best = next(found, None)
        return [best, *found] if isinstance(best, _MAY_HAVE_RIVALS) else [best] if best is not None else []


def sought(target: Target, name: str, hint: Hint) -> Sought:
    """A column and what it may be."""
    writing = target.writing
    numbers: tuple[Kind, ...] = writing.named_numbers(name)
    if hint is Hint.ANY and not numbers:
        numbers = (Whole(), PlainDecimal(), *NOTATIONS)
    dates: tuple[Kind, ...] = writing.named_dates(name)
    if hint in (Hint.ANY, Hint.DATED):
        dates = (Day(), Clock(), Moment(target.zone), *writing.dates_of(name))
    truth = (Truth(),) if hint is Hint.ANY else ()
    by_name = writing.dates.get(name, ())  # before numbers, since days that are counted are numbers too
    return Sought(name, hint, (*by_name, *numbers, *dates, *truth))


def find(engine: Engine, target: Target, columns: Sequence[Sought]) -> None:
    """Say of each column what it is; `kind` stays None for text."""
    _look(engine, target, columns)
    open_ = [column for column in columns if column.kinds]
    while open_:
        tried = {column.name: _rivals(column) for column in open_}
        wrong = _refuted(engine, target, tried)
        for column in open_:
            if column.name in wrong:
                refuted, values = wrong[column.name]
                column.seen |= values
                column.kinds = tuple(kind for kind in column.kinds if kind not in refuted)
            elif tried[column.name]:
                column.kind, *rest = tried[column.name]
                column.rivals = tuple(rest)
        open_ = [column for column in open_ if column.name in wrong]
    _settle(target, columns)


def _look(engine: Engine, target: Target, columns: Sequence[Sought]) -> None:
    """Take a sample of each column: the first rows, and some from all over."""
    if not columns:
        return
    names = ", ".join(quoted(column.name) for column in columns)
    step = max(1, engine.count(target.raw) // _SPREAD)
    rows = engine.query(f"select {names} from {quoted(target.raw)} where rowid < {_SAMPLE} or rowid % {step} = 0")
    for column, values in zip(columns, zip(*rows, strict=True) if rows else (() for _ in columns), strict=True):
        column.seen = {str(value) for value in values if value is not None}
        if not column.seen:
            name = quoted(column.name)
            first = engine.query(f"select {name} from {quoted(target.raw)} where {name} is not null limit 1")
            column.seen = {str(value) for (value,) in first}


def _rivals(column: Sought) -> list[Kind]:
    """The best of what fits, and what would read the same values differently."""
    fitting = column.fitting
    if not fitting:
        return []
    best = fitting[0]
    if isinstance(best, PlainDecimal | Notation) and not any("." in text or "," in text for text in column.seen):
        return [best]
    if isinstance(best, PlainDecimal):
        return [best, *(kind for kind in fitting if isinstance(kind, Notation) and kind.decimal_sign != ".")]
    if isinstance(best, Notation):
        others = (kind for kind in fitting if isinstance(kind, Notation) and not kind.is_named)
        return [best, *(kind for kind in others if kind.decimal_sign != best.decimal_sign)]
    if isinstance(best, Dated):
        others_ = (kind for kind in fitting if isinstance(kind, Dated))
        return [best, *(kind for kind in others_ if day_first(kind) != day_first(best))]
    return [best]


def day_first(kind: Dated) -> bool:
    """Whether the day stands before the month."""
    return kind.pattern.index("d") < kind.pattern.index("M")


def _refuted(
    engine: Engine, target: Target, tried: Mapping[str, Sequence[Kind]]
) -> dict[str, tuple[set[Kind], set[str]]]:
    """Column → what it seemed to be and is not, and some of the values that show it."""
    pairs = [(name, kind) for name, kinds in tried.items() for kind in kinds]
    if not pairs:
        return {}
    tests = ", ".join(f"bool_and({quoted(name)} is null or ({kind.test(name)}))" for name, kind in pairs)
    row = engine.query(f"select {tests} from {quoted(target.raw)}")[0]
    found: dict[str, tuple[set[Kind], set[str]]] = {}
    for (name, kind), holds in zip(pairs, row, strict=True):
        if holds is False:
            refuted, values = found.setdefault(name, (set(), set()))
            refuted.add(kind)
            values.update(_examples(engine, target, name, kind))
    return found


def _examples(engine: Engine, target: Target, name: str, kind: Kind) -> list[str]:
    """Different texts of a column that are not of a kind, in their order in the file."""
    column = quoted(name)
    rows = engine.query(
        f"select {column} from {quoted(target.raw)} where {column} is not null and not ({kind.test(name)}) "
        f"group by {column} order by min(rowid) limit {_EXAMPLES}"
    )
    return [str(value) for (value,) in rows]


def _settle(target: Target, columns: Sequence[Sought]) -> None:
    """Let columns that can be read in one way only settle those that can be read in two."""
    shown = {_manner(column.kind): column.name for column in columns if column.kind and not column.rivals}
    for column in columns:
        if not column.rivals:
            continue
        choices = {_manner(kind): kind for kind in (column.kind, *column.rivals) if kind is not None}
        known = [manner for manner in choices if manner in shown]
        if len(known) == 1:
            column.kind, column.rivals, column.like = choices[known[0]], (), shown[known[0]]
        elif not known and isinstance(column.kind, PlainDecimal) and target.writing.has_decimal_point:
            column.rivals = ()


def _manner(kind: Kind | None) -> str:
    """What a kind shows of how a file is written; empty for nothing."""
    match kind:
        case PlainDecimal():
            return "decimal ."
        case Notation():
            return f"decimal {kind.decimal_sign}"
        case Dated() if "/" in kind.pattern or "-" in kind.pattern:
            return "day first" if day_first(kind) else "month first"
        case _:
            return ""
