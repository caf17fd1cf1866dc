"""Reading a job's data to look at one data set of it."""

from __future__ import annotations

from gonnet import data
from gonnet.data import Engine
from gonnet.data.databases.listing import tables
from gonnet.data.key_text import key_text
from gonnet.data.profile import View
from gonnet.errors import DataError, meant
from gonnet.jobs import Job
from gonnet.pipeline.survey import Request
from gonnet.pipeline.surveying.arriving import arrived, as_tables
from gonnet.pipeline.tools import Tools


def look(
    job: Job, tools: Tools, request: Request, name: str | None, key: str | None
) -> tuple[Engine, View, tuple[str, ...]]:
    """The loaded data, the view that was asked for, and how it was read. Close the engine when done.

    Args:
        job: The job.
        tools: The tools.
        request: The parameters.
        name: The data set; the one that is split when None.
        key: Only the rows of this key; None for all.

    Raises:
        DataError: there is no such data set, or it has no key column.
    """
    table = name if name is not None else job.file.split.rows
    if table not in job.file.tables:
        raise DataError(f"the job has no data set '{table}'", fix=meant(table, list(job.file.tables), noun="data set"))
    values = data.resolve(job.file.parameters, request.asked, request.as_of, tools.periods)
    ready = as_tables(job, arrived(job, tools.workspace))
    loaded = data.load(job, tools.workspace, values, for_its_own_sake=True, ready=ready)
    try:
        view = View(table=table, key=(_key(job, loaded.engine, table), key) if key is not None else None)
    except BaseException:
        loaded.engine.close()
        raise
    return loaded.engine, view, (*loaded.told.notes, *(part.text for part in loaded.told.findings))


def try_query(tools: Tools, database: str, query: str) -> tuple[Engine, View, tuple[str, ...]]:
    """What a query to a database of the workspace gives. Close the engine when done.

    Raises:
        DataError: the query does not run.
        JobError: there is no such database.
        UnreachableError: it cannot be reached.
    """
    workspace = tools.workspace
    spec = workspace.database(database, "--database")
    looked = data.look_at_query(database, spec, query, workspace.secrets, workspace.folder)
    return looked.engine, View(table="rows"), tuple(looked.told.notes)


def tables_of(tools: Tools, database: str) -> list[str]:
    """The tables and views of a database of the workspace.

    Raises:
        JobError: there is no such database.
        UnreachableError: it cannot be reached.
    """
    workspace = tools.workspace
    return tables(database, workspace.database(database, "--database"), workspace.secrets, workspace.folder)


def _key(job: Job, engine: Engine, table: str) -> str:
    known = [column.name for column in engine.columns(table)]
    cut = job.file.split.cuts.get(table)
    wanted = [job.file.split.by, *([cut.by] if cut else [])]
    wanted += [spec.key for name, spec in job.lists if name == table and spec.key]
    column = next((columns for columns in reversed(wanted) if set(columns) <= set(known)), None)
    if column is None:
        what = f"data set '{table}' has no column '{', '.join(job.file.split.by)}', by which the job splits"
        raise DataError(what, where="--key", fix=f"Its columns: {', '.join(known)}")
    return key_text(engine, table, column)
