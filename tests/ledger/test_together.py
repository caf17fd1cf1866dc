"""Threads that share transactions: each has what it wrote on the disk before it goes on, whatever becomes of others."""

from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from sqlalchemy import Connection, create_engine, event, text

from gonnet.ledger.together import Together


def test_what_is_written_at_the_same_time_is_committed_at_once_and_a_failure_is_its_own(tmp_path: Path) -> None:
    engine = create_engine(f"sqlite:///{tmp_path / 'x.db'}")
    with engine.begin() as work:
        work.execute(text("create table t (n integer primary key)"))
    commits: list[int] = []
    event.listen(engine, "commit", lambda _connection: commits.append(1))
    together, begun, go_on = Together(engine), threading.Event(), threading.Event()

    def write(number: int) -> int:
        own = min(number, 18)

        def insert(work: Connection) -> int:
            if number == 0:
                begun.set()
                go_on.wait(10)
            work.execute(text("insert into t values (:n)"), {"n": own})
            return number

        found = together.run(insert)
        with engine.connect() as other:  # another connection sees it: it is committed
            assert other.scalar(text("select count(*) from t where n = :n"), {"n": own}) == 1
        return found

    with ThreadPoolExecutor(20) as threads:
        first = threads.submit(write, 0)
        begun.wait(10)
        others = [threads.submit(write, number) for number in range(1, 20)]
        while len(together._waiting) < len(others):
            threading.Event().wait(0.01)
        go_on.set()
        assert first.result() == 0
        done = [other.exception() for other in others]
    assert ["UNIQUE" in str(error) for error in done if error is not None] == [True], (
        "two write 18, one of them in vain"
    )
    with engine.connect() as work:
        assert list(work.scalars(text("select n from t order by n"))) == list(range(19))
    assert len(commits) < 8, "nineteen threads that wait share transactions"
    together.close()
    engine.dispose()


def test_one_thread_alone_is_told_what_fails(tmp_path: Path) -> None:
    engine = create_engine(f"sqlite:///{tmp_path / 'x.db'}")
    together = Together(engine)
    with pytest.raises(ZeroDivisionError):
        together.run(lambda _work: 1 // 0)
    assert together.run(lambda work: work.scalar(text("select 2"))) == 2
    together.close()
    engine.dispose()
