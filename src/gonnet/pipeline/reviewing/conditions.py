"""A condition over the packages of a run and the list as it is now, in SQL: which packages it holds for."""

from __future__ import annotations

import re
from collections.abc import Sequence
from contextlib import closing

from gonnet import data
from gonnet.data import Engine, names_in, quoted
from gonnet.jobs import load_job
from gonnet.ledger import PackageRecord, RunRecord
from gonnet.pipeline.reviewing.comparison import number
from gonnet.pipeline.surveying import rosters
from gonnet.pipeline.surveying.arriving import arrived, as_tables
from gonnet.pipeline.tools import Tools
from gonnet.recipients import Address, Recipient
from gonnet.recipients import read as lines_of
from gonnet.wording.differing import Differing

_PACKAGES, _LINES = "gonnet_packages", "gonnet_lines"
_DAY = re.compile(r"\d{4}-\d\d-\d\d")
_ASKED = "--where"
_SEE = "A condition may use key, name, state, reason, rows, to, figures of the job, and recipient.column"


def for_which(run: RunRecord, tools: Tools, packages: Sequence[PackageRecord], condition: str) -> set[str]:
    """The keys of packages for which a condition holds.

    Raises:
        DataError: it does not run, or the list cannot be read.
    """
    limits = tools.workspace.file.queries
    with closing(Engine(limits.seconds, limits.megabytes)) as engine:
        _put_packages(engine, packages)
        seen = _PACKAGES
        if names_in(condition).asks_for("recipient"):
            _put_lines(engine, packages, run, tools)
            seen = f"{_PACKAGES} join {_LINES} using (key)"
        engine.lock()
        sql = f"select key from (select * from {seen}) where cast(({condition}\n) as boolean)"
        return {str(key) for (key,) in engine.query(sql, {}, where=_ASKED, fix=_SEE, strictly=True)}


def _put_packages(engine: Engine, packages: Sequence[PackageRecord]) -> None:
    """A line for each package, with its figures as numbers and dates where all of them are."""
    own: dict[str, tuple[str, list[object]]] = {
        "key": ("varchar", [package.key for package in packages]),
        "name": ("varchar", [package.name for package in packages]),
        "state": ("varchar", [str(package.state) for package in packages]),
        "reason": ("varchar", [package.reason for package in packages]),
        "rows": ("bigint", [package.rows for package in packages]),
        "to": ("varchar", ["; ".join(package.to) for package in packages]),
    }
    names = [name for name in packages[0].figures if name not in own]
    engine.put(_PACKAGES, own | {name: _figure([p.figures.get(name, "") for p in packages]) for name in names})


def _figure(texts: Sequence[str]) -> tuple[str, list[object]]:
    """Type and values of a figure."""
    there = [text for text in texts if text]
    if there and all(number(text) is not None for text in there):
        kind = "decimal(38, 9)"
    else:
        kind = "date" if there and all(map(_DAY.fullmatch, there)) else "varchar"
    return kind, [text or None for text in texts]


def _put_lines(engine: Engine, packages: Sequence[PackageRecord], run: RunRecord, tools: Tools) -> None:
    """The columns of the list, as one value, for each package: those of its first line, as the list is now."""
    people = _people(run, tools)
    by_key = {person.key: person for person in reversed(people)}
    by_address = {_identities(person.to): person for person in reversed(people)}
    lines = [
        by_address.get(frozenset(to.casefold() for to in package.to)) if package.keys else by_key.get(package.key)
        for package in packages
    ]
    columns = dict.fromkeys(column for person in people for column in person.fields)
    cells = {column: [_cell(person, column) for person in lines] for column in columns}
    engine.put(
        _LINES, {"key": ("varchar", [p.key for p in packages])} | {name: ("", found) for name, found in cells.items()}
    )
    fields = ", ".join(f"{quoted(name)} := {quoted(name)}" for name in columns)
    engine.query(f"create or replace table {_LINES} as select key, struct_pack({fields}) as recipient from {_LINES}")


def _cell(person: Recipient | None, column: str) -> object:
    value = None if person is None else person.fields.get(column)
    return None if isinstance(value, Differing) else value


def _identities(addresses: Sequence[Address]) -> frozenset[str]:
    return frozenset(address.mailbox.casefold() for address in addresses)


def _people(run: RunRecord, tools: Tools) -> list[Recipient]:
    """Every line of the lists of the job, as they are now, for the parameters of the run.

    Raises:
        DataError: a list cannot be read.
        JobError: the job is not there any longer, or has a mistake.
    """
    job = load_job(tools.workspace, run.job)
    values = data.resolve(job.file.parameters, dict(run.parameters), run.as_of, tools.periods)
    ready = as_tables(job, arrived(job, tools.workspace)) | rosters.as_tables(job, rosters.rosters_of(job))
    loaded = data.load(job, tools.workspace, values, for_its_own_sake=True, ready=ready)
    with closing(loaded.engine) as engine:
        house = tools.look(job).house.locale
        return [
            person
            for index, (table, spec) in enumerate(job.lists)
            for person in lines_of(engine, table, spec, house, loaded.values.bound(), where=_ASKED, number=index)
        ]
