"""Looking at a user's own files and writing a first job for them."""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from gonnet.data import ColumnType, Engine, look_at
from gonnet.data.key_text import key_text
from gonnet.errors import DataError, JobError, meant
from gonnet.jobs import load_workspace
from gonnet.jobs.drafting import Draft, SeenColumn, SeenList, drafted
from gonnet.jobs.sources import FileDataSet

_WORKSPACE = """\
# A workspace of Gonnet: jobs are in jobs/, one YAML file each.

style:
  organisation: ""            # shown at the head of every page
  locale: en                  # how numbers and dates are written: en_IE, de_AT …
  # currency: EUR

mail_servers:
  try_out:                    # the stand-in server, which reaches nobody: `gonnet mailbox serve`
    host: 127.0.0.1
    port: 2525
    security: none
  # Your own instead: STARTTLS with a checked certificate is the default.
  # office:
  #   host: mail.example.test
  #   user: reports
  #   password: ${MAIL_PASSWORD}
"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Started:
    """What was written.

    Attributes:
        job: The job file.
        workspace: The new `gonnet.yaml`, or None where there was one.
        keys: How many keys the table has.
        rows: How many rows.
        list_key: The column of the recipient list that was taken for the key, or None.
        matched: How many keys the list knows.
    """

    job: Path
    workspace: Path | None
    keys: int
    rows: int
    list_key: str | None
    matched: int


def start(folder: Path, name: str, rows: Path, by: str, people: Path | None, to: str | None) -> Started:
    """Write `jobs/NAME.yaml`, and `gonnet.yaml` where there is none.

    Args:
        folder: The workspace, or the folder that becomes one.
        name: The job's name.
        rows: The table.
        by: Its key column.
        people: The recipient list, or None.
        to: Its column with addresses; needed with `people`.

    Raises:
        JobError: the name cannot be used or is taken.
        DataError: a file cannot be read, or a column is not there.
    """
    place = require_free(folder, name)
    with closing(look_at(FileDataSet(file=str(rows)), frozenset((by,))).engine) as table:
        _require(table, by, rows, "--by")
        keys = _keys(table, by)
        seen = tuple(_seen(column) for column in table.columns("rows"))
        count = table.count("rows")
    settings = folder / "gonnet.yaml"
    outside = _outside([rows, *([people] if people is not None else [])], folder)
    if settings.exists():
        for option, path in (("--rows", rows), ("--recipients", people)):
            if path is not None:
                load_workspace(folder).reach.file(path.resolve(), option)
    found = _list(people, to, keys, by, folder) if people is not None and to is not None else None
    file = _relative(rows, folder)
    draft = Draft(name=name, file=file, by=by, columns=seen, people=found[0] if found else None)
    place.parent.mkdir(parents=True, exist_ok=True)
    place.write_text(drafted(draft), "utf-8")
    new = not settings.exists()
    if new:
        reads = f"\nreads: {json.dumps(outside)}    # folders outside of this one from which jobs may take files\n"
        settings.write_text(_WORKSPACE + (reads if outside else ""), "utf-8")
    return Started(
        job=place,
        workspace=settings if new else None,
        keys=len(keys),
        rows=count,
        list_key=found[0].key if found else None,
        matched=found[1] if found else 0,
    )


def require_free(folder: Path, name: str) -> Path:
    """The file of a job that is to be written.

    Raises:
        JobError: the name cannot be used or is taken.
    """
    place = folder / "jobs" / f"{name}.yaml"
    if not re.fullmatch(r"[A-Za-z0-9][A-Za-z0-9_-]{0,60}", name):
        raise JobError(f"'{name}' cannot be the name of a job", fix="Use letters, digits, - and _")
    if place.exists():
        raise JobError(f"there is a job '{name}' already", where=str(place), fix="Choose another name")
    return place


def _outside(files: Sequence[Path], folder: Path) -> list[str]:
    """The folders of files that are not below `folder`."""
    real = [path.resolve() for path in files]
    return list(dict.fromkeys(str(path.parent) for path in real if not path.is_relative_to(folder.resolve())))


def _require(engine: Engine, column: str, path: Path, option: str) -> None:
    known = [found.name for found in engine.columns("rows")]
    if column not in known:
        raise DataError(f"{path.name} has no column '{column}'", where=option, fix=meant(column, known, noun="column"))


def _keys(engine: Engine, column: str) -> set[str]:
    expression = key_text(engine, "rows", (column,))
    return {str(key) for (key,) in engine.query(f"select distinct {expression} from rows") if key is not None}


def _list(people: Path, to: str, keys: set[str], by: str, folder: Path) -> tuple[SeenList, int]:
    with closing(look_at(FileDataSet(file=str(people)), frozenset((by,))).engine) as table:
        _require(table, to, people, "--to")
        columns = table.columns("rows")
        key, matched = _key_column(table, columns, keys, by, to)
    names = [c.name for c in columns if c.name not in (key, to) and "name" in c.name.casefold() and _kind(c) == "text"]
    seen = SeenList(file=_relative(people, folder), key=key, to=to, name=names[0] if names else None)
    return seen, matched


def _key_column(engine: Engine, columns: Sequence[ColumnType], keys: set[str], by: str, to: str) -> tuple[str, int]:
    """The column of the list that holds keys: the one of the same name, else the one that knows most of them."""
    known = [column.name for column in columns]
    shared = {name: len(_keys(engine, name) & keys) for name in known if name != to and _usable(engine, name)}
    if shared.get(by):
        return by, shared[by]
    best = max(shared, key=lambda name: shared[name], default=None)
    if best is None or not shared[best]:
        raise DataError(
            f"no column of the recipient list holds the keys of column '{by}'",
            where="--recipients",
            fix=f"Its columns: {', '.join(known)}. Is it the right file?",
        )
    return best, shared[best]


def _usable(engine: Engine, column: str) -> bool:
    try:
        engine.query(f"select {key_text(engine, 'rows', (column,))} from rows limit 1")
    except DataError:
        return False
    return True


def _seen(column: ColumnType) -> SeenColumn:
    return SeenColumn(name=column.name, kind=_kind(column), decimals=column.decimals)


def _kind(column: ColumnType) -> str:
    if column.is_number:
        return "whole" if column.is_integer else "decimal"
    if column.is_date:
        return "date" if column.type == "DATE" else "time"
    return "truth" if column.type == "BOOLEAN" else "text"


def _relative(path: Path, folder: Path) -> str:
    full, base = path.resolve(), folder.resolve()
    return full.relative_to(base).as_posix() if full.is_relative_to(base) else full.as_posix()
