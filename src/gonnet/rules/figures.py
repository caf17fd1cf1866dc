"""Every figure and every condition of a job for all keys at once: one `GROUP BY`, never a query per recipient.

SQL has three truth values (ISO/IEC 9075-2, 8.22): a condition that comes out NULL is *unknown*, and does not hold. One
that cannot be evaluated for some key (a division by zero, a text that is no number) fails for that key alone.
"""

from __future__ import annotations

import gc
import re
import sys
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from functools import lru_cache
from types import MappingProxyType
from typing import Any, NamedTuple

from gonnet.data import Engine, Names, names_in, names_in_order, quoted
from gonnet.errors import DataError, JobError
from gonnet.jobs.models import Job
from gonnet.rules.context import (
    FIGURES,
    SEEN,
    SEEN_UNCHANGED,
    Context,
    Figures,
    aggregates,
    put,
    put_rows_by_package,
    ranges,
    rows_by_package,
)

TRUTHS, TRUTHS_UNCHANGED = "gonnet_truths", "gonnet_truths_unchanged"
_OTHERWISE = "null"  # what is for all the others is known when these are
_MAY_USE = (
    "A condition may use figures, parameters ($name), recipient.column, run.…, whole.figure, past.… and earlier.figure"
)


class Evaluated(NamedTuple):
    """What came out for one key. A tuple, since there is one for each of many keys.

    Attributes:
        key: The key.
        figures: Figure → value, `rows` first.
        conditions: One truth value for each rule, in order; None is unknown.
        blocks: Report and number of each block with a condition → its truth value.
        failures: Why conditions could not be evaluated for this key; rule and value.
        if_unchanged: The conditions as they are if the documents show what they last did; None where no rule asks.
    """

    key: str
    figures: Mapping[str, Any]
    conditions: tuple[bool | None, ...]
    blocks: Mapping[tuple[str, int], bool | None] = MappingProxyType({})
    failures: tuple[str, ...] = ()
    if_unchanged: tuple[bool | None, ...] | None = None

    def hidden(self, report: str) -> frozenset[int]:
        """The blocks of a report that are left out: their conditions do not hold."""
        return frozenset(at for (name, at), holds in self.blocks.items() if name == report and not holds)


@dataclass(frozen=True, slots=True, kw_only=True)
class _Condition:
    """A condition of the job: what it is of, its SQL, its place, and what it is for: `keys`, `bundles` or `all`."""

    of: str
    sql: str
    where: str
    applies: str = "all"


@contextmanager
def _without_collecting() -> Iterator[None]:
    """Let the collector rest: of the many objects that are made here none is garbage, and it would look through all."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()


def evaluate(
    engine: Engine,
    job: Job,
    keys: str,
    context: Context,
    values: Mapping[str, object],
    bundles: Mapping[str, Sequence[str]] = MappingProxyType({}),
) -> Evaluations:
    """Evaluate all figures and rule conditions of `job` for all keys and for `bundles`.

    A key without rows gets what the aggregates say of no rows: `rows` is 0, a sum is NULL.

    Args:
        engine: The engine, after the split.
        job: The job.
        keys: The table of every key of the run and every bundle.
        context: What conditions see besides figures.
        values: Bound parameters by name.
        bundles: Bundle → its keys; their rows are its rows.

    Raises:
        JobError: a figure or a condition does not run; names its place.
    """
    figures = _by_view(job)
    put_rows_by_package(engine, list(figures), bundles)
    _put_figures(engine, job, figures, keys, values)
    conditions = list(_conditions(job))
    _require_in_time(job)
    put(engine, context, figures, values, named_in(job))
    names = ("rows", *job.file.figures)
    failures = _truths(engine, names, conditions, values)
    may_be_unchanged = any(asks_for_changes(condition.sql) for condition in conditions)
    if may_be_unchanged:
        tests = [f"try({_test(condition)})" for condition in conditions]
        _ask(engine, SEEN_UNCHANGED, TRUTHS_UNCHANGED, (), tests, values)
    return Evaluations(engine, job, names, len(conditions), failures, frozenset(bundles), may_be_unchanged)


class Evaluations:
    """What came out for every key and bundle of a run: kept in the engine's tables, and fetched when it is asked for.

    Args:
        engine: The engine.
        job: The job.
        names: The figures.
        conditions: How many conditions there are.
        failures: Key → what failed for it.
        bundles: Which are bundles.
        may_be_unchanged: Whether a condition asks what the documents last showed.
    """

    def __init__(
        self,
        engine: Engine,
        job: Job,
        names: Sequence[str],
        conditions: int,
        failures: _Failures,
        bundles: frozenset[str],
        may_be_unchanged: bool,
    ) -> None:
        self._engine, self._names, self._failures, self._bundles = engine, names, failures, bundles
        self._blocks, self._may_be_unchanged = list(dict(_blocks(job))), may_be_unchanged
        rules = len(job.file.rules)
        self._unpack = lru_cache(maxsize=10_000)(lambda packed: _unpacked(packed, conditions))
        self._truths = lru_cache(maxsize=10_000)(lambda packed: self._unpack(packed)[:rules])
        self._rules = rules

    @_without_collecting()
    def of(self, within: tuple[str, str] | None = None) -> dict[str, Evaluated]:
        """Key or bundle → what came out, of all, or of those between two, both included."""
        width, names, truths = len(self._names) + 1, self._names, self._truths
        found = self._fetched(TRUTHS, within)
        evaluated: dict[str, Evaluated] = {
            (key := sys.intern(row[0])): Evaluated(
                key, dict(zip(names, row[1:width], strict=True)), truths(row[width:])
            )
            for row in found
        }
        for row in found if self._blocks else ():
            held = dict(zip(self._blocks, self._unpack(row[width:])[self._rules :], strict=True))
            evaluated[row[0]] = evaluated[row[0]]._replace(blocks=held)
        for key in self._failures.keys() & evaluated.keys() if self._failures else ():
            told = tuple(_told_for(key in self._bundles, self._failures[key], evaluated[key].figures))
            evaluated[key] = evaluated[key]._replace(failures=told)
        for key, *packed in self._fetched(TRUTHS_UNCHANGED, within) if self._may_be_unchanged else ():
            evaluated[key] = evaluated[key]._replace(if_unchanged=truths(tuple(packed)))
        return evaluated

    def _fetched(self, table: str, within: tuple[str, str] | None) -> _Lines:
        if within is None:
            return self._engine.query(f"select * from {table}")
        wanted = f"select * from {table} where gonnet_key between $first and $last"
        return self._engine.query(wanted, {"first": within[0], "last": within[1]})


def _by_view(job: Job) -> Figures:
    found: dict[str, dict[str, str]] = {view: {} for view in job.views}
    for name, figure in job.file.figures.items():
        found[job.view_of(figure)][name] = figure.value
    return found


def _put_figures(engine: Engine, job: Job, figures: Figures, keys: str, values: Mapping[str, object]) -> None:
    """Make the table of all figures of all keys.

    Raises:
        JobError: one of them does not run.
    """
    main, *others = figures
    try:
        _make_figures(engine, FIGURES, main, figures, keys, values)
        for view in others:
            if figures[view]:
                more = f"{FIGURES}_more"
                _make_figures(engine, more, view, figures, keys, values)
                engine.query(
                    f"create or replace table {FIGURES} as select * from {FIGURES} join {more} using (gonnet_key)"
                )
    except DataError as error:
        each = [(view, name, sql) for view, part in figures.items() for name, sql in part.items()]
        for view, name, sql in each:
            try:
                _make_figures(engine, FIGURES, view, {view: {name: sql}}, keys, values)
            except DataError as failure:
                what = f"figure '{name}' does not run: {failure.what}"
                raise JobError(what, where=job.at("figures", name), fix=failure.fix) from failure
        raise JobError(error.what, where=job.at("figures"), fix=error.fix) from error


def _make_figures(
    engine: Engine, table: str, view: str, figures: Figures, keys: str, values: Mapping[str, object]
) -> None:
    """A table of the figures over one view, a line for each key, whether it has rows there or not."""
    selected = aggregates(figures[view], with_rows=table == FIGURES)
    for at, (within, bounds) in enumerate(ranges(engine, keys)):
        into = f"insert into {table}" if at else f"create or replace table {table} as"
        engine.query(
            f"""{into} select gonnet_key, {selected}
            from {rows_by_package(view)} where gonnet_key is not null {within} group by gonnet_key""",
            {**values, **bounds},
        )
    nothing = f"select {selected} from {view} where false"
    if engine.count(table) == engine.count(keys):
        engine.query(nothing, values)  # every key has rows; that each figure runs over none is looked at all the same
        return
    engine.query(
        f"""insert into {table} select lacking.gonnet_key, nothing.* from (
          select gonnet_key from {keys} anti join {table} using (gonnet_key)) as lacking, ({nothing}) as nothing""",
        values,
    )


def named_in(job: Job, of: str = "all") -> Names:
    """What the conditions and the orders of bundles name: all, or those that are for `keys` or for `bundles`."""
    asked = [found.sql for found in _conditions(job) if "all" in (of, found.applies) or of == found.applies]
    orders = [spec.bundle.order for spec in job.file.recipients if spec.bundle and spec.bundle.order]
    named, ordered = names_in(*asked), names_in_order(*orders)
    return Names(columns=(*named.columns, *ordered.columns))


def _require_in_time(job: Job) -> None:
    """Refuse rules that change a package by what is known only when it is made.

    Raises:
        JobError: one does.
    """
    parts = ("message", "add", "drop", "format", "to", "cc", "bcc", "important", "deliver")
    for index, rule in enumerate(job.file.rules):
        changes = any(getattr(rule, part) not in (None, ()) for part in parts)
        if changes and rule.when is not None and asks_for_changes(rule.when):
            what = "what `past.changed` says is known only when the documents are made: such a rule skips or holds"
            raise JobError(what, where=job.at("rules", index, "when"), fix="Give the rest to a rule of its own")


def _conditions(job: Job) -> Iterator[_Condition]:
    """Those of the rules, in order, then those of the blocks."""
    for index, rule in enumerate(job.file.rules):
        of = f"the condition of rule '{rule.name}'"
        where = job.at("rules", index, "when")
        yield _Condition(of=of, sql=rule.when or _OTHERWISE, where=where, applies=rule.applies)
    for (name, index), when in _blocks(job):
        where = job.at("reports", name, "blocks", index, "when")
        yield _Condition(of="the condition of this block", sql=when, where=where)


def _blocks(job: Job) -> Iterator[tuple[tuple[str, int], str]]:
    """Report and number of each block that has a condition, with it."""
    for name, report in job.file.reports.items():
        for index, block in enumerate(report.blocks):
            if block.when is not None:
                yield (name, index), block.when


_BITS = 60
_NO_BLOCKS: Mapping[tuple[str, int], bool | None] = MappingProxyType({})
_Lines = list[tuple[Any, ...]]
_Failures = dict[str, list[tuple[_Condition, str]]]


def _truths(
    engine: Engine, names: Sequence[str], conditions: Sequence[_Condition], values: Mapping[str, object]
) -> _Failures:
    """Make the table of key, figures and truth values, a line for each key; key → what failed for it.

    Raises:
        JobError: a condition does not run for anybody.
    """
    tests = [_test(condition) for condition in conditions]
    try:
        _ask(engine, SEEN, TRUTHS, names, tests, values)
        return {}
    except DataError:
        failures: _Failures = {}
        for condition, test in zip(conditions, tests, strict=True):
            for key, what in _failing(engine, condition, test, values):
                failures.setdefault(key, []).append((condition, what))
        _ask(engine, SEEN, TRUTHS, names, [f"try({test})" for test in tests], values)
        return failures


def _test(condition: _Condition) -> str:
    # A condition must be a truth value: `boolean` is cast to, so that text or a number is refused, not guessed at.
    return f"cast(({condition.sql}\n) as boolean)"


def asks_for_changes(sql: str) -> bool:
    """Whether a condition can be known only when the documents are made."""
    return names_in(sql).asks_for("past", "changed")


def _ask(
    engine: Engine, seen: str, into: str, names: Sequence[str], tests: Sequence[str], values: Mapping[str, object]
) -> None:
    # In key order, so that a portion of it is found without looking at all the rest.
    packed = (f"{test} as gonnet_truths_{at}" for at, test in enumerate(_packed(tests)))
    columns = ", ".join(("gonnet_key", *map(quoted, names), *packed))
    sql = f"create or replace table {into} as select {columns} from {seen} order by gonnet_key"
    engine.query(sql, values, strictly=True)


def _packed(tests: Sequence[str]) -> Iterator[str]:
    """Truth values as two whole numbers for each sixty: which hold, and which are unknown.

    To fetch them one by one takes longer than to find them.
    """
    for begin in range(0, len(tests), _BITS):
        part = tests[begin : begin + _BITS]
        yield " | ".join(f"(coalesce({test}, false)::bigint << {bit})" for bit, test in enumerate(part))
        yield " | ".join(f"(({test} is null)::bigint << {bit})" for bit, test in enumerate(part))


def _unpacked(packed: tuple[Any, ...], count: int) -> tuple[bool | None, ...]:
    found: list[bool | None] = []
    for holds, unknown in zip(packed[::2], packed[1::2], strict=True):
        found += [
            None if unknown >> bit & 1 else bool(holds >> bit & 1) for bit in range(min(_BITS, count - len(found)))
        ]
    return tuple(found)


def _failing(
    engine: Engine, condition: _Condition, test: str, values: Mapping[str, object]
) -> Iterator[tuple[str, str]]:
    """Each key for which a condition cannot be evaluated, and why: the keys are halved until it is found.

    Raises:
        JobError: it does not run even for nobody.
    """

    def failure(keys: Sequence[str]) -> DataError | None:
        wanted = "gonnet_key in (select unnest(cast($gonnet_wanted as varchar[])))"
        try:
            sql = f"select count({test}) from {SEEN} where {wanted}"
            engine.query(sql, {**values, "gonnet_wanted": list(keys)}, strictly=True)
        except DataError as error:
            return error
        return None

    if (error := failure([])) is not None:
        what = f"{condition.of} does not run: {error.what}"
        raise JobError(what, where=condition.where, fix=error.fix or _MAY_USE)
    waiting = [[str(key) for (key,) in engine.query(f"select gonnet_key from {FIGURES} order by 1")]]
    while waiting:
        keys = waiting.pop()
        error = failure(keys) if keys else None
        if error is not None and len(keys) == 1:
            yield keys[0], error.what
        elif error is not None:
            middle = len(keys) // 2
            waiting += [keys[middle:], keys[:middle]]


def _told_for(
    is_bundle: bool,
    failures: Sequence[tuple[_Condition, str]],
    figures: Mapping[str, Any],
) -> Iterator[str]:
    for failure in failures:
        if failure[0].applies in ("all", "bundles" if is_bundle else "keys"):
            yield _told(failure, figures)


def _told(found: tuple[_Condition, str], figures: Mapping[str, Any]) -> str:
    """What failed, with the values that went into it."""
    condition, what = found
    named = names_in(condition.sql)
    used = [name for name in figures if named.asks_for(name)]
    values = ", ".join(f"{name} = {'empty' if figures[name] is None else figures[name]}" for name in used)
    short = re.sub(r"\. Use TRY\(.*", "", what)
    return f"{condition.of} fails: {short}" + (f" ({values})" if values else "")
