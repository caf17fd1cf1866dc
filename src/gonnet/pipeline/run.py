"""Preparing and sending in one story, and the two ways to send again what was sent."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from gonnet.jobs import Job, load_job
from gonnet.ledger import RunRecord
from gonnet.ledger.states import Purpose
from gonnet.pipeline.prepare import prepare
from gonnet.pipeline.reviewing.decisions import Ask as AskAgain
from gonnet.pipeline.reviewing.selecting import Selection, selected
from gonnet.pipeline.reviewing.sending_again import again
from gonnet.pipeline.send import Ask, Sent, Wish, send
from gonnet.pipeline.sending.choosing import Choice
from gonnet.pipeline.sending.handing_over import Tell
from gonnet.pipeline.survey import Request
from gonnet.pipeline.tools import Progress, Tools

Show = Callable[[RunRecord], None]
"""Shown a run once it is prepared, before anybody is asked whether it may leave."""


def run(
    job: Job, tools: Tools, request: Request, wish: Wish, progress: Progress, show: Show, ask: Ask, tell: Tell
) -> Sent:
    """Prepare a run, show it, and send what is ready of it.

    Raises:
        GonnetError: as `prepare` and `send` do.
    """
    made = prepare(job, tools, request, progress)
    show(made)
    return send(made, tools, wish, ask, tell)


def resend(
    run: RunRecord,
    tools: Tools,
    which: Selection,
    why: str,
    who: str,
    ask: AskAgain,
    tell: Tell,
    to: str | None = None,
    ways: Sequence[str] = (),
) -> Sent | None:
    """Send stored packages again, with the same bytes, or one to others this once; None where nobody agreed.

    Raises:
        RunError: one of them was not sent, or the run is being sent.
    """
    packages = again(run, tools, which, why, who, ask, to, ways)
    if not packages:
        return None
    wish = Wish(only=tuple(package.key for package in packages), again=True)
    return send(tools.ledger.run(str(run.id)), tools, wish, lambda _run, _choice: True, tell)


def resend_fresh(
    run: RunRecord,
    tools: Tools,
    which: Selection,
    why: str,
    who: str,
    progress: Progress,
    show: Show,
    ask: Ask,
    tell: Tell,
) -> Sent:
    """Make packages anew from the data of now, with the parameters and the date of their run, and send them.

    Raises:
        GonnetError: as `prepare` and `send` do.
    """
    packages = selected(run, tools, which)
    only = tuple(package.key for package in packages)
    request = Request(as_of=run.as_of, asked=dict(run.parameters), only=only, guarded=False, purpose=Purpose.EXTRA)
    made = prepare(load_job(tools.workspace, run.job), tools, request, progress)
    reason = f": {why}" if why else ""
    tools.ledger.remark(run.id, f"{', '.join(only)} prepared again as run {made.id}, by {who}{reason}")
    tools.ledger.remark(made.id, f"prepared in place of run {run.id}, by {who}{reason}")
    show(made)
    return send(made, tools, Wish(only=only, again=True), ask, tell)


__all__ = ["Ask", "AskAgain", "Choice", "Show", "resend", "resend_fresh", "run"]
