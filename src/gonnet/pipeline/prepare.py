"""Everything up to the review. Contacts nobody."""

from __future__ import annotations

import time
from collections.abc import Collection, Iterable, Mapping
from contextlib import closing
from decimal import Decimal

from gonnet.checks import Account
from gonnet.checks.accounting import Bookkeeper
from gonnet.errors import RunError
from gonnet.findings import Weight
from gonnet.jobs import Job
from gonnet.ledger import PackageRecord, RunRecord, RunWriter, State
from gonnet.packages import PackagePlan
from gonnet.pipeline import commands, workshop
from gonnet.pipeline.letters import sender_of
from gonnet.pipeline.produce import Made
from gonnet.pipeline.survey import Request, Survey, survey
from gonnet.pipeline.tools import Progress, Tools, no_progress
from gonnet.rules.decisions import Cause

_TOGETHER = 100  # packages written in one transaction; a run that breaks off is never sent


def prepare(job: Job, tools: Tools, request: Request, progress: Progress = no_progress) -> RunRecord:
    """Make, check, seal and record every package of a run.

    Returns:
        The run, as the ledger has it.

    Raises:
        GonnetError: the job, the data or the disk is wrong; nothing that could be sent is left behind.
    """
    began = time.monotonic()
    sender, server = sender_of(job, tools)
    before = _before(job, tools)
    found = survey(job, tools, request, progress)
    with closing(found.engine), tools.ledger.writing(**_opening(job, request, found, server)) as run:
        if before is not None:
            run.note(before.text)
        sums = _sums_by_key(found)
        books = Bookkeeper()
        waiting: list[PackageRecord] = []
        for plan, made in workshop.make(job, tools, found, sender, progress):
            package = _package(plan, made)
            _enter(books, plan, made, package, sums.get(plan.key, {}))
            waiting.append(package)
            if len(waiting) == _TOGETHER:
                run.add(waiting)
                waiting = []
        run.add(waiting)
        account = _account(books, found, sums)
        tools.store.settle()
        findings = [(str(finding.weight), finding.text) for finding in found.findings]
        findings += _after(job, tools, run)
        run.close(seconds=time.monotonic() - began, account=account, findings=findings)
    return tools.ledger.run(str(run.id))


def _before(job: Job, tools: Tools) -> commands.Ran | None:
    command = job.file.before
    return commands.required(command, tools.workspace.folder, job.at("before")) if command else None


def _after(job: Job, tools: Tools, run: RunWriter) -> list[tuple[str, str]]:
    """Run the job's last command; a finding where it fails."""
    command = job.file.after
    if command is None:
        return []
    ran = commands.run(command, tools.workspace.folder, job.at("after"))
    run.note(ran.text)
    return [] if ran.code == 0 else [(str(Weight.ATTENTION), ran.text[:300])]


def _opening(job: Job, request: Request, found: Survey, server: str | None) -> dict[str, object]:
    return {
        "job": job.name,
        "title": job.file.title,
        "job_sha256": job.digest,
        "as_of": request.as_of.isoformat(),
        "parameters": found.values.recorded(),
        "server": server,
    }


def _package(plan: PackagePlan, made: Made | None) -> PackageRecord:
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
        figures={name: _figure(value) for name, value in plan.evaluated.figures.items()},
        odd=odd,
        seal=made.seal if made else "",
        documents=made.documents if made else (),
        messages=made.messages if made else (),
        steps=tuple((step.rule, step.held, step.changes, step.overridden) for step in decision.steps),
    )


def _figure(value: object) -> str:
    return "" if value is None else str(value)


def _sums_by_key(found: Survey) -> dict[str | None, dict[str, Decimal]]:
    """Key (None for rows without one) → SQL of a column → its exact sum, for every control total."""
    columns = _controls(found)
    if not columns:
        return {}
    query = f"select gonnet_key, {_summed(columns)} from gonnet_rows group by gonnet_key"
    rows = found.engine.query(query, found.values.bound())
    return {
        None if key is None else str(key): {
            column: Decimal(str(total)) for column, total in zip(columns, totals, strict=True)
        }
        for key, *totals in rows
    }


def _controls(found: Survey) -> dict[str, str]:
    """SQL → name of every column that a report totals by sum in each package."""
    return {
        column.sql: column.field
        for report in found.house.reports
        for table in report.tables()
        for column in table.columns
        if column.total == "sum" and table.control
    }


def _summed(columns: Iterable[str]) -> str:
    return ", ".join(f"cast(coalesce(sum({column}), 0) as varchar)" for column in columns)


def _enter(
    books: Bookkeeper, plan: PackagePlan, made: Made | None, package: PackageRecord, sums: Mapping[str, Decimal]
) -> None:
    """Enter a package in the account: with what its documents show where it leaves, with what was read where not."""
    if package.state is State.READY and made is not None:
        books.deliver(made.rows, made.sums)
    else:
        cause = made.held[0] if made is not None and made.held is not None else plan.decision.cause or Cause.RULE
        books.withhold(str(cause), plan.addressed.rows, sums)


def _account(books: Bookkeeper, found: Survey, sums: Mapping[str | None, Mapping[str, Decimal]]) -> dict[str, object]:
    """The account in plain values.

    Raises:
        RunError: the parts do not add up to the whole; nothing of this run can be sent.
    """
    books.withhold(str(Cause.NO_KEY), found.slices.without_key, sums.get(None, {}))
    present = {plan.key for plan in found.plans}
    aside = [part for key, part in sums.items() if key is not None and key not in present]
    books.withhold(str(Cause.NOT_CHOSEN), found.not_chosen, {})
    for part in aside:
        books.withhold(str(Cause.NOT_CHOSEN), 0, part)
    names = _controls(found)
    account = books.close(found.slices.read, _whole(found, names))
    if not account.agrees:
        raise RunError(
            "the parts of this run do not add up to the whole: " + _disagreement(account),
            fix="This is a defect of Gonnet; nothing was sent, and nothing of this run can be. Please report it",
        )
    return {
        "measured": {"recipients": found.measured.recipients, "totals": dict(found.measured.totals)},
        "read": account.read,
        "delivered": account.delivered,
        "withheld": dict(account.withheld),
        "controls": [
            {"column": names[c.column]}
            | {part: _plain(getattr(c, part)) for part in ("whole", "delivered", "withheld")}
            for c in account.controls
        ],
    }


def _plain(total: Decimal) -> str:
    """An exact total without the zeros that only its type has; the first two decimals stay."""
    text = f"{total:f}"
    whole, point, decimals = text.partition(".")
    return f"{whole}.{decimals.rstrip('0').ljust(min(2, len(decimals)), '0')}" if point else text


def _whole(found: Survey, columns: Collection[str]) -> dict[str, Decimal]:
    """SQL of a column → its sum over every row read, in one pass that knows no keys."""
    if not columns:
        return {}
    totals = found.engine.query(f"select {_summed(columns)} from gonnet_rows", found.values.bound())[0]
    return {column: Decimal(str(total)) for column, total in zip(columns, totals, strict=True)}


def _disagreement(account: Account) -> str:
    parts = [
        f"{control.column}: {control.delivered} + {control.withheld} is not {control.whole}"
        for control in account.controls
        if not control.agrees
    ]
    rows = account.delivered + sum(account.withheld.values())
    return "; ".join(parts) or f"{rows} rows of {account.read}"
