"""Preparing as the commands `prepare` and `run` share it."""

from __future__ import annotations

import datetime as dt
from typing import TYPE_CHECKING

from gonnet.cli import _open, _report, _show
from gonnet.errors import typed

if TYPE_CHECKING:
    from gonnet.jobs import Job
    from gonnet.jobs.once import Once
    from gonnet.ledger import RunRecord
    from gonnet.pipeline.survey import Request
    from gonnet.pipeline.tools import Tools


def requested(
    tools: Tools,
    job: str,
    asked: dict[str, str],
    as_of: dt.date | None,
    only: tuple[str, ...],
    *,
    extra: bool,
    guarded: bool = True,
    once: Once | None = None,
) -> tuple[Job, Request]:
    """The job and what is asked for with its run."""
    from gonnet.jobs import load_job
    from gonnet.ledger.states import Purpose
    from gonnet.pipeline.survey import Request

    read = load_job(tools.workspace, job)
    read = once.of(read) if once is not None else read
    return read, Request(
        as_of=as_of or tools.today(),
        asked=_open.complete(read, tools, asked),
        only=only,
        guarded=guarded,
        purpose=Purpose.EXTRA if extra else Purpose.REGULAR,
        once=once.told if once is not None else "",
    )


def prepared(tools: Tools, wanted: tuple[Job, Request], *, as_json: bool, quiet: bool) -> bool:
    """Prepare a run and tell of it; whether something of it wants attention."""
    from gonnet.pipeline.attention import wants_attention
    from gonnet.pipeline.prepare import prepare

    with _show.progress("Preparing", quiet=quiet or as_json) as told:
        run = prepare(wanted[0], tools, wanted[1], told)
    attention = wants_attention(run)
    if as_json:
        _report.as_json(run, tools.ledger.packages(run.id))
    else:
        summary(tools, run, quiet=quiet)
        if not quiet:
            steps = [("gonnet review", "see every package before anything leaves")]
            if tools.ledger.extent(run.id)[1]:
                steps.append((typed("send", run.id), "hand over what is ready; asks first"))
            else:
                steps.append(("gonnet review --into FOLDER", "put the documents into a folder"))
            _show.next_steps(*steps)
    return attention


def summary(tools: Tools, run: RunRecord, *, quiet: bool) -> None:
    """The one summary after preparing."""
    from gonnet.ledger import State
    from gonnet.pipeline.sending.choosing import sent_already

    if not quiet:
        _show.line(_report.title(run), "bold")
        documents, _ = tools.ledger.extent(run.id)
        _show.line(f"         {_report.states(run)}; {_show.many(documents, 'document')} in {run.seconds:.1f} s")
        _report.account(run)
        _report.withheld(tools.ledger.packages(run.id, states=(State.HELD, State.SKIPPED, State.FAILED, State.UNSURE)))
        _report.sent_before(sent_already(run, tools))
        if run.only and str(run.purpose) == "regular":
            _show.line("· only some keys: once sent they count as sent; `--extra` makes a run beside the regular one")
    _report.findings(run.findings, attention_only=quiet)
