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


def complete(job: Job, tools: Tools, asked: dict[str, str]) -> dict[str, str]:
    """What was given with --set, and what a person at the terminal says to the parameters that have no value."""
    from gonnet.pipeline.surveying import asking

    if not sys.stdin.isatty():
        return asked
    return asking.complete(
        job,
        tools,
        asked,
        ask=lambda label, form: str(click.prompt(f"{label} ({form})", err=True)),
        say=lambda text: click.echo(f"! {text}", err=True),
    )


@contextmanager
def tools_at(folder: Path | None, processes: int | None = None, cluster: str = "") -> Iterator[Tools]:
    """The tools of that workspace."""
    from gonnet.pipeline.tools import open_tools

    with open_tools(workspace_at(folder), processes, cluster=cluster) as tools:
        yield tools
