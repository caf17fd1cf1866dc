"""The ways by which packages leave: by mail, and into folders."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from gonnet.jobs.parts import Name, Part
from gonnet.jobs.texts import Text


class EmailSpec(Part):
    """How a message leaves: from whom, through which server of the workspace."""

    sender: str = Field(alias="from")
    reply_to: str | None = None
    server: str | None = None


class FolderSpec(Part):
    """Where files are put.

    Attributes:
        root: A folder of the workspace, by its name under `folders:` of `gonnet.yaml`; the only one when left out.
        path: Folders below it, apart by `/`; what is merged never adds one.
        existing: What becomes of a file that is there already: both are kept, the new one with a number; it is
            replaced, if it is what was put there before; or the new one is refused.
    """

    root: str | None = None
    path: Text = ""
    existing: Literal["keep both", "replace", "refuse"] = "keep both"


class Way(Part):
    """One way by which packages leave.

    Attributes:
        name: What rules call it; `email` or `folder` when left out.
        optional: Whether only packages take it for which a rule says so.
    """

    name: Name | None = None
    optional: bool = False
    email: EmailSpec | None = None
    folder: FolderSpec | None = None

    @model_validator(mode="after")
    def _one_of_them(self) -> Way:
        if (self.email is None) == (self.folder is None):
            raise ValueError("a way to deliver is one of `email` and `folder`")
        return self

    @property
    def called(self) -> str:
        """What rules call it."""
        return self.name or ("email" if self.email is not None else "folder")
