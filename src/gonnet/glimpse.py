"""What a workspace has, seen at a glance and without its libraries: for a shell that completes what is being typed.

Nothing here may fail or be slow; what cannot be seen is not offered.
"""

from __future__ import annotations

import contextlib
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

_MOST = 60
_RUNS = 20


@dataclass(frozen=True, slots=True)
class Glimpse:
    """A workspace.

    Attributes:
        folder: Its folder.
    """

    folder: Path

    @classmethod
    def near(cls, start: Path) -> Glimpse | None:
        """The workspace of a folder, or of the nearest one above it."""
        return next((cls(folder) for folder in (start, *start.parents) if (folder / "gonnet.yaml").is_file()), None)

    @property
    def kept(self) -> Path:
        """The folder of its ledger."""
        return self.folder / self._ledger()

    def jobs(self) -> list[tuple[str, str]]:
        """Each job, with the title at its head."""
        return [(path.stem, _title(path)) for path in sorted((self.folder / "jobs").glob("*.yaml"))]

    def job(self, name: str) -> Mapping[str, Any]:
        """What the file of a job says; nothing where it cannot be read."""
        return _yaml(self.folder / "jobs" / f"{Path(name).name}.yaml")

    def parameters(self, name: str) -> dict[str, list[str]]:
        """Parameter of a job → its choices, as far as the job itself has them."""
        declared = self.job(name).get("parameters")
        found: dict[str, list[str]] = {}
        for parameter, said in declared.items() if isinstance(declared, dict) else ():
            of = said.get("of") if isinstance(said, dict) else None
            found[str(parameter)] = [str(choice) for choice in of] if isinstance(of, list) else []
        return found

    def datasets(self, name: str) -> list[str]:
        """The data sets of a job."""
        said = self.job(name).get("data")
        return [str(table) for table in said] if isinstance(said, dict) else []

    def runs(self) -> list[tuple[str, str]]:
        """The newest runs, with their jobs and periods."""
        rows = self._rows("select id, job, period from runs order by id desc limit ?", (_RUNS,))
        return [(str(number), f"{job}, {period}") for number, job, period in rows]

    def keys(self, run: str, begin: str) -> list[tuple[str, str]]:
        """The keys of a run, or of the newest one of a job, that begin so; with their names."""
        if run == "last":
            where, value = "(select max(id) from runs)", None
        elif run.isdecimal():
            where, value = "?", run
        else:
            where, value = "(select max(id) from runs where job = ?)", run
        given = [value] if value is not None else []
        rows = self._rows(
            f'select "key", name from packages where run_id = {where} '
            'and substr("key", 1, ?) = ? order by "key" limit ?',
            (*given, len(begin), begin, _MOST),
        )
        return [(str(key), str(name)) for key, name in rows]

    def _rows(self, sql: str, values: tuple[object, ...]) -> list[tuple[Any, ...]]:
        place = self.kept / "ledger.db"
        with (
            contextlib.suppress(sqlite3.Error),
            contextlib.closing(sqlite3.connect(f"{place.as_uri()}?mode=ro", uri=True, timeout=0.1)) as base,
        ):
            return base.execute(sql, values).fetchall()
        return []

    def _ledger(self) -> str:
        with contextlib.suppress(OSError, UnicodeError):
            if "ledger:" in (self.folder / "gonnet.yaml").read_text("utf-8"):
                said = _yaml(self.folder / "gonnet.yaml").get("ledger")
                return str(said.get("folder", ".gonnet")) if isinstance(said, dict) else ".gonnet"
        return ".gonnet"


def _title(path: Path) -> str:
    with contextlib.suppress(OSError, UnicodeError), path.open(encoding="utf-8-sig") as lines:
        for line in lines:
            if line.startswith("title:"):
                return line.removeprefix("title:").strip().strip("\"'")
    return ""


def _yaml(path: Path) -> Mapping[str, Any]:
    with contextlib.suppress(Exception):  # a file that is being written is no mistake here
        import yaml

        found = yaml.load(path.read_text("utf-8-sig"), getattr(yaml, "CSafeLoader", yaml.SafeLoader))
        return found if isinstance(found, dict) else {}
    return {}
