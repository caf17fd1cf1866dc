"""Finding the workspace and opening what a command works with."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from gonnet.jobs import Workspace
    from gonnet.pipeline.tools import Tools


def workspace_at(folder: Path | None) -> Workspace:
    """The workspace that was named, or the nearest one."""
    from gonnet.jobs import find_workspace, load_workspace

    if folder is not None and not (folder / "gonnet.yaml").is_file():
        from gonnet.errors import JobError

        raise JobError("this folder is no workspace", where=str(folder), fix="It has no gonnet.yaml")
    return load_workspace(folder.resolve() if folder is not None else find_workspace(Path.cwd()))


@contextmanager
def tools_at(folder: Path | None, processes: int | None = None) -> Iterator[Tools]:
    """The tools of that workspace."""
    from gonnet.pipeline.tools import open_tools

    with open_tools(workspace_at(folder), processes) as tools:
        yield tools
