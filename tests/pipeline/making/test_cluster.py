"""Workers of a Dask cluster draw the same bytes, whether they see the store or not, are killed, join or leave."""

from __future__ import annotations

import os
import shutil
import signal
import threading
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

import gonnet
from dask_cluster import Cluster, children, cluster, kill
from gonnet.errors import StorageError, UnreachableError
from gonnet.ledger.states import State
from gonnet.pipeline.making.workers.cluster import ClusterCrew
from gonnet.pipeline.tools import Tools
from support import Dairy, wait_for

pytestmark = pytest.mark.takes_long

FILE = ('  name: "{{ key }} statement"', '  name: "{{ key }} statement"\n  enclose: ["post/{{ key }}.txt"]')


@pytest.fixture(scope="module")
def two(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Cluster]:
    with cluster(tmp_path_factory.mktemp("cluster")) as found:
        yield found


@pytest.fixture
def many(dairy: Dairy, monkeypatch: pytest.MonkeyPatch) -> Dairy:
    """Eighty farms, in batches of five."""
    monkeypatch.setattr("gonnet.pipeline.making.batches._BATCH", 5)
    monkeypatch.setattr(ClusterCrew, "most", 5)
    keys = [f"{number:05}" for number in range(80)]
    rows = "".join(f"{key},2026-10-01,{int(key) + 1},{int(key) * 7}.10,\n" for key in keys)
    dairy.write("milk.csv", "farm_no,day,litres,amount,remark\n" + rows)
    people = "".join(f"{key},Farm {key},f{key}@members.tarnvale.example,\n" for key in keys)
    dairy.write("members.csv", "farm_no,farm_name,email,adviser\n" + people)
    return dairy


_MADE_HERE: dict[str, list[Any]] = {}


@pytest.fixture
def here(many: Dairy) -> dict[str, list[Any]]:
    """What this machine makes of them, whatever the folder: made once for all tests."""
    if not _MADE_HERE:
        with many.tools() as tools:
            _MADE_HERE.update(made(many, tools))
            shutil.rmtree(tools.store.folder)
    assert {state for state, *_ in _MADE_HERE.values()} == {"ready"}
    return _MADE_HERE


def on(tools: Tools, address: str) -> Tools:
    return replace(tools, cluster=address, cluster_from=1)


def made(dairy: Dairy, tools: Tools, *changes: tuple[str, str]) -> dict[str, list[Any]]:
    """Key → what was made, all of which is in the store."""
    packages = dairy.by_key(tools, dairy.prepared(tools, *changes))
    for package in packages.values():
        for digest in (*(one.sha256 for one in package.documents), *(one.sha256 for one in package.messages)):
            tools.store.get(digest)
    return {key: [str(one.state), *(part.sha256 for part in one.documents)] for key, one in packages.items()}


def test_the_same_bytes_with_the_store_in_sight_and_without(
    many: Dairy, two: Cluster, here: dict[str, list[Any]], monkeypatch: pytest.MonkeyPatch
) -> None:
    with many.tools() as tools:
        assert made(many, on(tools, two.address)) == here
        shutil.rmtree(tools.store.folder)
        monkeypatch.setattr(ClusterCrew, "_show_the_store", lambda _self: None)
        assert made(many, on(tools, two.address)) == here
        many.write("post/00001.txt", "yours")
        with pytest.raises(StorageError, match="does not see the workspace"):
            made(many, on(tools, two.address), FILE)


@pytest.mark.parametrize("moment", [0.4])
def test_a_worker_that_is_killed_costs_nothing_but_time(
    many: Dairy, two: Cluster, here: dict[str, list[Any]], moment: float
) -> None:
    with many.tools() as tools:
        victims = [number for worker in two.workers for number in children(worker)]
        assassin = threading.Timer(moment, kill, (victims[0],))
        assassin.start()
        there = made(many, on(tools, two.address))
        assassin.join()
        assert there == here
    wait_for(lambda: sum(len(children(worker)) for worker in two.workers) >= 2)


def test_the_only_worker_is_lost_while_it_draws_and_one_of_four_threads_joins(
    many: Dairy, here: dict[str, list[Any]], tmp_path: Path
) -> None:
    with many.tools() as tools, cluster(tmp_path, 1, nannies=False) as found:
        first = found.workers[0]

        def change() -> None:
            wait_for(lambda: any(tools.store.folder.glob("*/*")))
            kill(first.pid)
            found.join(threads=4)

        changing = threading.Thread(target=change)
        changing.start()
        assert made(many, on(tools, found.address)) == here
        changing.join()


@pytest.mark.parametrize("from_the_start", [False, True])
def test_a_worker_that_hangs_and_looks_alive_holds_nothing_up(
    many: Dairy, here: dict[str, list[Any]], tmp_path: Path, monkeypatch: pytest.MonkeyPatch, *, from_the_start: bool
) -> None:
    monkeypatch.setattr("gonnet.pipeline.making.workers.cluster._PATIENCE", 2)
    with many.tools() as tools, cluster(tmp_path, 2, nannies=False) as found:
        first = found.workers[0]

        def hang() -> None:
            if not from_the_start:
                wait_for(lambda: any(tools.store.folder.glob("*/*")))
                time.sleep(0.6)  # with a batch that it has made and not given, and one that it makes
            os.kill(first.pid, signal.SIGSTOP)

        hanging = threading.Thread(target=hang)
        hanging.start()
        if from_the_start:
            hanging.join()
        try:
            assert made(many, on(tools, found.address)) == here
        finally:
            hanging.join()
            kill(first.pid)


def test_a_worker_that_is_not_like_this_machine_is_refused_before_the_first_batch(many: Dairy, tmp_path: Path) -> None:
    other = tmp_path / "other"
    shutil.copytree(Path(gonnet.__file__).parent, other / "gonnet", ignore=shutil.ignore_patterns("__pycache__"))
    (other / "gonnet/scratch.py").write_text("# older\n" + (other / "gonnet/scratch.py").read_text("utf-8"), "utf-8")
    with many.tools() as tools, cluster(tmp_path, 0, nannies=False) as found:
        found.join(env={"PYTHONPATH": str(other)})
        with pytest.raises(UnreachableError, match=r"worker tcp.* is not like this machine: Gonnet \w+, here \w+"):
            made(many, on(tools, found.address))
        assert str(tools.ledger.all_runs()[0].state) == "aborted"


def test_a_cluster_that_is_not_there_is_told_and_few_packages_need_none(
    dairy: Dairy, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("gonnet.pipeline.making.workers.cluster._PATIENCE", 1)
    with (
        dairy.tools() as tools,
        pytest.raises(UnreachableError, match=f"cluster at tcp://127.0.0.1:{dairy.port}") as said,
    ):
        made(dairy, on(tools, f"tcp://127.0.0.1:{dairy.port}"))
    assert said.value.fix == "See that its scheduler and its workers run. Nothing is lost; run it again"
    settings = dairy.folder / "gonnet.yaml"
    settings.write_text(settings.read_text("utf-8") + f"workers: {{dask: 'tcp://127.0.0.1:{dairy.port}'}}\n", "utf-8")
    dairy.gonnet("prepare", "statements", code=3)
    assert (
        "keep one" in dairy.gonnet("prepare", "statements", "--workers", "tcp://x:1", "--processes", "2", code=2).stderr
    )
    with dairy.tools() as tools:
        assert tools.ledger.run("last").counts[State.READY] == 2
