"""What conditions can see besides a key's own figures: the list, the run, the whole, and the past.

Each is one value with fields (`recipient.region`, `past.times`), so that no column of it can be mistaken for a figure.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from gonnet.data import Columns, Engine, Names, quoted

NAMES = ("recipient", "run", "whole", "past", "earlier")
FIGURES, SEEN, SEEN_UNCHANGED = "gonnet_figures", "gonnet_view", "gonnet_view_unchanged"
_TOGETHER = 100_000  # keys that are grouped at a time
_LIST, _PAST, _EARLIER = "gonnet_list", "gonnet_past", "gonnet_earlier"


@dataclass(frozen=True, slots=True, kw_only=True)
class Past:
    """What a recipient was last sent by this job.

    Attributes:
        times: In how many runs they were sent something.
        sent_on: When that was last.
        message: Which message it was.
        figures: The figures of then, as texts.
        contents: SHA-256 of what each document showed, in order.
    """

    times: int
    sent_on: dt.date
    message: str
    figures: Mapping[str, str]
    contents: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Context:
    """What is known of a run and of its recipients.

    Attributes:
        as_of: The date of the run.
        is_working_day: Whether a date is a working day.
        lines: In portions: key or bundle → the columns of its first line of the list.
        past: In portions: key → what it was last sent.
        columns: The columns of the lists.
    """

    as_of: dt.date
    is_working_day: Callable[[dt.date], bool] = field(default=lambda day: day.isoweekday() < 6)
    lines: Iterable[Mapping[str, Mapping[str, object]]] = ()
    past: Iterable[Mapping[str, Past]] = ()
    columns: Sequence[str] = ()


Figures = Mapping[str, Mapping[str, str]]
"""View → name → SQL of each figure over its rows; the main view first, whether it has any or not."""


def put(engine: Engine, context: Context, figures: Figures, values: Mapping[str, object], named: Names) -> None:
    """Make the tables that conditions see, after the figures, and the views that bring them together.

    Args:
        engine: The engine, with `gonnet_figures`.
        context: What is known.
        figures: Those of the job, for the whole.
        values: Bound parameters, for the same.
        named: What conditions and orders name; the rest need not be there.
    """
    asked = [name for name in context.columns if named.asks_for("recipient", name)]
    _put_list(engine, context.lines if asked else (), asked)
    _put_past(engine, context, [name for part in figures.values() for name in part], named)
    wholes = ", ".join(
        f"(select {aggregates(part, with_rows=not at)} from {view} where gonnet_key is not null)"
        for at, (view, part) in enumerate(figures.items())
        if part or not at
    )
    engine.query(f"create or replace table gonnet_whole as select * from {wholes}", dict(values))
    run = ", ".join(_run(context, list(figures)))
    engine.query(f"create or replace table gonnet_run as select {run}", {"day": context.as_of})
    for view, changed in ((SEEN, "true"), (SEEN_UNCHANGED, "false")):
        engine.query(_view(engine, view, context.as_of, changed))


def aggregates(figures: Mapping[str, str], *, with_rows: bool) -> str:
    """What a query over rows selects to have figures; with the number of rows before them, if wanted."""
    found = ['count(*) as "rows"'] if with_rows else []
    return ", ".join([*found, *(f"({sql}\n) as {quoted(name)}" for name, sql in figures.items())])


def ranges(engine: Engine, keys: str) -> list[tuple[str, dict[str, object]]]:
    """More of a condition that takes some keys after the others, with its values: what is grouped has room in memory.

    Few keys are one range, for which nothing is asked.
    """
    if engine.count(keys) <= _TOGETHER:
        return [("", {})]
    numbered = f"select gonnet_key, (row_number() over (order by gonnet_key) - 1) // {_TOGETHER} as part from {keys}"
    found = engine.query(f"select min(gonnet_key), max(gonnet_key) from ({numbered}) group by part order by part")
    within = "and gonnet_key between $gonnet_first and $gonnet_last"
    return [(within, {"gonnet_first": first, "gonnet_last": last}) for first, last in found]


def rows_by_package(view: str) -> str:
    """The view of rows by whom they go to."""
    return view.replace("gonnet_rows", "gonnet_package_rows")


def put_rows_by_package(engine: Engine, views: Sequence[str], bundles: Mapping[str, Sequence[str]]) -> None:
    """Make the views of all rows by whom they go to: those of each key, and again for each bundle that it is in."""
    if not bundles:
        for view in views:
            engine.query(f"create or replace view {rows_by_package(view)} as select * from {view}")
        return
    pairs = [(bundle, key) for bundle, keys in bundles.items() for key in keys]
    engine.query(
        """create or replace table gonnet_shares as
        select unnest(cast($bundles as varchar[])) as bundle, unnest(cast($keys as varchar[])) as gonnet_key""",
        {"bundles": [bundle for bundle, _ in pairs], "keys": [key for _, key in pairs]},
    )
    for view in views:
        engine.query(
            f"""create or replace view {rows_by_package(view)} as select * from {view}
            union all select bundle as gonnet_key, r.* exclude (gonnet_key) from {view} as r
            join gonnet_shares using (gonnet_key)"""
        )


def ranked(engine: Engine, keys: Sequence[str], order: str, values: Mapping[str, object]) -> tuple[str, ...]:
    """Keys in an order that SQL over what conditions see gives; those that are equal in it in their own order.

    Raises:
        DataError: it does not run.
    """
    sql = f"""select gonnet_key from {SEEN}
      where gonnet_key in (select unnest(cast($gonnet_wanted as varchar[]))) order by {order}, gonnet_key"""
    return tuple(str(key) for (key,) in engine.query(sql, {**values, "gonnet_wanted": list(keys)}))


def _view(engine: Engine, view: str, day: dt.date, changed: str) -> str:
    """Everything that a condition sees, a line for each key."""
    return f"""create or replace view {view} as
      select figures.*, recipient, earlier, past, whole, run
      from {FIGURES} as figures
      left join (select gonnet_key, {_struct(engine, _LIST)} as recipient from {_LIST}) as l using (gonnet_key)
      left join (select gonnet_key, {_struct(engine, _EARLIER)} as earlier from {_EARLIER}) as e using (gonnet_key)
      left join (select {FIGURES}.gonnet_key, struct_pack(
          times := coalesce(before.times, 0), sent_on := before.sent_on, message := before.message,
          days := date_diff('day', before.sent_on, date '{day.isoformat()}'),
          changed := before.times is null or {changed}) as past
        from {FIGURES} left join {_PAST} as before using (gonnet_key)) as p using (gonnet_key)
      cross join (select {_struct(engine, "gonnet_whole")} as whole from gonnet_whole) as w
      cross join (select {_struct(engine, "gonnet_run")} as run from gonnet_run) as r"""


def _run(context: Context, views: Sequence[str]) -> Sequence[str]:
    # grouped, which is quicker than count(distinct …) that keeps a set for itself
    keys = " union ".join(f"select gonnet_key as k from {view} group by 1" for view in views)
    day = context.as_of
    first = day.replace(day=1)
    after = (first + dt.timedelta(days=32)).replace(day=1)
    days = [first + dt.timedelta(days=n) for n in range((after - first).days)]
    working = [found for found in days if context.is_working_day(found)]
    done = sum(found <= day for found in working)
    return (
        'cast($day as date) as "date"',
        f"{day.isoweekday()} as weekday",
        f"{day.day} as day_of_month",
        f"{day.month} as month",
        f"{'true' if day in working else 'false'} as working_day",
        f"{done if day in working else 0} as working_day_of_month",
        f"{len(working) - done} as working_days_left",
        f"(select count(k) from ({keys})) as recipients",
        '(select count(*) from gonnet_rows) as "rows"',
    )


def _struct(engine: Engine, table: str) -> str:
    """All columns of a table as one value with fields."""
    names = [quoted(column.name) for column in engine.columns(table)]
    return f"struct_pack({', '.join(f'{name} := {name}' for name in names)})"


def _put(engine: Engine, table: str, keys: Iterable[str], columns: Columns) -> None:
    """A table of one line for each key."""
    engine.put(table, {"gonnet_key": ("varchar", list(keys)), **columns})


def _put_list(engine: Engine, portions: Iterable[Mapping[str, Mapping[str, object]]], columns: Sequence[str]) -> None:
    """The columns of the list that are asked for, portion by portion; of what type they are is known at the end."""
    names, parts = ", ".join(map(quoted, ("gonnet_key", *columns))), []
    for at, lines in enumerate(portions):
        values = {name: [line.get(name) for line in lines.values()] for name in columns}
        there = {name: ("", part) for name, part in values.items() if any(value is not None for value in part)}
        _put(engine, f"{_LIST}_{at}", lines, there)
        # An empty column of no type agrees with any type that others have.
        nothing = "".join(f", null as {quoted(name)}" for name in columns if name not in there)
        parts.append(f"select {names} from (select *{nothing} from {_LIST}_{at})")
    nobody = ", ".join(f"null as {quoted(name)}" for name in columns)
    parts.append(
        f"select {names} from (select cast(null as varchar) as gonnet_key{', ' if nobody else ''}{nobody}) limit 0"
    )
    engine.query(f"create or replace table {_LIST} as {' union all '.join(f'({part})' for part in parts)}")
    for at in range(len(parts) - 1):
        engine.query(f"drop table {_LIST}_{at}")


def _put_past(engine: Engine, context: Context, figures: Sequence[str], named: Names) -> None:
    """What was last sent, and the figures of then as numbers, dates or texts like those of now; portion by portion."""
    names = ["rows", *figures]
    known = {column.name: column.type for column in engine.columns(FIGURES)}
    texts = "".join(f", {quoted(name)} varchar" for name in names)
    engine.query(f"create or replace table {_PAST} (gonnet_key varchar, times bigint, sent_on date, message varchar)")
    engine.query(f"create or replace table {_EARLIER} (gonnet_key varchar{texts})")
    asks_for_figures = named.asks_for("earlier")
    for past in context.past if named.asks_for("past") or asks_for_figures else ():
        lines = list(past.values())
        sent: Columns = {
            "times": ("bigint", [found.times for found in lines]),
            "sent_on": ("date", [found.sent_on for found in lines]),
            "message": ("varchar", [found.message for found in lines]),
        }
        _add(engine, _PAST, past, sent)
        if asks_for_figures:
            then: Columns = {name: ("varchar", [found.figures.get(name) or None for found in lines]) for name in names}
            _add(engine, _EARLIER, past, then)
    typed = ", ".join(f"try_cast({quoted(name)} as {known[name]}) as {quoted(name)}" for name in names)
    engine.query(f"create or replace table {_EARLIER} as select gonnet_key, {typed} from {_EARLIER}")


def _add(engine: Engine, table: str, keys: Iterable[str], columns: Columns) -> None:
    """More lines for a table."""
    _put(engine, f"{table}_more", keys, columns)
    engine.query(f"insert into {table} select * from {table}_more")
    engine.query(f"drop table {table}_more")
