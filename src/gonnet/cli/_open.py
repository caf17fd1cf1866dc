"""Finding the workspace and opening what a command works with."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import click

if TYPE_CHECKING:
    from gonnet.jobs import Job, Workspace
    from gonnet.pipeline.tools import Tools


def workspace_at(folder: Path | None) -> Workspace:
    """The workspace that was named, or the nearest one."""
    from gonnet.jobs import find_workspace, load_workspace

    if folder is not None and not (folder / "gonnet.yaml").is_file():
        from gonnet.errors import JobError

        raise JobError("this folder is not a workspace", where=str(folder), fix="It has no gonnet.yaml")
    return load_workspace(folder.resolve() if folder is not None else find_workspace(Path.cwd()))


def complete(job: Job, asked: dict[str, str]) -> dict[str, str]:
    """What was given with --set, and what a person at the terminal says to the parameters that have no value."""
    from gonnet.data.parameters import form_of

    found = dict(asked)
    for name, parameter in job.file.parameters.items():
        if name not in found and parameter.default is None and sys.stdin.isatty():
            found[name] = str(click.prompt(f"{parameter.label or name} ({form_of(parameter)})", err=True))
    return found


@contextmanager
def tools_at(folder: Path | None, processes: int | None = None) -> Iterator[Tools]:
    """The tools of that workspace."""
    from gonnet.pipeline.tools import open_tools

    with open_tools(workspace_at(folder), processes) as tools:
        yield tools
