"""Handing packages to workers in batches and taking what they made, in key order, a few batches at a time."""

from __future__ import annotations

import secrets
from collections import deque
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import BrokenExecutor
from dataclasses import replace
from itertools import islice, tee

from gonnet.checks import Watch
from gonnet.errors import StorageError
from gonnet.jobs import references
from gonnet.packages import PackagePlan
from gonnet.pipeline.making.kits import RunKit, Version
from gonnet.pipeline.making.message_texts import Sender, message_texts
from gonnet.pipeline.making.orders import Order, Rows, Slice
from gonnet.pipeline.making.parts import ArrivalKit
from gonnet.pipeline.making.produce import Made
from gonnet.pipeline.making.workers.crews import Batch, Crew, crew_of
from gonnet.pipeline.sending.protecting import signing
from gonnet.pipeline.survey import Survey
from gonnet.pipeline.surveying.editions import Edition
from gonnet.pipeline.tools import Progress, Tools
from gonnet.recipients import Recipient
from gonnet.reports.plans.column_plans import labelled
from gonnet.reports.signs import signs
from gonnet.rules import Outcome, ways_of
from gonnet.split import bring_together
from gonnet.split.slices import rows_of

_BATCH = 100  # packages that a worker makes at a time


def make(
    tools: Tools, found: Survey, senders: Mapping[int, Sender], watch: Watch, progress: Progress
) -> Iterator[tuple[PackagePlan, Made | None]]:
    """Yield every plan, in key order, with what was made of it; None where it is not made.

    Raises:
        StorageError: a file cannot be kept, or a worker died.
    """
    if found.plans.made > _BATCH or found.plans.bundles:
        for cut in found.cuts.values():
            bring_together(found.engine, cut.view)
    tools.store.make_room(found.plans.made)
    with crew_of(tools, kit_of(tools, found, senders, watch), found.plans.made, _BATCH) as crew:
        plans, ahead = tee(found.plans)  # what is between what is ordered and what has come is kept, and no more
        made = _all_made(crew, found, (plan for plan in ahead if plan.is_made), senders)
        for count, plan in enumerate(plans, 1):
            yield _known_now(plan, next(made) if plan.is_made else None)
            progress(count, len(found.plans))


def _known_now(plan: PackagePlan, made: Made | None) -> tuple[PackagePlan, Made | None]:
    """The plan and what was made of it, now that it is known whether the documents show anything new."""
    if made is None or not made.documents or plan.if_unchanged is None or plan.last != _contents(made):
        return plan, made
    skipped = plan.if_unchanged.outcome is Outcome.SKIPPED
    return replace(plan, decision=plan.if_unchanged), None if skipped else made


def _contents(made: Made) -> tuple[str, ...]:
    return tuple(document.content for document in made.documents if document.content)


def _all_made(crew: Crew, found: Survey, plans: Iterator[PackagePlan], senders: Mapping[int, Sender]) -> Iterator[Made]:
    """What was made of `plans`, in order."""
    size = max(1, min(crew.most, -(-found.plans.made // (2 * crew.hands))))
    waiting: deque[Batch] = deque()
    try:
        while batch := list(islice(plans, size)):
            waiting.append(crew.submit(orders_of(found, batch, senders)))
            if len(waiting) > crew.hands + 1:
                yield from waiting.popleft().result()
        while waiting:
            yield from waiting.popleft().result()
    except BrokenExecutor as error:
        raise StorageError(
            "a process that draws documents died", fix="There may not be enough memory; run it again"
        ) from error
    finally:
        for future in waiting:
            future.cancel()


def orders_of(found: Survey, batch: Sequence[PackagePlan], senders: Mapping[int, Sender]) -> tuple[Order, ...]:
    """What a worker needs to make some packages, in order."""
    keys = list(dict.fromkeys(part.key for plan in batch for part in plan.slices))
    rows: dict[str, dict[str, Rows]] = {key: {} for key in keys}
    for view, fields in found.fields.items():
        for key, lines in rows_of(found.engine, fields, keys, found.values.bound(), view):
            rows[key][view] = tuple(lines)
    return tuple(_order(plan, rows, senders, found) for plan in batch)


def _order(
    plan: PackagePlan, rows: Mapping[str, Mapping[str, Rows]], senders: Mapping[int, Sender], found: Survey
) -> Order:
    way = next((at for at in plan.decision.effects.ways if at in senders), None)
    sender = senders[way] if way is not None else None
    written = found.house.job.file.deliver[way].called if way is not None else ""
    contacts = _written_to(plan, written, found) if plan.decision.cause is None else ()
    if sender and plan.decision.outcome is Outcome.HELD:
        contacts = _written_to(
            plan, written, found
        )  # one without an address gets a message too, to be addressed by hand
    domain = sender.address.domain if sender else ""
    in_messages = references.reports_in_messages(found.house.job)
    return Order(
        key=plan.key,
        locale=plan.locale,
        documents=plan.documents,
        enclosures=plan.enclosures,
        own_files=plan.own_files,
        attachments=plan.attachments,
        places=plan.places,
        sender=way,
        written=written,
        slices=tuple(Slice(part.key, rows[part.key], part.names, part.label) for part in plan.slices),
        names=plan.names,
        contacts=contacts,
        message=plan.decision.effects.message or "",
        important=plan.decision.effects.important,
        hidden={name: plan.evaluated.hidden(name) for name in in_messages},
        message_ids=tuple(f"<{secrets.token_hex(16)}@{domain}>" for _ in contacts),
    )


def _written_to(plan: PackagePlan, way: str, found: Survey) -> tuple[Recipient, ...]:
    """The contacts of a package who get a message; `way` is that by which messages go, or empty."""
    effects, job = plan.decision.effects, found.house.job
    return tuple(person for person in plan.addressed.contacts if way in ways_of(person, effects, job))


def kit_of(tools: Tools, found: Survey, senders: Mapping[int, Sender], watch: Watch) -> RunKit:
    """What is the same for every package of a run."""
    return RunKit(
        versions={locale: _version(edition) for locale, edition in found.editions.items()},
        signs=signs(
            [(edition.job, edition.look) for edition in found.editions.values()],
            found.engine,
            found.fields,
            found.values.bound(),
            found.people(),
        ),
        watch=watch,
        store=tools.store,
        senders=senders,
        enclosures={file: part for edition in found.editions.values() for file, part in edition.enclosures.items()},
        arrivals={
            name: ArrivalKit.of(part, found.cuts[name].view, _titles(found, name))
            for name, part in found.arrived.items()
        },
        folder=tools.workspace.folder,
        signers={name: tools.workspace.file.smime.signers[name] for name in signing(found.house.job)},
    )


def _titles(found: Survey, arrival: str) -> dict[str, str]:
    """Locale → what an arrival is called."""
    specs = ((locale, edition.job.file.arrivals[arrival]) for locale, edition in found.editions.items())
    return {locale: labelled(arrival) if spec.title is None else spec.title for locale, spec in specs}


def _version(edition: Edition) -> Version:
    return Version(
        reports=edition.reports,
        look=edition.look,
        common=edition.reading.common,
        texts=message_texts(edition.job, edition.look.house.locale),
    )
