"""The one seam for scale: any executor draws the same documents, and one whose workers die loses nothing silently."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Callable
from concurrent.futures import BrokenExecutor, Executor, Future, ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from gonnet.errors import StorageError
from gonnet.pipeline.making.workers.processes import Inline, local_executor
from gonnet.pipeline.tools import Tools
from support import Dairy, wait_for


def digests(dairy: Dairy, tools: Tools) -> list[str]:
    packages = dairy.by_key(tools, dairy.prepared(tools)).values()
    return [document.sha256 for package in packages for document in package.documents]


def test_any_executor_makes_the_same_documents(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        inline = digests(dairy, tools)
        threads = digests(dairy, replace(tools, executor=lambda _count: ThreadPoolExecutor(1)))
    assert inline == threads


def test_threads_that_draw_at_the_same_time_do_not_take_each_others_figures(
    dairy: Dairy, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("gonnet.pipeline.making.batches._BATCH", 5)
    keys = [f"{number:05}" for number in range(60)]
    rows = "".join(f"{key},2026-10-01,{int(key) + 1},{int(key) * 7}.10,\n" for key in keys)
    dairy.write("milk.csv", "farm_no,day,litres,amount,remark\n" + rows)
    people = "".join(f"{key},Farm {key},f{key}@members.tarnvale.example,\n" for key in keys)
    dairy.write("members.csv", "farm_no,farm_name,email,adviser\n" + people)
    with dairy.tools() as tools:
        inline = digests(dairy, tools)
        threads = replace(tools, executor=lambda _count: ThreadPoolExecutor(4))
        assert digests(dairy, threads) == inline
        assert {package.state for package in tools.ledger.packages(2)} == {"ready"}


class Dying(Executor):
    """An executor whose worker dies at its first task."""

    def submit(self, fn: Callable[..., Any], /, *args: Any, **kwargs: Any) -> Future[Any]:  # noqa: ANN401
        future: Future[Any] = Future()
        future.set_exception(BrokenExecutor("killed"))
        return future


def test_a_worker_that_dies_breaks_the_run_off(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        with pytest.raises(StorageError, match="a process that draws documents died"):
            dairy.prepared(replace(tools, executor=lambda _count: Dying()))
        (run,) = tools.ledger.all_runs()
        assert str(run.state) == "aborted"


def test_a_few_packages_stay_in_the_process_and_many_get_a_pool() -> None:
    assert isinstance(local_executor(5), Inline)
    assert isinstance(local_executor(5000, 1), Inline)
    with local_executor(5, 2) as pool:
        assert pool.submit(len, "abc").result() == 3
        assert not isinstance(pool, Inline)


START = """
import os, sys, time
from gonnet.pipeline.making.workers.processes import local_executor
if __name__ == "__main__":
    pool = local_executor(5, 2)
    print(*{pool.submit(os.getpid).result() for _ in range(20)}, flush=True)
    time.sleep(60)
"""


@pytest.mark.skipif(not Path("/proc/self/stat").exists(), reason="processes are looked up in /proc")
def test_its_processes_end_with_the_one_that_is_killed() -> None:
    with subprocess.Popen([sys.executable, "-c", START], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL) as parent:
        assert parent.stdout is not None
        workers = [int(text) for text in parent.stdout.readline().split()]
        assert workers
        assert all(map(is_running, workers))
        parent.kill()
    wait_for(lambda: not any(map(is_running, workers)))


def is_running(process: int) -> bool:
    try:
        state = Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[0]
    except (FileNotFoundError, ProcessLookupError):
        return False
    return state != "Z"  # ended, and nobody asked how
