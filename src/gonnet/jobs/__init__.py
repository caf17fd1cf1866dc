"""Job and workspace files: what they may say, and reading them with the place of every mistake."""

from gonnet.jobs.models import Job
from gonnet.jobs.reading import load_job, load_workspace
from gonnet.jobs.sketches import load_sketch
from gonnet.jobs.workspace import Workspace, find_workspace

__all__ = ["Job", "Workspace", "find_workspace", "load_job", "load_sketch", "load_workspace"]
