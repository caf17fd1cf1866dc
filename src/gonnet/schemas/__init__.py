"""The schemas of job files and of gonnet.yaml (JSON Schema, draft 2020-12), by which editors know their keys."""

from __future__ import annotations

from importlib import resources
from pathlib import Path
from typing import Literal

from gonnet.errors import StorageError

Kind = Literal["job", "workspace"]
KINDS: tuple[Kind, ...] = ("job", "workspace")
FOLDER = "schemas"
_WAY = {"job": f"../{FOLDER}/job.json", "workspace": f"{FOLDER}/workspace.json"}  # from where such a file is


def text_of(kind: Kind) -> str:
    """The schema of a kind of file."""
    return (resources.files("gonnet.schemas") / f"{kind}.json").read_text("utf-8")


def marked(kind: Kind, text: str) -> str:
    """The text of a file with the comment by which editors find its schema."""
    return f"# yaml-language-server: $schema={_WAY[kind]}\n{text}"


def write(workspace: Path) -> tuple[Path, ...]:
    """Write the schemas into a workspace; those of an earlier version are replaced.

    Raises:
        StorageError: they cannot be written.
    """
    folder = workspace / FOLDER
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for kind in KINDS:
            (folder / f"{kind}.json").write_text(text_of(kind), "utf-8")
    except OSError as error:
        what = f"the schemas cannot be written: {error.strerror}"
        raise StorageError(what, where=str(folder), fix="Check the permissions of the folder") from error
    return tuple(folder / f"{kind}.json" for kind in KINDS)
