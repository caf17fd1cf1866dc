"""The engine of a run: what it is asked again and again it knows, and a statement that takes too long is ended."""

from __future__ import annotations

import threading
import time

import pytest

from gonnet.data.engine import Engine
from gonnet.data.patience import Watcher
from gonnet.errors import DataError


@pytest.mark.parametrize(
    "change",
    [
        "alter table milk add column remark varchar",
        "  INSERT INTO milk VALUES (3)",
        "with more as (select 4 as litres) insert into milk select litres from more",
        "create or replace table milk as select 'x' as day, 7 as litres",
        "drop table milk",
    ],
)
def test_what_a_table_is_after_a_statement_is_seen(change: str) -> None:
    known, anew = Engine(), Engine()
    for engine, asks_before in ((known, True), (anew, False)):
        engine.create("milk", "select 1 as litres")
        _ = (engine.columns("milk"), engine.count("milk")) if asks_before else None
        engine.query(change)
    assert known.columns("milk") == anew.columns("milk")
    if anew.columns("milk"):
        assert known.count("milk") == anew.count("milk")
    known.close()
    anew.close()


def test_a_statement_that_takes_too_long_is_ended_and_the_next_is_not() -> None:
    engine = Engine(seconds=1)
    with pytest.raises(DataError, match="longer than the 1 seconds"):
        engine.query("select count(*) from range(3000000) a, range(3000000) b where a.range % 7 = b.range % 11")
    assert engine.query("select 1") == [(1,)]
    engine.close()


class _Noting:
    def __init__(self) -> None:
        self.ended = threading.Event()

    def interrupt(self) -> None:
        self.ended.set()


def test_each_is_ended_at_its_own_time_and_never_afterwards() -> None:
    watcher, slow, quick, brief = Watcher(), _Noting(), _Noting(), _Noting()
    with watcher.over(slow, 60), watcher.over(quick, 0.05):
        with watcher.over(brief, 0.2):
            pass
        assert quick.ended.wait(10)
        time.sleep(0.3)
    assert not slow.ended.is_set()
    assert not brief.ended.is_set()
