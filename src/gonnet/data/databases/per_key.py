"""One question per recipient: for systems that must apply the recipient's own rights to what they answer.

Each key is asked for with a query of its own, the key bound as `$key`, a few at the same time on pooled connections.
What a question answers belongs to the key that was asked for, by construction. One that fails holds that key alone.
The split of one result is quicker; this is for where it cannot be had. On PostgreSQL all questions see the state of the
database that the run's other queries see; elsewhere each sees its own.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor, as_completed
from dataclasses import dataclass, field, replace

from sqlalchemy import Engine as SqlEngine
from sqlalchemy.exc import SQLAlchemyError

from gonnet.data.databases.connections import (
    Databases,
    bindable,
    declared,
    mended,
    parametrised,
    snapshot,
    statement_of,
)
from gonnet.data.databases.stalling import ended_when_stalled
from gonnet.data.engine import Engine
from gonnet.data.sql.limits import is_limited_to
from gonnet.data.types.staging import Stager
from gonnet.data.types.target import Hint, Target
from gonnet.errors import DataError, GonnetError, UnreachableError
from gonnet.jobs.services import Database
from gonnet.jobs.sources import DatabaseDataSet

Progress = Callable[[int, int], None]
_SHARED = "the same row came back for key '{}' too; let the query give {}, so that it can be compared"


@dataclass(frozen=True, slots=True, kw_only=True)
class Answer:
    """What came of one question.

    Attributes:
        key: The key that was asked for.
        columns: The columns of the answer; empty where it failed.
        hints: What the server says of them.
        rows: The rows.
        failure: Why there is none, or None.
    """

    key: str
    columns: tuple[str, ...] = ()
    hints: Mapping[str, Hint] | None = None
    rows: tuple[tuple[object, ...], ...] = ()
    failure: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Question:
    """A query that is asked for each key.

    Attributes:
        sql: It, as SQLAlchemy writes parameters.
        names: The parameters that it uses.
        spec: The data set.
        database: Where it is asked.
        key_column: The column in which the answers get their key.
        values: The other parameters.
        is_limited: Whether the query itself shows that it gives only rows of the key that is asked for.
        own: Key → further parameters that are its own, such as a limit in its line of the list.
    """

    sql: str
    names: tuple[str, ...]
    spec: DatabaseDataSet
    database: Database
    key_column: str
    values: Mapping[str, object]
    is_limited: bool = False
    own: Mapping[str, Mapping[str, object]] = field(default_factory=dict)

    @classmethod
    def of(
        cls, spec: DatabaseDataSet, database: Database, key_column: str, values: Mapping[str, object], where: str
    ) -> Question:
        """The question of a data set.

        Raises:
            DataError: it names a parameter that is not there, or does not ask for one key.
        """
        sql, names = parametrised(spec, {**values, "key": ""}, where)
        if "key" not in names:
            fix = f"Write `where {key_column} = $key`"
            raise DataError(
                "a question for each key must ask for one key, and this one has no $key", where=where, fix=fix
            )
        return cls(
            sql=sql, names=names, spec=spec, database=database, key_column=key_column, values=values,
            is_limited=is_limited_to(spec.sql, "key"),
        )  # fmt: skip


def load(
    engine: Engine, target: Target, question: Question, keys: Sequence[str], databases: Databases, progress: Progress
) -> dict[str, str]:
    """Make the target's table from the answers for all keys, in key order; returns key → why it could not be asked.

    Raises:
        DataError: no question was answered, the answers do not have the same columns, or nothing shows that each has
            only rows of the key that was asked for.
    """
    answers = _ask_all(question, keys, databases, target, progress)
    _require_own(answers, question, target)
    answers = _apart(answers, question.key_column)
    good = [answer for answer in answers if answer.failure is None]
    failed = {answer.key: answer.failure for answer in answers if answer.failure is not None}
    if not good:
        reason = next(iter(failed.values()), "there is no key to ask for")
        raise DataError(
            f"no question was answered: {reason}", where=target.where, fix="Nothing was prepared; correct the SQL"
        )
    columns = good[0].columns
    for answer in good:
        if answer.columns != columns:
            raise DataError(
                f"the answer for key '{answer.key}' has other columns", where=target.where, fix="Name them in the SQL"
            )
    own = columns if question.key_column in columns else (question.key_column, *columns)
    stager = Stager(target, own)
    stager.write([_with_key(answer, question.key_column) for answer in good])
    hints = dict(good[0].hints or stager.dated_texts())
    stager.assign_types(engine, hints | {question.key_column: Hint.TEXT})
    return failed


def _require_own(answers: Sequence[Answer], question: Question, target: Target) -> None:
    """Refuse answers of which nothing shows that they have only rows of the key that was asked for.

    Raises:
        DataError: the query does not show it, and gives no key to compare.
    """
    column = question.key_column
    if not question.is_limited and any(answer.rows and column not in answer.columns for answer in answers):
        what = "nothing shows that each answer has only rows of the key that was asked for"
        fix = f"Write `where {column} = $key`, or let the query give {column} too: it is then compared"
        raise DataError(what, where=target.where, fix=fix)


def _apart(answers: Sequence[Answer], key_column: str) -> list[Answer]:
    """The answers, failed where a row came back for several keys and no key in it says whose it is."""
    keys: dict[tuple[str, ...], set[str]] = {}
    for answer in answers:
        for row in answer.rows if key_column not in answer.columns else ():
            keys.setdefault(tuple(map(repr, row)), set()).add(answer.key)
    others: dict[str, str] = {}
    for found in keys.values():
        if len(found) > 1:
            first, second = sorted(found)[:2]
            others |= {key: second if key == first else first for key in found}
    return [
        replace(answer, rows=(), failure=_SHARED.format(others[answer.key], key_column))
        if answer.key in others
        else answer
        for answer in answers
    ]


def _ask_all(
    question: Question, keys: Sequence[str], databases: Databases, target: Target, progress: Progress
) -> list[Answer]:
    spec, where = question.spec, target.where
    assert spec.per_key is not None
    shared = databases.shared_state(spec.database, question.database, where)
    pool = databases.pool(spec.database, question.database, where, spec.per_key.at_once)

    def explained(error: SQLAlchemyError) -> GonnetError:
        return databases.explained(error, spec.database, question.database, where, 0)

    try:
        with ThreadPoolExecutor(spec.per_key.at_once) as threads:
            asked = [threads.submit(_ask, question, pool, shared, explained, key) for key in keys]
            for count, _ in enumerate(as_completed(asked), 1):
                progress(count, len(keys))
            return [future.result() for future in asked]
    finally:
        pool.dispose()


def _ask(
    question: Question,
    pool: SqlEngine,
    shared: str | None,
    explained: Callable[[SQLAlchemyError], GonnetError],
    key: str,
) -> Answer:
    values = {**question.values, **question.own.get(key, {}), "key": key}
    sql, names = question.sql, question.names
    try:
        with pool.connect() as plain:
            seconds, name = question.database.seconds, question.spec.database
            with ended_when_stalled(plain, name, seconds, f"key '{key}'"):
                connection = snapshot(plain, seconds, shared)
                result = connection.execute(statement_of(sql, names, values), bindable(connection, names, values))
                hints, columns = declared(connection, result), tuple(result.keys())
                mend = mended(connection, result) or tuple
                rows = tuple(tuple(mend(row)) for row in result.fetchmany(question.database.max_rows + 1))
    except UnreachableError as error:
        return Answer(key=key, failure=error.what)
    except SQLAlchemyError as error:
        return Answer(key=key, failure=str(explained(error).what))
    if len(rows) > question.database.max_rows:
        return Answer(key=key, failure=f"the answer has more than {question.database.max_rows:,} rows")
    stranger = _stranger(columns, rows, question.key_column, key)
    if stranger is not None:
        return Answer(key=key, failure=f"the answer holds rows of another key ('{stranger}')")
    return Answer(key=key, columns=columns, hints=hints or None, rows=rows)


def _stranger(columns: Sequence[str], rows: Sequence[tuple[object, ...]], key_column: str, key: str) -> object:
    """A key in the answer that is not the one asked for, or None."""
    if key_column not in columns:
        return None
    index = columns.index(key_column)
    return next((row[index] for row in rows if str(row[index]).strip() != key), None)


def _with_key(answer: Answer, key_column: str) -> list[tuple[object, ...]]:
    if key_column in answer.columns:
        return list(answer.rows)
    return [(answer.key, *row) for row in answer.rows]
