"""Jobs of which only the data are there yet."""

from __future__ import annotations

from collections.abc import Mapping

from gonnet.jobs.models import Job
from gonnet.jobs.reading import load_job
from gonnet.jobs.workspace import Workspace

_STILL_MISSING = "still missing"
"""What stands for the key column of a job that has none yet: no column is called so."""


def load_sketch(workspace: Workspace, name: str) -> Job:
    """Read `jobs/NAME.yaml`, in which what is done with the data may still be missing.

    Raises:
        JobError: there is no such job, or what there is of it has mistakes.
    """
    return load_job(workspace, name, _filled_up)


def _filled_up(tree: object) -> object:
    """The tree of a job with something in the place of what is still missing."""
    if not isinstance(tree, Mapping) or not isinstance(tree.get("data"), Mapping) or not tree["data"]:
        return tree
    listed = tree.get("recipients")
    is_for_all = isinstance(listed, str) or (isinstance(listed, list) and all(isinstance(one, str) for one in listed))
    some: dict[str, object] = {
        "title": "",
        "split": {"rows": next(iter(tree["data"]))} | ({} if is_for_all else {"by": _STILL_MISSING}),
        "package": {"documents": []},
    }
    if tree.get("arrivals"):
        del some["split"]  # follows from them
    return {part: value for part, value in some.items() if part not in tree} | dict(tree)
