"""Writing a job that is like another: one fixed criterion, and everything else as there."""

from __future__ import annotations

import json
from collections.abc import Mapping
from pathlib import Path

from gonnet import schemas
from gonnet.errors import GonnetError, JobError
from gonnet.given import Repeated
from gonnet.jobs import load_job, load_workspace
from gonnet.jobs.consistency import within_the_file
from gonnet.pipeline.starting.table import require_free


def start_like(folder: Path, name: str, like: str, given: Mapping[str, str], where: str | None) -> Path:
    """Write `jobs/NAME.yaml`, like another job but for a criterion.

    Args:
        folder: The workspace.
        name: The job's name.
        like: The other job.
        given: Parameters of that job and the values that they have here.
        where: SQL, as in conditions of rules, that must hold for those who get something; or None.

    Returns:
        The file.

    Raises:
        JobError: the name cannot be used or is taken, or the other job has no such parameter.
    """
    workspace = load_workspace(folder)
    base = load_job(workspace, like)
    place = require_free(folder, name)
    criterion = [f"{parameter} {value}" for parameter, value in given.items()] + ([where] if where else [])
    title = f"{base.file.title}: {', '.join(criterion)}" if criterion else base.file.title
    lines = [f"# A job like {like}: what is not said here is as there.", f"like: {like}", f"title: {json.dumps(title)}"]
    if given:
        parts = {name: list(value.parts) if isinstance(value, Repeated) else value for name, value in given.items()}
        said = ", ".join(f"{name}: {json.dumps(value, ensure_ascii=False)}" for name, value in parts.items())
        lines.append(f"set: {{{said}}}")
    if where is not None:
        lines.append(f"where: {json.dumps(where, ensure_ascii=False)}")
    place.write_text(schemas.marked("job", "\n".join(lines) + "\n"), "utf-8")
    schemas.write(folder)
    try:
        mistakes = list(within_the_file(load_job(workspace, name)))
        if mistakes:
            raise JobError.of(mistakes)
    except GonnetError:
        place.unlink()
        raise
    return place
