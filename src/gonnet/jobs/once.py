"""A job otherwise than its file says, for one run: another format, language or paper."""

from __future__ import annotations

import copy
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

from pydantic import ValidationError

from gonnet.errors import JobError
from gonnet.jobs.models import Job, JobFile
from gonnet.wording.languages import locale_of


@dataclass(frozen=True, slots=True, kw_only=True)
class Once:
    """What is different for one run.

    Attributes:
        format: The format of every document; None for what the job says.
        language: The language that every recipient reads (BCP 47).
        paper: The paper of every page.
        landscape: Whether every page lies on its side.
    """

    format: str | None = None
    language: str | None = None
    paper: str | None = None
    landscape: bool = False

    @property
    def told(self) -> str:
        """What is different, in words; empty where nothing is."""
        return ", ".join(self._parts())

    def _parts(self) -> Iterator[str]:
        if self.format is not None:
            yield f"every document as {self.format}"
        if self.language is not None:
            yield f"every text in {self.language}"
        if self.paper is not None:
            yield f"on {self.paper}"
        if self.landscape:
            yield "in landscape"

    def of(self, job: Job) -> Job:
        """The job as it is for this run.

        Raises:
            JobError: there is no such language, or a document cannot be had in this format.
        """
        if not self.told:
            return job
        tree: Any = copy.deepcopy(job.tree)
        if self.format is not None:
            _as_format(tree, self.format, job)
        if self.language is not None:
            _in_language(tree, self.language)
        for report in (tree.get("reports") or {}).values():
            report |= {"paper": self.paper} if self.paper else {}
            report |= {"landscape": True} if self.landscape else {}
        try:
            return replace(job, tree=tree, file=JobFile.model_validate(tree, context=job.reader))
        except ValidationError as error:
            what = str(error.errors()[0]["msg"]).removeprefix("Value error, ")
            raise JobError(
                what, where=job.path.as_posix(), fix=f"Leave it as the job has it, not {self.told}"
            ) from error


def _as_format(tree: Any, wanted: str, job: Job) -> None:  # noqa: ANN401  the tree of a job file
    """Give every document the format; of two that differed in nothing else the first stays."""
    documents: dict[str, Any] = {}
    for index, document in enumerate(job.file.package.documents):
        if document.report is None:
            documents[repr(index)] = tree["package"]["documents"][index]
            continue
        written = {**tree["package"]["documents"][index], "as": wanted}
        if wanted != "csv":
            written = {name: value for name, value in written.items() if name not in _OF_CSV}
        same = {name: value for name, value in written.items() if name != "name"}
        documents.setdefault(repr(sorted(same.items(), key=str)), written)
        if job.file.reports[document.report].form is not None and wanted != "xlsx":
            what = f"report '{document.report}' fills in a form, which is a workbook"
            raise JobError(what, where=job.at("package", "documents", index), fix="Leave out --as, or the document")
    tree["package"]["documents"] = list(documents.values())
    for rule in tree.get("rules") or []:
        rule |= {"as": wanted} if "as" in rule else {}
    lists = tree.get("recipients") or []
    for one in lists if isinstance(lists, list) else [lists]:
        if isinstance(one, dict) and isinstance(one.get("settings"), dict):
            one["settings"] |= {"as": wanted} if "as" in one["settings"] else {}


_OF_CSV = ("delimiter", "decimal", "quoting", "encoding", "dates")


def _in_language(tree: Any, language: str) -> None:  # noqa: ANN401  the tree of a job file
    try:
        locale_of(language)
    except ValueError as error:
        what, _, fix = str(error).partition("; ")
        raise JobError(what, where="--language", fix=fix) from error
    lists = tree.get("recipients") or []
    for one in lists if isinstance(lists, list) else [lists]:
        if isinstance(one, dict):
            one.pop("language", None)
            one["settings"] = {**(one.get("settings") or {}), "language": language}
