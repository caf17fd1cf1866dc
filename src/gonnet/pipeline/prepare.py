"""Everything up to the review. Contacts nobody."""

from __future__ import annotations

import json
import time
from collections.abc import Sequence
from contextlib import closing
from dataclasses import replace

from gonnet.findings import Weight
from gonnet.jobs import Job
from gonnet.jobs.sources import SPANS
from gonnet.ledger import ContactRecord, PackageRecord, RunRecord, RunWriter, State
from gonnet.ledger.states import Purpose
from gonnet.packages import PackagePlan
from gonnet.pipeline.checking.encrypting import Encrypting
from gonnet.pipeline.making import batches, everyday_words
from gonnet.pipeline.making.cycles import cycle_of, once_of
from gonnet.pipeline.making.message_texts import senders_of
from gonnet.pipeline.making.produce import Made
from gonnet.pipeline.making.row_account import RowBooks
from gonnet.pipeline.making.tally import Tally
from gonnet.pipeline.making.watching import unsearched, watch_of
from gonnet.pipeline.making.workers.crews import make_ready
from gonnet.pipeline.sending.writing_back import kept_columns
from gonnet.pipeline.stepping import commands, steps
from gonnet.pipeline.survey import Request, Survey, survey
from gonnet.pipeline.tools import Progress, Tools, no_progress
from gonnet.recipients import Contact

_MISREAD = (
    "the leak check's two readers found different characters in the PDF of {}; PDFs made before it were read by one of "
    "them alone: look at them before anything leaves"
)
_NO_KEY = "sealed without a key: {} cannot be written, so who can write the ledger can change what leaves"
_TOGETHER = 100  # packages written in one transaction; an aborted run is never sent


def prepare(job: Job, tools: Tools, request: Request, progress: Progress = no_progress) -> RunRecord:
    """Make, check, seal and record every package of a run.

    Returns:
        The run, as the ledger has it.

    Raises:
        GonnetError: the job, the data or the disk is wrong; nothing that could be sent is left behind.
    """
    began = time.monotonic()
    senders = senders_of(job, tools)
    tools.protection.require_signers(job)
    steps.require_programs(job, tools)  # told before anything is made
    begun = list(steps.take(job, "start", _started(job, request), tools))
    found = survey(job, tools, request, progress)
    with closing(found.engine), tools.ledger.writing(**_opening(job, request, found, tools)) as run:
        make_ready(tools, found.plans.made)
        for ran in begun:
            run.note(ran.text)
        sealed, books = tools.seals.begin(run.id), RowBooks(found)
        waiting: list[PackageRecord] = []
        watch = watch_of(job, found)
        told = (*found.findings, *everyday_words.told(job, watch))
        findings = [(str(finding.weight), finding.text) for finding in told]
        findings += _failures(begun)
        if sealed == "open":
            findings.append((str(Weight.ATTENTION), _NO_KEY.format(tools.seals.place)))
        tally, encrypting = Tally(), Encrypting(job, tools)
        for plan, made in batches.make(tools, found, senders, watch, progress):
            package = _package(job, plan, made)
            tally.add(plan.key, made)
            encrypting.see(plan)
            if made is not None and made.misread:
                findings.append((str(Weight.ATTENTION), _MISREAD.format(plan.key)))
            share = books.enter(plan, made, package.state)
            seal = tools.seals.of(package, package.state) if made else ""
            waiting.append(replace(package, share=share, seal=seal))
            if len(waiting) == _TOGETHER:
                run.add(waiting)
                waiting = []
        run.add(waiting)
        account = books.account()
        tools.store.flush()
        findings += _made(job, tools, request, found, run)
        findings += [(str(finding.weight), finding.text) for finding in (*tally.told(), *encrypting.findings())]
        run.close(
            seconds=time.monotonic() - began,
            account=account,
            findings=findings,
            who=tools.who,
            unsearched=(*unsearched(job, found, watch), *tally.unsearched()),
            sealed=sealed,
        )
    record = tools.ledger.run(str(run.id))
    states = {str(state): count for state, count in record.counts.items()}
    tools.log.say("prepared", run=record.id, job=job.name, seconds=record.seconds, **states)
    return record


def _started(job: Job, request: Request) -> steps.Happened:
    day = request.as_of.isoformat()
    return steps.Happened(job=job.name, run=None, purpose=str(request.purpose), period=day, as_of=day, state="start")


def _made(job: Job, tools: Tools, request: Request, found: Survey, run: RunWriter) -> list[tuple[str, str]]:
    """Run the steps when everything is made; a finding for each that fails. A rehearsal has none."""
    if request.purpose is Purpose.TRIAL or not steps.has(job, "prepared"):
        return []
    now = tools.ledger.run(str(run.id))
    happened = replace(steps.happened_in(now, "prepared"), rows=sum(cut.read for cut in found.cuts.values()))
    ran = []
    for one in steps.take(job, "prepared", happened, tools):
        run.note(one.text)
        ran.append(one)
    return _failures(ran)


def _failures(ran: Sequence[commands.Ran]) -> list[tuple[str, str]]:
    return [(str(Weight.ATTENTION), one.text[:300]) for one in ran if not one.is_well]


def _opening(job: Job, request: Request, found: Survey, tools: Tools) -> dict[str, object]:
    approvals = [one for one in (tools.workspace.file.approval, job.file.approval) if one is not None]
    return {
        "job": job.name,
        "title": job.file.title,
        "job_sha256": job.digest,
        "as_of": request.as_of.isoformat(),
        "parameters": found.values.recorded(),
        "period": _period(job, found) or request.as_of.isoformat(),
        "cycle": cycle_of(job, found, request),
        "purpose": request.purpose,
        "only": json.dumps(request.only),
        "occurrence_id": request.occurrence,
        "prepared_by": tools.who,
        "approval": [one.model_dump(mode="json") for one in approvals],
    }


def _period(job: Job, found: Survey) -> str:
    recorded = found.values.recorded()
    spans = (name for name, parameter in job.file.parameters.items() if parameter.kind in SPANS)
    return ", ".join(f"{name} {recorded[name]}" for name in spans)


def _package(job: Job, plan: PackagePlan, made: Made | None) -> PackageRecord:
    decision = plan.decision
    state, reason = State(str(decision.outcome)), decision.reason
    if made is not None and made.held is not None:
        # What a check found comes first: it is the reason that must be seen.
        state, reason = State.HELD, made.held[1] if state is State.READY else f"{made.held[1]}; {reason}"
    odd = (*plan.addressed.odd, *(f"rule '{name}' is unknown here" for name in decision.unknown))
    return PackageRecord(
        key=plan.key,
        name=plan.addressed.name,
        state=state,
        reason=reason,
        rows=plan.addressed.rows,
        figures={name: figure_text(value) for name, value in plan.evaluated.figures.items()},
        odd=odd,
        seal="",
        documents=made.documents if made else (),
        messages=made.messages if made else (),
        hand_overs=made.hand_overs if made else (),
        keys=tuple(part.key for part in plan.slices) if plan.is_bundle else (),
        hits=made.hits if made else (),
        contacts=tuple(map(_contact, plan.addressed.known)),
        kept=_kept(plan, kept_columns(job)),
        once=once_of(job, plan.evaluated.figures),
        steps=tuple((step.rule, step.held, step.changes, step.overridden) for step in decision.steps),
    )


def _kept(plan: PackagePlan, columns: Sequence[str]) -> dict[str, str | int | None]:
    """Columns of the list, as what is written back afterwards needs them."""
    people = [*plan.addressed.contacts, *(one.person for one in plan.addressed.known)]
    fields = people[0].fields if people and columns else {}
    values = {name: fields.get(name) for name in columns}
    return {name: value if isinstance(value, int | str | None) else str(value) for name, value in values.items()}


def _contact(found: Contact) -> ContactRecord:
    person = found.person
    to, cc, bcc = (tuple(one.mailbox for one in part) for part in (person.to, person.cc, person.bcc))
    said = person.source, person.line, person.name, found.role, to, cc, bcc, found.use, found.why_not
    return ContactRecord(*said, *person.certificates[:1])


def figure_text(value: object) -> str:
    """A figure as the ledger has it."""
    return "" if value is None else str(value)
