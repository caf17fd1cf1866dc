"""Preparing as the commands `prepare` and `run` share it."""

from __future__ import annotations

import datetime as dt
from typing import TYPE_CHECKING

from gonnet.cli import _open, _report, _show
from gonnet.errors import typed

if TYPE_CHECKING:
    from gonnet.ledger import RunRecord
    from gonnet.pipeline.tools import Tools


def prepare_run(
    tools: Tools,
    job: str,
    asked: dict[str, str],
    as_of: dt.date | None,
    only: tuple[str, ...],
    *,
    quiet: bool,
    guarded: bool = True,
) -> RunRecord:
    """Prepare a run with a progress bar."""
    from gonnet.jobs import load_job
    from gonnet.pipeline.prepare import prepare
    from gonnet.pipeline.survey import Request

    read = load_job(tools.workspace, job)
    day = as_of or tools.today()
    request = Request(as_of=day, asked=_open.complete(read, asked), only=only, guarded=guarded)
    with _show.progress("Preparing", quiet=quiet) as told:
        return prepare(read, tools, request, told)


def prepared(
    tools: Tools,
    job: str,
    asked: dict[str, str],
    as_of: dt.date | None,
    only: tuple[str, ...],
    *,
    as_json: bool,
    quiet: bool,
    guarded: bool,
) -> bool:
    """Prepare a run and tell of it; whether something of it wants attention."""
    from gonnet.pipeline.attention import wants_attention

    run = prepare_run(tools, job, asked, as_of, only, quiet=quiet or as_json, guarded=guarded)
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

    if not quiet:
        _show.line(_report.title(run), "bold")
        documents, _ = tools.ledger.extent(run.id)
        _show.line(f"         {_report.states(run)}; {_show.many(documents, 'document')} in {run.seconds:.1f} s")
        _report.account(run)
        _report.withheld(tools.ledger.packages(run.id, states=(State.HELD, State.SKIPPED, State.FAILED, State.UNSURE)))
    _report.findings(run.findings, attention_only=quiet)
