"""Every figure and every condition of a job for all keys at once: one `GROUP BY`, never a query per recipient.

SQL has three truth values (ISO/IEC 9075-2, 8.22): a condition that comes out NULL is *unknown*, and does not hold.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from gonnet.data import Engine, quoted
from gonnet.errors import DataError, JobError
from gonnet.jobs.models import Job

_KEYS = "gonnet_keys"
_LIST = "gonnet_list"
_OTHERWISE = "null"  # what is for all the others is known when these are
_MAY_USE = "A condition may use figures, parameters ($name) and columns of the list (recipient.name)"


@dataclass(frozen=True, slots=True, kw_only=True)
class Evaluated:
    """What came out for one key.

    Attributes:
        key: The key.
        figures: Figure → value, `rows` first.
        conditions: One truth value for each rule, in order; None is unknown.
        blocks: Report and number of each block with a condition → its truth value.
        failures: Why conditions could not be evaluated for this key; rule and value.
    """

    key: str
    figures: Mapping[str, Any]
    conditions: tuple[bool | None, ...]
    blocks: Mapping[tuple[str, int], bool | None] = field(default_factory=dict)
    failures: tuple[str, ...] = ()

    def hidden(self, report: str) -> frozenset[int]:
        """The blocks of a report that are left out: their conditions do not hold."""
        return frozenset(at for (name, at), holds in self.blocks.items() if name == report and not holds)


def evaluate(
    engine: Engine,
    job: Job,
    keys: Sequence[str],
    fields: Mapping[str, Mapping[str, object]],
    values: Mapping[str, object],
) -> dict[str, Evaluated]:
    """Evaluate all figures and rule conditions of `job` for `keys`.

    A key without rows gets what the aggregates say of no rows: `rows` is 0, a sum is NULL.

    Args:
        engine: The engine, after the split.
        job: The job.
        keys: Every key of the run.
        fields: Key → the columns of its first line of the list, seen in conditions as `recipient.column`.
        values: Bound parameters by name.

    Raises:
        JobError: a figure or a condition does not run; names its place.
    """
    _put_keys(engine, keys, fields)
    figures, rules, blocks = job.file.figures, job.file.rules, dict(_blocks(job))
    try:
        rows = engine.query(_query(figures, [*(rule.when or _OTHERWISE for rule in rules), *blocks.values()]), values)
    except DataError as error:
        raise _culprit(engine, job, values) or error from error
    names = ("rows", *figures)
    width = len(names)
    found = {}
    for key, *cells in rows:
        truths = [None if cell is None else bool(cell) for cell in cells[width:]]
        found[str(key)] = Evaluated(
            key=str(key),
            figures=dict(zip(names, cells[:width], strict=True)),
            conditions=tuple(truths[: len(rules)]),
            blocks=dict(zip(blocks, truths[len(rules) :], strict=True)),
        )
    return found


def _blocks(job: Job) -> Iterator[tuple[tuple[str, int], str]]:
    """Report and number of each block that has a condition, with it."""
    for name, report in job.file.reports.items():
        for index, block in enumerate(report.blocks):
            if block.when is not None:
                yield (name, index), block.when


def _query(figures: Mapping[str, str], conditions: Sequence[str]) -> str:
    aggregates = "".join(f", ({sql}\n) as {quoted(name)}" for name, sql in figures.items())
    # A condition must be a truth value: `boolean` is cast to, so that text or a number is refused, not guessed at.
    tests = "".join(f", cast(({sql}\n) as boolean)" for sql in conditions)
    columns = ", ".join(f"figures.{quoted(name)}" for name in ("rows", *figures))
    return f"""
    with figures as (
      select gonnet_key, count(*) as "rows"{aggregates}
      from gonnet_rows where gonnet_key is not null group by gonnet_key
      union all
      select {_KEYS}.gonnet_key, nothing.* from {_KEYS},
        (select count(*) as "rows"{aggregates} from gonnet_rows where false) as nothing
      where {_KEYS}.gonnet_key not in (select gonnet_key from gonnet_rows where gonnet_key is not null)
    )
    select figures.gonnet_key, {columns}{tests}
    from figures left join {_LIST} as recipient on recipient.gonnet_key = figures.gonnet_key
    order by figures.gonnet_key"""


def _put_keys(engine: Engine, keys: Sequence[str], fields: Mapping[str, Mapping[str, object]]) -> None:
    engine.query(
        f"create or replace table {_KEYS} as select unnest(cast($keys as varchar[])) as gonnet_key",
        {"keys": list(keys)},
    )
    columns = list(next(iter(fields.values()), {}))
    parts = ["unnest(cast($keys as varchar[])) as gonnet_key"]
    values: dict[str, object] = {"keys": list(fields)}
    for index, column in enumerate(columns):
        parts.append(f"unnest($c{index}) as {quoted(column)}")
        values[f"c{index}"] = [line[column] for line in fields.values()]
    engine.query(f"create or replace table {_LIST} as select {', '.join(parts)}", values)


def _culprit(engine: Engine, job: Job, values: Mapping[str, object]) -> JobError | None:
    """The figure or condition that does not run by itself."""
    good: dict[str, str] = {}
    for name, sql in job.file.figures.items():
        if failure := _failure(engine, _query({**good, name: sql}, []), values):
            return JobError(
                f"figure '{name}' does not run: {failure.what}", where=job.at("figures", name), fix=failure.fix
            )
        good[name] = sql
    for index, rule in enumerate(job.file.rules):
        if rule.when and (failure := _failure(engine, _query(good, [rule.when]), values)):
            return JobError(
                f"the condition of rule '{rule.name}' does not run: {failure.what}",
                where=job.at("rules", index, "when"),
                fix=failure.fix or _MAY_USE,
            )
    for (name, index), when in _blocks(job):
        if failure := _failure(engine, _query(good, [when]), values):
            place = job.at("reports", name, "blocks", index, "when")
            what = f"the condition of this block does not run: {failure.what}"
            return JobError(what, where=place, fix=failure.fix or _MAY_USE)
    return None


def _failure(engine: Engine, sql: str, values: Mapping[str, object]) -> DataError | None:
    try:
        engine.query(sql, values)
    except DataError as error:
        return error
    return None
