"""Reading and splitting many rows, against a bare read of the same data: `python benchmarks/reading.py [ROWS [KEYS]]`.

From CSV (a fifteenth of the rows, 19 columns) against DuckDB reading all as text: alone, with keeping what was read,
and once more from what was kept;
from XLSX (a fiftieth) against the reader of workbooks alone: processor time, since both use all cores.

From PostgreSQL (at 127.0.0.1) against a bare COPY, from Parquet against DuckDB reading the same file into a table, as
it stands and sorted by key (a split brings each key's rows together, so that no less will do); each in a process of
its own, in turn, with the peak of its memory.
"""

from __future__ import annotations

import datetime as dt
import json
import resource
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

import duckdb
import psycopg
import xlsxwriter
from python_calamine import CalamineWorkbook

from gonnet.data import Values, load
from gonnet.data.files import kept
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


# Nineteen columns, as a log of collections has them: numbers, a few of which are missing, codes, names, moments.
_WIDE = """select lpad((g % 5000)::text, 6, '0') as farm_no, 2026 as year, 1 + g % 12 as month, 1 + g % 28 as day,
  case when g % 40 = 0 then 'NA' else (500 + g % 1800)::text end as due, 500 + g * 7 % 1800 as planned,
  case when g % 40 = 0 then 'NA' else (g % 200 - 20)::text end as late, (g % 2359)::integer as arrived,
  ['north', 'south', 'hills', 'coast'][1 + g % 4] as region, (g % 8000)::integer as round_no,
  'N' || (10000 + g % 4000) as tank, ['Ash', 'Birch', 'Cole'][1 + g % 3] as driver, (20 + g % 600)::integer as minutes,
  (100 + g % 4000)::integer as litres, (g % 24)::integer as hour, (g % 60)::integer as minute, g % 7 as grade,
  (g % 99999 / 100.0)::decimal(12, 2) as amount,
  strftime(timestamp '2026-01-01 05:00:00' + to_hours(g % 8760), '%Y-%m-%dT%H:%M:%SZ') as made
  from range(1, {} + 1) as t(g)"""


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
            found = _in_turns(folder)
        finally:
            with psycopg.connect(_URL, autocommit=True) as server:
                server.execute(f"drop table {_TABLE}")
    print(f"{rows:,} rows, {keys:,} keys")
    for way, part in found.items():
        print(f"{way:<22} {part.seconds:6.1f} s   {part.processor:6.1f} s of processors   peak {part.peak:7,.0f} MB")
    pairs = (
        ("postgresql", "bare copy"),
        ("postgresql, together", "bare copy"),
        ("parquet", "bare parquet"),
        ("parquet, together", "bare parquet"),
        ("parquet, together", "bare parquet, sorted"),
    )
    for source, bare in pairs:
        print(f"{source + ' / ' + bare:<32} {found[source].seconds / found[bare].seconds:5.2f}")
    for source, bare in _BY_PROCESSOR:
        print(f"{source + ' / ' + bare:<32} {found[source].processor / found[bare].processor:5.2f}   processor time")


def _prepare(folder: Path, rows: int, keys: int) -> None:
    query = _ROWS.replace("KEYS", str(keys))
    with psycopg.connect(_URL, autocommit=True) as server:
        server.execute(f"drop table if exists {_TABLE}")
        server.execute(f"create table {_TABLE} as " + query.replace("SERIES", f"generate_series(1, {rows}) as g"))
    series = query.replace("SERIES", f"range(1, {rows + 1}) as t(g)")
    duckdb.execute(f"copy ({series}) to '{folder / 'milk.parquet'}' (format parquet)")
    (folder / "jobs").mkdir()
    (folder / "gonnet.yaml").write_text(f"databases: {{pool: {{url: '{_URL}'}}}}\n", "utf-8")
    duckdb.execute(f"copy ({_WIDE.format(rows // 15)}) to '{folder / 'milk.csv'}' (header)")
    found = duckdb.execute(_WIDE.format(rows // 50))
    book = xlsxwriter.Workbook(str(folder / "milk.xlsx"), {"constant_memory": True})
    sheet = book.add_worksheet()
    sheet.write_row(0, 0, [column[0] for column in found.description])
    for at, row in enumerate(found.fetchall(), 1):
        sheet.write_row(at, 0, [str(value) if isinstance(value, dt.date) else value for value in row])
    book.close()
    sources = {"postgresql": f"database: pool, sql: select * from {_TABLE}", "parquet": "file: milk.parquet"}
    sources |= {"csv": "file: milk.csv", "xlsx": "file: milk.xlsx"}
    for name, source in sources.items():
        (folder / "jobs" / f"{name}.yaml").write_text(_JOB.replace("SOURCE", source), "utf-8")


class _Found(NamedTuple):
    """Seconds, seconds of processors, and megabytes."""

    seconds: float
    processor: float
    peak: float


def _in_turns(folder: str) -> dict[str, _Found]:
    """Way → the best of three turns, each way in a process of its own."""
    found: dict[str, list[_Found]] = {way: [] for way in _WAYS}
    for _ in range(3):
        for way, parts in found.items():
            command = [sys.executable, __file__, "--measure", way, folder]
            parts.append(_Found(*json.loads(subprocess.run(command, check=True, capture_output=True).stdout)))
    return {
        way: _Found(min(p.seconds for p in parts), min(p.processor for p in parts), max(p.peak for p in parts))
        for way, parts in found.items()
    }


def _measure(way: str, folder: Path) -> None:
    duckdb.execute("select 1")
    if way == "csv":
        kept._WORTH = sys.maxsize
    if way != "csv, again":
        shutil.rmtree(folder / ".gonnet" / "readings", ignore_errors=True)
    else:
        _loaded("csv")(folder)
    load_job(load_workspace(folder), "csv")
    began, processor = time.perf_counter(), time.process_time()
    _WAYS[way](folder)
    seconds, processor = time.perf_counter() - began, time.process_time() - processor
    print(json.dumps([seconds, processor, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000]))


_BY_PROCESSOR = (
    ("csv", "bare csv"),
    ("csv, kept", "bare csv"),
    ("csv, again", "bare csv"),
    ("xlsx", "bare xlsx"),
)


def _bare_csv(folder: Path) -> None:
    duckdb.execute(f"create table t as select * from read_csv('{folder / 'milk.csv'}', all_varchar=true)")


def _bare_xlsx(folder: Path) -> None:
    CalamineWorkbook.from_path(str(folder / "milk.xlsx")).get_sheet_by_index(0).to_python()


def _loaded(name: str) -> Callable[[Path], None]:
    def read(folder: Path) -> None:
        workspace = load_workspace(folder)
        load(load_job(workspace, name), workspace, Values(given={}, as_of=dt.date(2026, 11, 1))).engine.close()

    return read


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
        loaded.engine.close()

    return load_and_split


_WAYS: dict[str, Callable[[Path], None]] = {
    "bare copy": _bare_copy,
    "postgresql": _gonnet("postgresql"),
    "bare parquet": _bare_parquet,
    "bare parquet, sorted": _bare_sort,
    "parquet": _gonnet("parquet"),
    "postgresql, together": _gonnet("postgresql", together=True),
    "parquet, together": _gonnet("parquet", together=True),
    "bare csv": _bare_csv,
    "csv": _loaded("csv"),
    "csv, kept": _loaded("csv"),
    "csv, again": _loaded("csv"),
    "bare xlsx": _bare_xlsx,
    "xlsx": _loaded("xlsx"),
}

if __name__ == "__main__":
    main()
