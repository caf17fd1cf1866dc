"""The story of a first job at a terminal: which table, whose row it is, who receives it, what it is called."""

from __future__ import annotations

import re
from collections.abc import Sequence
from contextlib import ExitStack, closing, suppress
from pathlib import Path
from typing import Protocol

from gonnet.data.files.reading import KINDS
from gonnet.errors import GonnetError
from gonnet.jobs import load_workspace
from gonnet.jobs.sources import FileDataSet
from gonnet.pipeline.starting.columns import likely_address, likely_key, seen_columns
from gonnet.pipeline.starting.sources import Source
from gonnet.pipeline.starting.table import Asked, keys_of, require_free, source_of
from gonnet.pipeline.starting.workspaces import Place

NOBODY = "nobody"
"""The answer that a job has no recipients yet."""

THE_ROWS = "the rows"
"""The answer that the rows themselves have the addresses."""

_FIRST = 4  # rows that are shown
_READ = 4  # of them that are looked into
_MOST = 12  # files that are offered
_DATABASE = "database "


class Talk(Protocol):
    """What asks a person."""

    def ask(self, question: str, choices: Sequence[str], default: str) -> str:
        """One of the choices; without any, whatever the person says."""

    def show(self, title: str, names: Sequence[str], rows: Sequence[Sequence[str]]) -> None:
        """The first rows of a table."""

    def say(self, text: str) -> None:
        """Something to know."""


def interview(folder: Path, name: str | None, talk: Talk) -> Asked:
    """Ask for everything that a first job needs; every question has a default.

    Raises:
        DataError: there is no table to begin with.
    """
    place = Place(folder=folder)
    with ExitStack() as opened:
        spec, database, query, rows = _table(place, talk)
        opened.callback(rows.close)
        _show(rows, talk)
        columns = [column.name for column in rows.engine.columns("rows")]
        guess = likely_key(rows.engine, seen_columns(rows.engine)) or columns[0]
        by = talk.ask("Which column says whose row it is?", columns, guess)
        people, to = _people(place, talk, rows, spec, by, opened)
    if name is None:
        called = Path(spec.file).stem if spec is not None else database or "first"
        name = _free_name(folder, re.sub(r"[^A-Za-z0-9_-]+", "-", called).strip("-") or "first", talk)
    return Asked(name=name, by=(by,), rows=spec, database=database, query=query, people=people, to=to)


def _table(place: Place, talk: Talk) -> tuple[FileDataSet | None, str | None, str, Source]:
    """The file or the query that a person chooses, and the table that it gives."""
    files = files_in(place.folder)
    bases = [] if place.is_new else list(load_workspace(place.folder).file.databases)
    offered = [*files, *(f"{_DATABASE}{name}" for name in bases)]
    if offered:
        talk.say("Tables here: " + ", ".join(offered))
    while True:
        answer = talk.ask("Which file has the rows?", (), _likely(place, offered))
        try:
            if answer.startswith(_DATABASE) or "://" in answer:
                name = answer.removeprefix(_DATABASE)
                pool = place.pool(name)
                tables = pool.tables()
                query = pool.query_of(talk.ask("Which table of it?", tables, tables[0] if tables else ""))
                return None, name, query, source_of(place, None, name, query, frozenset())
            spec = FileDataSet(file=str(place.folder / Path(answer).expanduser()))
            return spec, None, "", source_of(place, spec, None, "", frozenset())
        except GonnetError as error:
            talk.say(str(error))
            if not answer:
                raise


def _likely(place: Place, offered: Sequence[str]) -> str:
    """The newest table that is no list of addresses."""
    for name in offered[:_READ]:
        if not name.startswith(_DATABASE):
            with suppress(GonnetError), closing(_look(place, name)) as source:
                if likely_address(source.engine) is None:
                    return name
    return next(iter(offered), "")


def _look(place: Place, name: str) -> Source:
    return source_of(place, FileDataSet(file=str(place.folder / name)), None, "", frozenset())


def _show(source: Source, talk: Talk) -> None:
    names = [column.name for column in source.engine.columns("rows")]
    rows = source.engine.query(f"select * from rows order by rowid limit {_FIRST}")
    title = f"{source.shown}: {source.engine.count('rows'):,} rows, the first of them"
    talk.show(title, names, [["" if cell is None else str(cell) for cell in row] for row in rows])
    for remark in source.remarks:
        talk.say(remark)


def _people(
    place: Place, talk: Talk, rows: Source, spec: FileDataSet | None, by: str, opened: ExitStack
) -> tuple[FileDataSet | None, str | None]:
    """The file with the recipients, and the column with their addresses; neither where nobody receives it yet."""
    keys = keys_of(rows.engine, (by,))
    own = likely_address(rows.engine)
    others = [name for name in files_in(place.folder) if spec is None or place.folder / name != Path(spec.file)]
    guess = THE_ROWS if own else next((name for name in others if _knows(place, name, keys)), NOBODY)
    choices = [*others, *([THE_ROWS] if own else []), NOBODY]
    answer = talk.ask("Who receives it? A file with addresses", choices, guess)
    if answer == NOBODY:
        return None, None
    if answer == THE_ROWS:
        columns = [column.name for column in rows.engine.columns("rows")]
        return None, talk.ask("Which column has the addresses?", columns, own or columns[0])
    people = FileDataSet(file=str(place.folder / answer))
    listed = source_of(place, people, None, "", frozenset((by,)))
    opened.callback(listed.close)
    _show(listed, talk)
    columns = [column.name for column in listed.engine.columns("rows")]
    return people, talk.ask("Which column has the addresses?", columns, likely_address(listed.engine) or columns[0])


def _knows(place: Place, name: str, keys: set[str]) -> bool:
    """Whether a file has addresses, and a column that knows some of the keys."""
    with suppress(GonnetError), closing(_look(place, name)) as source:
        columns = [column.name for column in source.engine.columns("rows")]
        texts = [f'list_contains($1, cast("{name}" as varchar))' for name in columns if '"' not in name]
        known = source.engine.query(
            f"select {' or '.join(f'bool_or({text})' for text in texts)} from rows", [sorted(keys)]
        )
        return likely_address(source.engine) is not None and bool(known[0][0])
    return False


def _free_name(folder: Path, guess: str, talk: Talk) -> str:
    while True:
        name = talk.ask("What is the job called?", (), guess)
        try:
            require_free(folder, name)
        except GonnetError as error:
            talk.say(str(error))
        else:
            return name


def files_in(folder: Path) -> list[str]:
    """The tables in a folder and those below it that hold data, the newest first."""
    places = [folder, *(folder / name for name in ("data", "exports", "extracts") if (folder / name).is_dir())]
    found = [path for place in places for path in place.iterdir() if path.is_file() and path.suffix.lower() in KINDS]
    found.sort(key=lambda path: (-path.stat().st_mtime, path.name))
    return [path.relative_to(folder).as_posix() for path in found[:_MOST]]
