"""`gonnet send`."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _completing, _exit, _options
from gonnet.errors import typed

if TYPE_CHECKING:
    from gonnet.ledger import RunRecord
    from gonnet.pipeline.tools import Tools


@click.command(short_help="Hand over what is ready, and only that.")
@click.argument("run_id", metavar="RUN", shell_complete=_completing.runs)
@_options.only_option
@click.option(
    "--trial",
    multiple=True,
    metavar="ADDRESS",
    help="Send only to this address, or to several; the real recipients get nothing.",
)
@click.option("--first", type=click.IntRange(min=1), help="With --trial: only the first so many packages.")
@_options.again_option
@_options.copy_option
@_options.workspace_option
@_options.yes_option
@_options.json_option
@_options.quiet_option
def send(
    run_id: str,
    only: tuple[str, ...],
    trial: tuple[str, ...],
    first: int | None,
    again: bool,
    from_copy: bool,
    workspace: Path | None,
    yes: bool,
    as_json: bool,
    quiet: bool,
) -> int:
    """Hand over what is ready, and only that. RUN is a number or `last`.

    After an interruption, run it again: it continues with what is not sent. What was cut off before the server answered
    is called unsure; only a person can let it be sent again (`gonnet settle`).

    \b
    Example:  gonnet send last --trial me@tarnvale.example --first 3
              gonnet send last
    """
    from gonnet.cli import _open

    if first is not None and not trial:
        raise click.UsageError("--first goes with --trial")
    with _open.tools_at(workspace) as tools:
        run = tools.ledger.run(run_id)
        if trial:
            return _tried(tools, run, trial, first, only, yes=yes, as_json=as_json)
        from gonnet.cli._sending import Terminal
        from gonnet.pipeline.send import Wish
        from gonnet.pipeline.send import send as send_run

        wish = Wish(only=only, again=again, from_copy=from_copy)
        with Terminal(tools, yes=yes, as_json=as_json, quiet=quiet, is_chosen=bool(only)) as terminal:
            return terminal.came(send_run(run, tools, wish, terminal.ask, terminal.tell))


def _tried(
    tools: Tools,
    run: RunRecord,
    texts: tuple[str, ...],
    first: int | None,
    only: tuple[str, ...],
    *,
    yes: bool,
    as_json: bool,
) -> int:
    from gonnet.cli import _report, _show
    from gonnet.pipeline.sending.trial import trial
    from gonnet.pipeline.surveying.picking import picked_of
    from gonnet.recipients.addresses import NotAnAddressError, parse

    try:
        addresses = parse("; ".join(texts))
    except NotAnAddressError as error:
        said = "; ".join(texts)
        raise click.BadParameter(
            f"'{said}' is not an address (separate several by `;`): {error}", param_hint="--trial"
        ) from error
    to = ", ".join(address.mailbox for address in addresses)
    if not _show.confirmed(f"Send a trial of run {run.id} to {to}?", yes=yes):
        _show.line("Nothing was sent.")
        return _exit.WRONG
    report = trial(run, tools, addresses, first, only)
    refused = [reply for reply in report.replies if reply.meaning.name != "ACCEPTED"]
    if as_json:
        chosen = tools.ledger.packages(run.id, picked_of(run, tools, only))
        _report.as_json(tools.ledger.run(str(run.id)), chosen)
    else:
        _show.line(f"Trial of run {run.id}: {_show.many(len(report.replies), 'message')} to {to}, nobody else.")
        for reply in refused[:5]:
            _show.line(f"  not accepted: {reply.code or ''} {reply.text}")
        if report.ended:
            _show.line(f"  It ended early: {report.ended}")
        _show.next_steps((typed("send", run.id), "the real thing; the trial does not count"))
    return _exit.ATTENTION if refused or report.ended else _exit.DONE
