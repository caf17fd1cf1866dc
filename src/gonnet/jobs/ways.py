"""The ways by which packages leave: by mail, into folders, as drafts, on paper."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from functools import cached_property
from typing import Annotated, Literal

from pydantic import BeforeValidator, Field, model_validator

from gonnet.jobs.sections import Name, Names, Section
from gonnet.jobs.texts import Text
from gonnet.jobs.values import OfDocument, as_tuple_of_text


class EmailSpec(Section):
    """How a message leaves: from whom, through which server of the workspace.

    Attributes:
        sender: From whom messages are: `Name <address>`.
        reply_to: Where answers go.
        server: The mail server of the workspace, by its name; the only one when left out.
    """

    sender: str = Field(alias="from")
    reply_to: str | None = None
    server: str | None = None


class FolderSpec(Section):
    """Where files are put.

    Attributes:
        root: A folder of the workspace, by its name under `folders:` of `gonnet.yaml`; the only one when left out.
        path: Folders below it, separated by `/`; what is merged never adds one.
        existing: What becomes of a file that is there already: both are kept, the new one with a number; it is
            replaced, if it is what was put there before; or the new one is refused.
    """

    root: str | None = None
    path: Text = ""
    existing: Literal["keep both", "replace", "refuse"] = "keep both"


class DraftsSpec(FolderSpec):
    """Where messages are put as files that mail programs open as unsent, for those who send them themselves.

    Attributes:
        sender: From whom the messages are: `Name <address>`.
        reply_to: Where answers go.
        imap: A mailbox of the workspace, by its name under `imap:` of `gonnet.yaml`, into whose drafts they are put.
    """

    sender: str = Field(alias="from")
    reply_to: str | None = None
    imap: str | None = None

    @model_validator(mode="after")
    def _one_place(self) -> DraftsSpec:
        if self.imap is not None and self.model_fields_set & {"root", "path", "existing"}:
            raise ValueError("drafts are put into a folder (`root`, `path`) or into a mailbox (`imap`), not into both")
        return self


class PrintSpec(Section):
    """Where the PDFs of packages are printed.

    Attributes:
        printer: One of the workspace, by its name under `printers:` of `gonnet.yaml`; the only one when left out.
    """

    printer: str | None = None


class Way(Section):
    """One way by which packages leave.

    Attributes:
        name: What rules call it; `email`, `folder`, `drafts` or `print` when left out.
        optional: Whether only packages take it for which a list, a line of it or a rule says so.
        documents: The documents and enclosures that go by it, by name or by report; all of them when left out.
        formats: The formats that go by it; all of them when left out.
        email: That messages are sent.
        folder: That files are put into a folder.
        drafts: That messages are put where people send them themselves.
        printing: That PDFs are printed.
    """

    name: Name | None = None
    optional: bool = False
    documents: Names = ()
    formats: Annotated[
        tuple[OfDocument, ...],
        BeforeValidator(as_tuple_of_text, json_schema_input_type=OfDocument | tuple[OfDocument, ...]),
    ] = Field(default=(), alias="as")
    email: EmailSpec | None = None
    folder: FolderSpec | None = None
    drafts: DraftsSpec | None = None
    printing: PrintSpec | None = Field(default=None, alias="print")

    @model_validator(mode="after")
    def _one_of_them(self) -> Way:
        if len(list(self._kinds())) != 1:
            raise ValueError("a way to deliver is one of `email`, `folder`, `drafts` and `print`")
        return self

    def _kinds(self) -> Iterator[str]:
        parts = {"email": self.email, "folder": self.folder, "drafts": self.drafts, "print": self.printing}
        return (kind for kind, part in parts.items() if part is not None)

    @cached_property  # it is asked for with every file of every recipient
    def kind(self) -> str:
        """What it is: `email`, `folder`, `drafts` or `print`."""
        return next(self._kinds())

    @property
    def called(self) -> str:
        """What rules call it."""
        return self.name or self.kind

    def takes(self, called: Collection[str], form: str) -> bool:
        """Whether a file goes by it: of a document or an enclosure that is called so, in a format."""
        is_named = not self.documents or not set(self.documents).isdisjoint(called)
        formats = self.formats or (("pdf", "file") if self.printing is not None else ())
        return is_named and (not formats or form in formats)

    @property
    def limits(self) -> str:
        """What goes by it, in words; empty where everything does."""
        return " as ".join(part for part in (", ".join(self.documents), ", ".join(self.formats)) if part)

    @property
    def writes(self) -> EmailSpec | DraftsSpec | None:
        """From whom its messages are; None where it has none."""
        return self.email or self.drafts

    @property
    def puts(self) -> FolderSpec | None:
        """The folder that it puts files into; None where it has none."""
        return self.folder or self.drafts
