"""Text files whose columns stand at fixed positions of each line."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from gonnet.data.engine import Engine, quoted
from gonnet.data.files.headings import header_rows
from gonnet.data.files.text_files import as_utf8, set_last_apart
from gonnet.data.types.columns import assign_types
from gonnet.data.types.target import Hint, Target
from gonnet.errors import DataError
from gonnet.jobs.sources import FileDataSet


def load_positions(engine: Engine, target: Target, paths: Sequence[Path], spec: FileDataSet) -> None:
    """Make the target's table from files whose columns stand at fixed positions of each line.

    Raises:
        DataError: a file cannot be read.
    """
    cut = {name: tuple(int(part) for part in at.split("-")) for name, at in spec.positions.items()}
    for name, (first, last) in cut.items():
        if last < first:
            what = f"the positions of '{name}' end before they begin ({first}-{last})"
            raise DataError(what, where=target.where, fix="Write the first sign and the last one, from 1: 7-30")
    chosen = ", ".join(
        f"nullif(trim(substring(line, {first}, {last - first + 1})), '') as {quoted(name)}"
        for name, (first, last) in cut.items()
    )
    skipped = spec.skip + header_rows(spec.header)[1] * (spec.header != 1)
    ends = [0]
    for number, path in enumerate(paths):
        into = "insert into {}" if number else "create table {} as"
        engine.query(
            f"{into.format(quoted(target.raw))} select {chosen} from read_csv(?, auto_detect=false, delim='\x1f', "
            "quote='', escape='', comment='', header=false, skip=?, columns={'line': 'VARCHAR'}, null_padding=false)",
            [str(as_utf8(path, target, spec.encoding)), skipped],
            where=target.where,
        )
        ends.append(engine.count(target.raw))
    set_last_apart(engine, target, paths, ends)
    target.notes.append(f"{paths[0].name}: {len(cut)} columns at fixed positions")
    assign_types(engine, target, dict.fromkeys(cut, Hint.ANY))
