"""What other programs are told of a run: a database by a statement, a log by lines of JSON."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from gonnet.errors import GonnetError
from gonnet.pipeline.sending.writing_back import write_back
from scripted_smtp import Script, serving
from servers import Place
from support import MEMBERS, Dairy, begun

SQL = """\
write_back:
  database: pool
  sql: |
    insert into told (key, period, state, at, message_id) values ($key, $period, $state, $at, $message_id)
    on conflict (key, period) do update set state = excluded.state, at = excluded.at, times = told.times + 1
"""
TABLE = """create table told (key text, period text, state text, at text, message_id text, times int default 1,
  primary key (key, period))"""
CHANGE = ("package:\n", f"{SQL}package:\n")


def database(dairy: Dairy, url: str) -> None:
    settings = dairy.folder / "gonnet.yaml"
    settings.write_text(settings.read_text("utf-8") + f"databases:\n  pool: {{url: '{url}'}}\n", "utf-8")


@pytest.fixture
def pool(dairy: Dairy) -> Iterator[sqlite3.Connection]:
    database(dairy, "sqlite:///pool.db")
    with sqlite3.connect(dairy.folder / "pool.db") as found:
        found.execute(TABLE)
    yield found
    found.close()


def told(pool: sqlite3.Connection) -> dict[str, tuple[Any, ...]]:
    return {key: tuple(more) for key, *more in pool.execute("select key, state, times from told order by 1")}


def test_every_package_is_written_once_for_each_state_it_comes_to(dairy: Dairy, pool: sqlite3.Connection) -> None:
    dairy.job(CHANGE)
    dairy.gonnet("prepare", "statements", code=3)
    assert told(pool) == {}
    script = Script(answers={"RCPT:laka@members.tarnvale.example": ["451 not now", "250 ok"]})
    with serving(script, dairy.port):
        dairy.gonnet("send", "last", "--yes", code=3)
        first = {"00042": ("sent", 1), "117": ("failed", 1), "118": ("held", 1), "119": ("skipped", 1)}
        assert told(pool) == first
        (sent,) = pool.execute("select at, message_id from told where key = '00042'")
        assert sent[0].endswith("+00:00")
        assert (
            f"<{sent[1].strip('<>')}>"
            == dairy.json("show", "last", "00042", code=3)["packages"][0]["messages"][0]["message_id"]
        )
        assert list(pool.execute("select message_id, at from told where state = 'held'")) == [(None, None)]
        dairy.gonnet("send", "last", "--yes", code=3)
        assert told(pool) == first | {"117": ("sent", 2)}
        dairy.gonnet("send", "last", "--yes", code=3)
        assert told(pool) == first | {"117": ("sent", 2)}, "what did not change is not written again"


def test_what_is_known_of_a_package_can_be_written_as_it_was_made(dairy: Dairy, pool: sqlite3.Connection) -> None:
    names = "key, state, way, target, files, rows, run_date, figure_payable, recipient_adviser"
    pool.execute(f"create table known ({names})")
    pool.commit()
    said = names.replace(", ", ", $")
    sql = f"write_back: {{database: pool, sql: 'insert into known values (${said})'}}\n"
    filed = ("deliver:\n", "deliver:\n  - folder: {path: archive}\n")
    settings = dairy.folder / "gonnet.yaml"
    settings.write_text(settings.read_text("utf-8") + "folders: {archive: {path: archive}}\n", "utf-8")
    dairy.job(("package:\n", f"{sql}package:\n"), filed)
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    dairy.write("members.csv", MEMBERS.replace("ines@", "other@"))
    with serving(Script(), dairy.port):
        dairy.gonnet("send", "last", "--yes", code=3)
    found = {line[0]: line[1:] for line in pool.execute("select * from known")}
    to = "laka@members.tarnvale.example; ines@tarnvale.example"
    state, way, target, files, rows, day, payable, adviser = found["117"]
    assert (state, way, rows, day, payable, adviser) == (
        "sent", "folder; email", 2, "2026-11-05", 780.51, "ines@tarnvale.example",
    )  # fmt: skip
    assert target.endswith(to)
    assert "117 statement.pdf" in target
    assert files == "117 statement.pdf; 117 statement.xlsx"
    assert found["119"] == ("skipped", None, None, None, 0, "2026-11-05", None, None)


def test_what_cannot_be_written_is_told_and_tried_again(dairy: Dairy, pool: sqlite3.Connection) -> None:
    pool.execute("alter table told rename to gone")
    pool.commit()
    dairy.job(CHANGE)
    dairy.gonnet("prepare", "statements", code=3)
    with serving(Script(), dairy.port):
        found = dairy.gonnet("send", "last", "--yes", code=3).stdout
    assert "4 packages were not written back to pool: database 'pool' refuses the query: no such table: told" in found
    assert "4 packages were not written back" in dairy.gonnet("show", "last", code=3).stdout
    pool.execute("alter table gone rename to told")
    pool.commit()
    dairy.gonnet("send", "last", "--yes", code=3)
    assert {state for state, _ in told(pool).values()} == {"sent", "held", "skipped"}


def test_each_server_is_told_in_batches_and_twice_does_no_harm(
    dairy: Dairy, place: Place, monkeypatch: pytest.MonkeyPatch
) -> None:
    database(dairy, place.url)
    monkeypatch.setattr("gonnet.pipeline.sending.writing_back._TOGETHER", 3)
    sql, table = SQL, TABLE
    if place.kind == "mariadb":
        old = SQL[SQL.index("on conflict") : SQL.index(", times")]
        sql = SQL.replace(old, "on duplicate key update state = values(state), at = values(at)").replace("told.", "")
        sql = sql.replace("(key, period, state", "(`key`, period, state")
        table = TABLE.replace("key text, period text", "`key` varchar(90), period varchar(90)").replace(
            "(key,", "(`key`,"
        )
    place.run(table)
    with dairy.tools() as tools:
        run = dairy.prepared(tools, ("package:\n", f"{sql}package:\n"))
        for package in tools.ledger.packages(run.id, ["00042", "117"]):
            assert begun(tools, run, package, package.mailed[0])
        for times in (1, 2):
            assert write_back(run, tools) is None
            states = ("held", "skipped", "unsure", "unsure")
            assert sorted(place.rows("select state, times from told")) == [(state, times) for state in states]
            with sqlite3.connect(tools.ledger.place) as ledger:  # as if it was cut off before it was noted
                ledger.execute("delete from write_backs")


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (("database: pool", "database: pol"), "no database 'pol'"),
        (("$at,", "$whenever,"), r"unknown value \$whenever"),
    ],
)
def test_a_statement_that_cannot_be_is_told_before_anything_is_made(
    dairy: Dairy, pool: sqlite3.Connection, change: tuple[str, str], says: str
) -> None:
    with dairy.tools() as tools, pytest.raises(GonnetError, match=says):
        dairy.prepared(tools, CHANGE, change)


def test_the_log_has_a_line_for_each_thing_and_nobodys_name_or_figure(dairy: Dairy) -> None:
    settings = dairy.folder / "gonnet.yaml"
    settings.write_text(settings.read_text("utf-8") + "log: logs/gonnet.log\n", "utf-8")
    dairy.job()
    dairy.gonnet("prepare", "statements", code=3)
    dairy.gonnet("release", "last", "118", "--why", "they have a new tank", "--yes")
    with serving(Script(answers={"RCPT:zoe@members.tarnvale.example": ["550 gone"]}), dairy.port):
        dairy.gonnet("send", "last", "--yes", code=3)
    written = (dairy.folder / "logs" / "gonnet.log").read_text("utf-8")
    lines = [json.loads(line) for line in written.splitlines()]
    assert [line["event"] for line in lines] == [
        "prepared", "changed by hand", "send began", *["handed over"] * 5, "send ended",
    ]  # fmt: skip
    assert {line["run"] for line in lines} == {1}
    assert len({line["hand_over"] for line in lines if line["event"] == "handed over"}) == 5
    assert (lines[-1]["sent"], lines[-1]["failed"], lines[-1]["interrupted"]) == (2, 1, False)
    for secret in ("members.tarnvale", "00042", "117", "Zoë", "588.05", "new tank"):
        assert all(secret not in str({**line, "at": "", "seconds": 0}) for line in lines)


def test_a_log_that_cannot_be_written_stops_nothing(dairy: Dairy, tmp_path: Path) -> None:
    (tmp_path / "file").write_text("not a folder")
    settings = dairy.folder / "gonnet.yaml"
    settings.write_text(settings.read_text("utf-8") + f"log: {tmp_path / 'file' / 'log'}\n", "utf-8")
    dairy.job()
    dairy.gonnet("prepare", "statements", code=3)
    with serving(Script(), dairy.port):
        assert "cannot be written" in dairy.gonnet("send", "last", "--yes", code=3).stdout
    assert dairy.json("show", "last", code=3)["states"] == {"held": 1, "sent": 2, "skipped": 1}
