"""Making a few packages just as `prepare` would, into a folder, without a run: nothing is entered in the ledger."""

from __future__ import annotations

import io
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing
from dataclasses import dataclass, replace
from pathlib import Path

import pypdfium2

from gonnet import delivery, private
from gonnet.errors import DataError, StorageError
from gonnet.jobs import Job
from gonnet.ledger import Store
from gonnet.packages import PackagePlan, safe_name
from gonnet.pipeline.making import batches
from gonnet.pipeline.making.message_texts import senders_of
from gonnet.pipeline.making.produce import Made
from gonnet.pipeline.making.watching import watch_of
from gonnet.pipeline.making.workers.processes import Inline
from gonnet.pipeline.survey import Request, survey
from gonnet.pipeline.tools import Tools
from gonnet.scratch import scratch
from gonnet.wording.languages import called

_SCALE = 96 / 72  # pixels to the point


@dataclass(frozen=True, slots=True, kw_only=True)
class Sample:
    """A package that was made to be looked at.

    Attributes:
        key: Its key.
        name: Whose it is.
        why: Why it was chosen.
        decision: What would become of it: `ready`, `held`, `skipped`; with the reason.
        files: What was written, in the order of the package.
        subject: The subject of its message, or empty.
        message: The plain text of its message, or empty.
    """

    key: str
    name: str
    why: str
    decision: tuple[str, str]
    files: tuple[Path, ...]
    subject: str
    message: str


def preview(job: Job, tools: Tools, request: Request, first: int | None, form: str | None, into: Path) -> list[Sample]:
    """Make packages and write their files.

    Args:
        job: The job.
        tools: The tools; their ledger and store stay as they are.
        request: What is asked for; its `only` chooses packages.
        first: So many packages in key order; telling ones when neither this nor `only` is given.
        form: Only documents of this format; `png` for pictures of the pages of its PDFs; None for all.
        into: The folder; made when it is not there.

    Raises:
        GonnetError: the job or the data is wrong, or the folder cannot be written.
    """
    senders = senders_of(job, tools)
    found = survey(job, tools, request)
    with closing(found.engine), scratch(tools.work_folder) as folder:
        chosen = {plan.key: "" for plan in found.plans[:first]} if first or request.only else telling(found.plans)
        plans = tuple(plan for plan in found.plans if plan.key in chosen)
        aside = replace(tools, store=Store(folder), executor=lambda _packages: Inline())
        watch = watch_of(job, found)
        made = batches.make(aside, replace(found, plans=plans), senders, watch, lambda _done, _total: None)
        try:
            private.folder(into)
            return [_sample(plan, one, chosen[plan.key], aside.store, form, into) for plan, one in made]
        except OSError as error:
            raise StorageError(
                f"the folder cannot be written: {error.strerror}", where=str(into), fix="Name another with --into"
            ) from error


def telling(plans: Sequence[PackagePlan]) -> dict[str, str]:
    """Key → why it tells something: the most and fewest rows, the longest name, one for each language and decision."""
    found: dict[str, list[str]] = {}
    drawn = [plan for plan in plans if plan.documents]
    superlatives: list[tuple[str, Callable[[PackagePlan], int]]] = [
        ("the most rows", lambda plan: -plan.addressed.rows),
        ("the fewest rows", lambda plan: plan.addressed.rows),
        ("the longest name", lambda plan: -len(plan.addressed.name)),
    ]
    for why, measure in superlatives if drawn else ():
        found.setdefault(min(drawn, key=measure).key, []).append(why)
    seen: set[tuple[str, str]] = set()
    for locale in dict.fromkeys(plan.locale for plan in drawn):
        if not all(plan.locale == locale for plan in drawn):
            first = next(plan.key for plan in drawn if plan.locale == locale)
            found.setdefault(first, []).append(called(locale))
    for plan in plans:
        decision = (str(plan.decision.outcome), str(plan.decision.cause or ""))
        if decision not in seen:
            seen.add(decision)
            found.setdefault(plan.key, []).append(f"one that is {': '.join(part for part in decision if part)}")
    return {plan.key: ", ".join(found[plan.key]) for plan in plans if plan.key in found}


def _sample(plan: PackagePlan, made: Made | None, why: str, store: Store, form: str | None, into: Path) -> Sample:
    decision = str(plan.decision.outcome), plan.decision.reason
    files: list[Path] = []
    subject = message = ""
    if made is not None:
        if made.held is not None:
            decision = "held", made.held[1]
        place = into / safe_name(plan.key) if plan.is_bundle else into  # bundles have documents of others again
        private.folder(place)
        for document in made.documents:
            files += _written(place / document.name, store.get(document.sha256), form)
        if made.messages:
            subject = made.messages[0].subject
            message = delivery.plain_text(store.get(made.messages[0].sha256))
    return Sample(
        key=plan.key,
        name=plan.addressed.name,
        why=why,
        decision=decision,
        files=tuple(files),
        subject=subject,
        message=message,
    )


def _written(path: Path, data: bytes, form: str | None) -> Iterator[Path]:
    if form == "png":
        if path.suffix == ".pdf":
            yield from _pictures(path, data)
    elif form is None or path.suffix == f".{form}":
        private.write(path, data)
        yield path


def _pictures(path: Path, data: bytes) -> Iterator[Path]:
    try:
        opened = pypdfium2.PdfDocument(data)
    except pypdfium2.PdfiumError as error:
        raise DataError(
            f"{path.name} is protected by a password, so that no pictures can be made", fix="Leave out `--as png`"
        ) from error
    with closing(opened) as document:
        for number in range(len(document)):
            target = io.BytesIO()
            document[number].render(scale=_SCALE).to_pil().save(target, "PNG")
            picture = path.with_name(f"{path.stem} page {number + 1}.png")
            private.write(picture, target.getvalue())
            yield picture
