"""Making a few packages just as `prepare` would, into a folder, without a run: nothing is entered in the ledger."""

from __future__ import annotations

import io
from collections.abc import Iterable, Iterator
from contextlib import closing
from dataclasses import dataclass, replace
from itertools import islice
from pathlib import Path

import pypdfium2

from gonnet import delivery, private
from gonnet.errors import DataError, StorageError
from gonnet.jobs import Job
from gonnet.ledger import FolderStore, Store
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
        some = islice(found.plans, first)
        chosen = {plan.key: "" for plan in some} if first or request.only else telling(found.plans)
        plans = found.plans.only(frozenset(chosen))
        aside = replace(tools, store=FolderStore(folder), executor=lambda _packages: Inline())
        watch = watch_of(job, found)
        made = batches.make(aside, replace(found, plans=plans), senders, watch, lambda _done, _total: None)
        try:
            private.folder(into)
            return [_sample(plan, one, chosen[plan.key], aside.store, form, into) for plan, one in made]
        except OSError as error:
            raise StorageError(
                f"the folder cannot be written: {error.strerror}", where=str(into), fix="Name another with --into"
            ) from error


def telling(plans: Iterable[PackagePlan]) -> dict[str, str]:
    """Key → why it tells something: the most and fewest rows, the longest name, one for each language and decision."""
    best: dict[str, tuple[int, str]] = {}
    locales: dict[str, str] = {}
    decisions: dict[tuple[str, str], str] = {}
    order: dict[str, int] = {}
    for at, plan in enumerate(plans):
        if plan.documents:
            rows = plan.addressed.rows
            for why, worth in (
                ("the most rows", rows),
                ("the fewest rows", -rows),
                ("the longest name", len(plan.addressed.name)),
            ):
                if why not in best or worth > best[why][0]:
                    best[why] = worth, plan.key
                    order[plan.key] = at
            if locales.setdefault(plan.locale, plan.key) == plan.key:
                order[plan.key] = at
        decision = (str(plan.decision.outcome), str(plan.decision.cause or ""))
        if decisions.setdefault(decision, plan.key) == plan.key:
            order[plan.key] = at
    found = [(key, why) for why, (_, key) in best.items()]
    found += [(key, called(locale)) for locale, key in locales.items() if len(locales) > 1]
    found += [(key, f"one that is {': '.join(part for part in one if part)}") for one, key in decisions.items()]
    keys = sorted({key for key, _ in found}, key=order.__getitem__)
    return {key: ", ".join(why for of, why in found if of == key) for key in keys}


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
