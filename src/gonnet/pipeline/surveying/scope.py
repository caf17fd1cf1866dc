"""Whether a recipient gets what their own rows say: what of a job's SQL reads beyond them, and who allowed it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

from gonnet.data import names_in
from gonnet.data.sql.scope import Reach, reach_of
from gonnet.errors import JobError
from gonnet.findings import Finding, Weight
from gonnet.jobs import Job
from gonnet.jobs.blocks.charts import StandingBlock

_LEAST = 5  # recipients, of whom an average or a total tells nobody's own figure


def beyond(job: Job, of_reports: Iterable[tuple[str, str]], recipients: Mapping[str, int]) -> Iterator[Finding]:
    """A finding for each figure, value and condition that reads more than the rows of its key.

    Args:
        job: The job.
        of_reports: Place and SQL of every expression of its reports.
        recipients: Data set that is split → how many have rows in it; of another nobody knows whose its rows are.

    Raises:
        JobError: one does, is no usual value of enough recipients, and the job does not allow it.
    """
    yield from _with_all(job, max(recipients.values(), default=0))
    for where, sql in dict.fromkeys((*_figures(job), *_conditions(job), *of_reports)):
        reach = reach_of(sql)
        if not reach.is_beyond:
            continue
        what = f"{where}: reads rows of others ({_of(reach)})"
        count = min((recipients.get(table.casefold(), 0) for table in reach.tables), default=0)
        if reach.is_usual and count >= _LEAST:
            yield Finding(weight=Weight.NOTE, text=f"{what}, a usual value of {count:,} recipients")
        elif job.file.beyond is not None:
            yield Finding(weight=Weight.NOTE, text=f"{what}; the job allows it: {job.file.beyond}")
        else:
            fix = (
                f"Take a sum, an average or a count over a whole table that is split, of at least {_LEAST} recipients; "
                "or say in the job why it may be so, with `beyond: REASON`"
            )
            raise JobError(f"this reads rows of others ({_of(reach)})", where=where, fix=fix)


def _with_all(job: Job, recipients: int) -> Iterator[Finding]:
    """What compares a recipient with all of them: figures of the whole in conditions, and places among all.

    Raises:
        JobError: there are so few that it would tell of one of them, and the job does not allow it.
    """
    for where, sql in _conditions(job):
        names = sorted(name for name in ("rows", *job.file.figures) if names_in(sql).asks_for("whole", name))
        if names:
            what = f"{where}: compares with all recipients ({', '.join(f'whole.{name}' for name in names)})"
            if job.file.beyond is not None:
                yield Finding(weight=Weight.NOTE, text=f"{what}; the job allows it: {job.file.beyond}")
            elif recipients >= _LEAST:
                yield Finding(weight=Weight.NOTE, text=f"{what}, {recipients:,} of them")
            else:
                fix = f"There must be at least {_LEAST} recipients; or say in the job why not, with `beyond: REASON`"
                raise JobError(f"this compares with {recipients} recipients in all", where=where, fix=fix)
    for name, report in job.file.reports.items():
        for index, block in enumerate(report.blocks):
            if isinstance(block, StandingBlock):
                where = job.at("reports", name, "blocks", index)
                least = f"if there are at least {block.standing.least} recipients"
                text = f"{where}: says where a recipient stands among all ({block.standing.figure}), {least}"
                yield Finding(weight=Weight.NOTE, text=text)


def _of(reach: Reach) -> str:
    tables = f"a sub-query of {', '.join(reach.tables)}" if reach.tables else ""
    return " and ".join(part for part in (tables, "a window over other rows" if reach.has_window else "") if part)


def _figures(job: Job) -> Iterator[tuple[str, str]]:
    for name, figure in job.file.figures.items():
        yield job.at("figures", name), figure.value


def _conditions(job: Job) -> Iterator[tuple[str, str]]:
    for index, rule in enumerate(job.file.rules):
        if rule.when is not None:
            yield job.at("rules", index, "when"), rule.when
    for name, report in job.file.reports.items():
        for index, block in enumerate(report.blocks):
            if block.when is not None:
                yield job.at("reports", name, "blocks", index, "when"), block.when
