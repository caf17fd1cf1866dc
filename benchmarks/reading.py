"""Reading and splitting many rows, against a bare read of the same data: `python benchmarks/reading.py [ROWS [KEYS]]`.

From PostgreSQL (at 127.0.0.1) against a bare COPY, from Parquet against DuckDB reading the same file into a table, as
it stands and sorted by key (a split brings each key's rows together, so that no less will do); each in a process of
its own, in turn, with the peak of its memory.
"""

from __future__ import annotations

import datetime as dt
import json
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import duckdb
import psycopg

from gonnet.data import Values, load
from gonnet.jobs import load_job, load_workspace
from gonnet.split import bring_together, by_key

_URL = "postgresql://postgres@127.0.0.1:5432/test"
_TABLE = "gonnet_benchmark"
_JOB = """\
title: Benchmark
data:
  milk: {SOURCE}
split: {rows: milk, by: farm_no}
figures: {litres: sum(litres), payable: sum(amount)}
reports:
  statement: {title: x, blocks: [{table: {columns: [{field: amount, total: sum}]}}]}
package: {documents: [{report: statement, as: pdf}], name: x}
"""
_ROWS = """select lpad((g % KEYS)::text, 6, '0') as farm_no, date '2026-10-01' + (g % 31)::integer as day,
  (100 + g % 1900)::integer as litres, (g % 99999 / 100.0)::decimal(12, 2) as amount, 'tank ' || g % 5 as remark
  from SERIES"""


def main() -> None:
    """Prepare the data once, measure every way in turn, print the ratios."""
    if len(sys.argv) > 2 and sys.argv[1] == "--measure":
        _measure(sys.argv[2], Path(sys.argv[3]))
        return
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else 5_000_000
    keys = int(sys.argv[2]) if len(sys.argv) > 2 else 10_000
    with tempfile.TemporaryDirectory() as folder:
        _prepare(Path(folder), rows, keys)
        try:
            found = {way: _in_turn(way, folder) for way in _WAYS}
        finally:
            with psycopg.connect(_URL, autocommit=True) as server:
                server.execute(f"drop table {_TABLE}")
    print(f"{rows:,} rows, {keys:,} keys")
    for way, (seconds, peak) in found.items():
        print(f"{way:<22} {seconds:6.1f} s   peak {peak:7,.0f} MB")
    pairs = (
        ("postgresql", "bare copy"),
        ("postgresql, together", "bare copy"),
        ("parquet", "bare parquet"),
        ("parquet, together", "bare parquet"),
        ("parquet, together", "bare parquet, sorted"),
    )
    for source, bare in pairs:
        print(f"{source + ' / ' + bare:<32} {found[source][0] / found[bare][0]:5.2f}")


def _prepare(folder: Path, rows: int, keys: int) -> None:
    query = _ROWS.replace("KEYS", str(keys))
    with psycopg.connect(_URL, autocommit=True) as server:
        server.execute(f"drop table if exists {_TABLE}")
        server.execute(f"create table {_TABLE} as " + query.replace("SERIES", f"generate_series(1, {rows}) as g"))
    series = query.replace("SERIES", f"range(1, {rows + 1}) as t(g)")
    duckdb.execute(f"copy ({series}) to '{folder / 'milk.parquet'}' (format parquet)")
    (folder / "jobs").mkdir()
    (folder / "gonnet.yaml").write_text(f"databases: {{pool: {{url: '{_URL}'}}}}\n", "utf-8")
    sources = {"postgresql": f"database: pool, sql: select * from {_TABLE}", "parquet": "file: milk.parquet"}
    for name, source in sources.items():
        (folder / "jobs" / f"{name}.yaml").write_text(_JOB.replace("SOURCE", source), "utf-8")


def _in_turn(way: str, folder: str) -> tuple[float, float]:
    """The best of three, each in a process of its own."""
    command = [sys.executable, __file__, "--measure", way, folder]
    found = [json.loads(subprocess.run(command, check=True, capture_output=True).stdout) for _ in range(3)]
    return min(seconds for seconds, _ in found), max(peak for _, peak in found)


def _measure(way: str, folder: Path) -> None:
    began = time.perf_counter()
    _WAYS[way](folder)
    seconds = time.perf_counter() - began
    print(json.dumps([seconds, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000]))


def _bare_copy(folder: Path) -> None:
    copy = f"copy {_TABLE} to stdout (format csv)"
    with (
        psycopg.connect(_URL) as server,
        server.cursor() as cursor,
        (folder / "bare.csv").open("wb") as out,
        cursor.copy(copy) as blocks,
    ):
        for block in blocks:
            out.write(block)


def _bare_parquet(folder: Path) -> None:
    duckdb.execute(f"create table t as select * from read_parquet('{folder / 'milk.parquet'}')")


def _bare_sort(folder: Path) -> None:
    file = folder / "milk.parquet"
    duckdb.execute(f"create table t as select * from read_parquet('{file}') order by farm_no")


def _gonnet(name: str, *, together: bool = False) -> Callable[[Path], None]:
    def load_and_split(folder: Path) -> None:
        workspace = load_workspace(folder)
        job = load_job(workspace, name)
        loaded = load(job, workspace, Values(given={}, as_of=dt.date(2026, 11, 1)))
        by_key(loaded.engine, "milk", ("farm_no",))
        if together:
            bring_together(loaded.engine)

    return load_and_split


_WAYS: dict[str, Callable[[Path], None]] = {
    "bare copy": _bare_copy,
    "postgresql": _gonnet("postgresql"),
    "bare parquet": _bare_parquet,
    "bare parquet, sorted": _bare_sort,
    "parquet": _gonnet("parquet"),
    "postgresql, together": _gonnet("postgresql", together=True),
    "parquet, together": _gonnet("parquet", together=True),
}

if __name__ == "__main__":
    main()
