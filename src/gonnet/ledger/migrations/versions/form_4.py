"""Ledgers of schema 1 to 4, of which 3 came in several forms: whatever lacks for schema 4 is added.

Revision ID: 4
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "4"
down_revision = None

_TEXT, _LISTS = sa.Text(), sa.JSON()


def upgrade() -> None:
    """Add the tables and columns that lack, with what can be known of old runs."""
    _add("packages", {"steps": (_LISTS, "[]"), "keys": (_LISTS, "[]"), "prepared_as": (_TEXT, "")})
    _add("documents", {"content": (_TEXT, "")})
    _add("messages", {"called": (_TEXT, ""), "files": (_LISTS, "[]"), "server": (_TEXT, "")})
    _add("runs", {"period": (_TEXT, "")})
    op.execute("update documents set content = sha256 where content = '' and format <> 'zip'")
    op.execute("update packages set prepared_as = case when state in ('held', 'skipped') then state else 'ready' end")
    if "server" in _columns("runs"):
        op.execute(
            "update messages set server = coalesce((select r.server from runs r join packages p on p.run_id = r.id"
            " where p.id = messages.package_id), '') where server = ''"
        )
        op.drop_column("runs", "server")
    _fill_files()
    _fill_periods()
    _add_tables()


def _columns(table: str) -> set[str]:
    return {column["name"] for column in sa.inspect(op.get_bind()).get_columns(table)}


def _add(table: str, columns: Mapping[str, tuple[sa.types.TypeEngine[Any], str]]) -> None:
    there = _columns(table)
    for name, (kind, usual) in columns.items():
        if name not in there:
            op.add_column(table, sa.Column(name, kind, nullable=False, server_default=usual))


def _fill_files() -> None:
    """Before messages had files of their own, every document of a package went with each of its messages."""
    work = op.get_bind()
    for number, package in _rows("select id, package_id from messages where files = '[]'"):
        query = sa.text("select name from documents where package_id = :package order by id")
        names = list(work.execute(query, {"package": package}).scalars())
        work.execute(
            sa.text("update messages set files = :names where id = :id"), {"names": json.dumps(names), "id": number}
        )


def _fill_periods() -> None:
    """Before runs had a period, all their parameters stood for it, and the date where there were none."""
    work = op.get_bind()
    for number, parameters, as_of in _rows("select id, parameters, as_of from runs where period = ''"):
        given = json.loads(str(parameters))
        period = ", ".join(f"{name} {value}" for name, value in given.items()) or as_of
        work.execute(sa.text("update runs set period = :period where id = :id"), {"period": period, "id": number})


def _rows(query: str) -> list[tuple[Any, ...]]:
    return [tuple(row) for row in op.get_bind().execute(sa.text(query))]


def _add_tables() -> None:
    there = sa.inspect(op.get_bind()).get_table_names()
    package: sa.Column[int] = sa.Column("package_id", sa.Integer, sa.ForeignKey("packages.id"), nullable=False)
    if "filings" not in there:
        text = [sa.Column(name, _TEXT, nullable=False) for name in ("way", "root", "place", "existing", "sha256")]
        more = [sa.Column(name, _TEXT, nullable=False, server_default="") for name in ("put_at", "reply")]
        state = sa.Column("state", _TEXT, nullable=False)
        number = sa.Column("id", sa.Integer, primary_key=True)
        op.create_table("filings", number, package, *text, state, *more, sa.Column("at", _TEXT))
    if "write_backs" not in there:
        op.create_table(
            "write_backs",
            sa.Column("package_id", sa.Integer, sa.ForeignKey("packages.id"), primary_key=True),
            sa.Column("state", sa.String, nullable=False),
            sa.Column("at", sa.String, nullable=False),
        )
