"""Merge fields stand only where they are filled: braces that nobody fills would leave as they are."""

from __future__ import annotations

import re
from collections.abc import Iterator

from gonnet.errors import JobError
from gonnet.jobs.models import Job
from gonnet.jobs.references import folder_texts, messages, package_texts, texts_of_report, texts_of_rows
from gonnet.jobs.texts import given

_FIELD = re.compile(r"\{\{|\{%")


def has_field(text: str) -> bool:
    """Whether a text has what looks like a merge field."""
    return _FIELD.search(text) is not None


def unfilled(job: Job) -> Iterator[JobError]:
    """A mistake for each text with a merge field that is put in as it stands."""
    marked = [(place, text) for place, text in given(job.file) if any(map(has_field, text.every))]
    if not marked:
        return
    templates = [template for name in job.file.reports for template in texts_of_report(job, name)]
    templates += [template for name in job.file.reports for template in texts_of_rows(job, name)]
    filled = {template.where for template in (*templates, *package_texts(job), *folder_texts(job), *messages(job))}
    for place, text in marked:
        where = job.text(text, *place).where
        if where not in filled:
            yield JobError(
                f"merge fields are not filled in `{_called(place)}`",
                where=where,
                fix="Write it without {{ }}; titles, headings, texts, facts, links, file names and messages are filled",
            )


def _called(place: tuple[str | int, ...]) -> str:
    """The last name of a place: `label`, `phrases.sender`."""
    names = [str(part) for part in place if isinstance(part, str)]
    return ".".join(names[-2:]) if names[0] == "phrases" else names[-1]
