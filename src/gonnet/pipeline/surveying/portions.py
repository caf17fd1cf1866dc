"""The keys of a run in portions, so that what is known of each recipient is never in memory for all of them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from gonnet.data import Engine, quoted
from gonnet.data.key_text import key_text
from gonnet.jobs import Job
from gonnet.recipients.roll import Sorted

KEYS = "gonnet_keys"
_WHOLE = 40_000  # keys and lines: so many are one portion
_MANY = 5_000  # keys of a portion where there are more


@dataclass(frozen=True, slots=True, kw_only=True)
class Portion:
    """Some keys that follow one another.

    Attributes:
        counts: Key → its rows, of those that have any, in key order.
        within: The first and the last of them; None where it is all of them.
        lists: Number of a list → its lines for them; empty where it is all of them.
    """

    counts: Mapping[str, int]
    within: tuple[str, str] | None = None
    lists: Mapping[int, Sorted]


class Portions:
    """The portions of a run, in key order; gone through as often as it takes.

    Whoever sees several keys may see any: such runs are one portion.

    Args:
        job: The job.
        engine: The engine, after the split.
        counts: Key → rows.
    """

    def __init__(self, job: Job, engine: Engine, counts: Mapping[str, int]) -> None:
        self._engine, self._counts = engine, counts
        self._tables: dict[int, str] = {}
        self._bounds: list[tuple[str, str]] = []
        bundles = any(spec.bundled is not None for spec in job.file.recipients)
        if not bundles and len(counts) + sum(engine.count(table) for table, _ in job.lists) > _WHOLE:
            self._divide(job)

    @property
    def is_one(self) -> bool:
        """Whether all keys are one portion."""
        return not self._bounds

    def __iter__(self) -> Iterator[Portion]:
        if self.is_one:
            yield Portion(counts=self._counts, lists={})
        sql = f"select gonnet_key, gonnet_many from {KEYS} where gonnet_key between $first and $last order by 1"
        for first, last in self._bounds:
            counts = {str(key): many for key, many in self._engine.query(sql, {"first": first, "last": last}) if many}
            lists = {index: Sorted(table, first, last) for index, table in self._tables.items()}
            yield Portion(counts=counts, within=(first, last), lists=lists)  # type: ignore[arg-type]

    def _divide(self, job: Job) -> None:
        """Sort the lists and all keys, so that a portion is found without looking at the rest."""
        engine = self._engine
        for index, (table, spec) in enumerate(job.lists):
            key = key_text(engine, table, spec.says)
            self._tables[index] = f"gonnet_lines_sorted_{index}"
            named, all_of_it = f"{key} as gonnet_key, rowid + 1 as gonnet_line", f"{quoted(table)}.*"
            lines = f"select {named}, {all_of_it} from {quoted(table)} where {key} is not null order by 1, 2"
            engine.query(f"create or replace table {self._tables[index]} as {lines}")
        rows = " union all ".join(f"select gonnet_key, 1 as many from {view}" for view in job.views)
        listed = "".join(f" union all select gonnet_key, 0 from {table}" for table in self._tables.values())
        engine.query(
            f"create or replace table {KEYS} as select gonnet_key, cast(sum(many) as bigint) as gonnet_many"
            f" from ({rows}{listed}) where gonnet_key is not null group by 1 order by 1"
        )
        numbered = f"select gonnet_key, (row_number() over (order by gonnet_key) - 1) // {_MANY} as portion from {KEYS}"
        bounds = f"select min(gonnet_key), max(gonnet_key) from ({numbered}) group by portion order by portion"
        self._bounds = [(str(first), str(last)) for first, last in engine.query(bounds)]
