"""Whether passwords are as strong as they look: what `check` says of short ones, and of those that many share."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from gonnet.findings import Finding, Weight
from gonnet.jobs import Job
from gonnet.jobs.references import texts_of_message, texts_of_report
from gonnet.packages import PackagePlan
from gonnet.remembering import SeenTexts
from gonnet.wording.template import Template

_FIELD = re.compile(r"\{\{(.*?)\}\}", re.DOTALL)
_SHORT = 8
"""Characters below which a machine tries all passwords in hours."""


def told(job: Job) -> Iterator[Finding]:
    """A finding for each text that goes with what a password protects, and says the password."""
    secret = set(_secrets(job))
    if not secret:
        return
    for name in job.file.messages:
        if _fields(texts_of_message(job, name)) & secret:
            yield _said(f"the message '{name}' says the password of the files that go with it")
    if job.file.package.zip is not None and job.file.package.zip.password is not None:
        return  # what is inside opens with it
    mailing = [way for way in job.file.deliver if way.writes is not None]
    for spec in job.file.package.documents:
        goes = spec.attach and any(way.takes(spec.called, spec.format) for way in mailing)
        if spec.report is None or spec.password is not None or not goes or spec.report not in job.file.reports:
            continue
        if _fields(texts_of_report(job, spec.report)) & secret:
            yield _said(f"'{spec.shows}' says the password of other files, has none, and goes with the same message")


def _secrets(job: Job) -> Iterator[str]:
    """What is merged into passwords."""
    package = job.file.package
    opens = [spec.password.open for spec in package.documents if spec.password is not None]
    opens += [package.zip.password] if package.zip is not None and package.zip.password is not None else []
    for text in opens:
        yield from (_bare(found[1]) for found in _FIELD.finditer(str(text)))


def _fields(texts: Iterable[Template]) -> set[str]:
    return {_bare(found[1]) for text in texts for found in _FIELD.finditer(text.source)}


def _bare(field: str) -> str:
    """A merge field without how it is shown."""
    return field.partition("|")[0].strip()


def _said(text: str) -> Finding:
    fix = "let it go another way: a letter, or a job of its own to another address"
    return Finding(weight=Weight.ATTENTION, text=f"{text}: {fix}")


class Passwords:
    """Looks at the passwords of packages; keeps none of them."""

    def __init__(self) -> None:
        self._short = self._with = 0
        self._seen = SeenTexts()

    def see(self, plan: PackagePlan) -> None:
        """Those of one package."""
        found = {part.lock.open for part in plan.documents if part.lock is not None}
        if plan.attachments is not None:
            found.add(plan.attachments.password)
        found.discard("")
        if found:
            self._with += 1
            self._short += any(len(password) < _SHORT for password in found)
            for password in found:
                self._seen.add(password)

    def findings(self) -> Iterator[Finding]:
        """A finding for short passwords, and for one that everybody has."""
        if self._short:
            who = f"{self._short} of {self._with} packages with a password have" if self._with > 1 else "a package has"
            cure = f"`limits: {{shortest_password: {_SHORT}}}` in gonnet.yaml would hold them"
            text = f"{who} one of fewer than {_SHORT} characters, which a machine finds by trying; {cure}"
            yield Finding(weight=Weight.NOTE, text=text)
        if self._with > 1 and len(self._seen) == 1:
            text = f"all {self._with} packages have the same password: whoever has one opens those of the others"
            yield Finding(weight=Weight.NOTE, text=text)
