"""Which files a job may read: those of the workspace and of folders that `gonnet.yaml` names, wherever links lead."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from gonnet.errors import JobError

_PRIVATE = ".env"


@dataclass(frozen=True, slots=True, kw_only=True)
class Reach:
    """The folders from which a job may take files.

    Attributes:
        folder: The workspace, from which names count.
        also: Other folders, which `gonnet.yaml` names.
        kept: Where the ledger and the rendered files of all recipients are, which are never taken.
    """

    folder: Path
    also: tuple[Path, ...] = ()
    kept: Path | None = None

    def file(self, name: str | Path, where: str) -> Path:
        """The path of a file, or of a pattern of files.

        Raises:
            JobError: it lies outside, or is one that holds passwords or other recipients' files.
        """
        path = self.folder / name
        real = path.resolve()
        if not any(real.is_relative_to(root.resolve()) for root in (self.folder, *self.also)):
            raise JobError(
                f"{name} lies outside of the workspace" + (f" (it leads to {real})" if real != path else ""),
                where=where,
                fix="Put it below the workspace, or name its folder in gonnet.yaml: `reads: [FOLDER]`",
            )
        if real.name.startswith(_PRIVATE) or (self.kept is not None and real.is_relative_to(self.kept.resolve())):
            what = f"{name} holds passwords or other people's files, and cannot be taken"
            raise JobError(what, where=where, fix="Take another file")
        return path
