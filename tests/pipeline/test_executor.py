"""The one seam for scale: any executor draws the same documents, and one whose workers die loses nothing silently."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import BrokenExecutor, Executor, Future, ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import pytest

from gonnet.errors import StorageError
from gonnet.pipeline.tools import Inline, Tools, local_executor
from support import Dairy


def digests(dairy: Dairy, tools: Tools) -> list[str]:
    packages = dairy.by_key(tools, dairy.prepared(tools)).values()
    return [document.sha256 for package in packages for document in package.documents]


def test_any_executor_makes_the_same_documents(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        inline = digests(dairy, tools)
        threads = digests(dairy, replace(tools, executor=lambda _count: ThreadPoolExecutor(1)))
    assert inline == threads


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
        assert str(run.state) == "broken off"


def test_a_few_packages_stay_in_the_process_and_many_get_a_pool() -> None:
    assert isinstance(local_executor(5), Inline)
    assert isinstance(local_executor(5000, 1), Inline)
    with local_executor(5, 2) as pool:
        assert pool.submit(len, "abc").result() == 3
        assert not isinstance(pool, Inline)
