"""`gonnet resend`."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _decide, _exit, _options

if TYPE_CHECKING:
    from gonnet.ledger import PackageRecord, RunRecord
    from gonnet.pipeline.tools import Tools


@click.command(short_help="Send packages again that were sent.")
@_decide.run_argument
@_decide.keys_argument
@_decide.reason_option
@click.option("--fresh", is_flag=True, help="Make them anew from the data of now, as a run of their own.")
@_options.workspace_option
@_options.yes_option
@_options.json_option
@_options.quiet_option
def resend(
    run_id: str,
    keys: tuple[str, ...],
    why: str,
    fresh: bool,
    workspace: Path | None,
    yes: bool,
    as_json: bool,
    quiet: bool,
) -> int:
    """Send packages again that were sent, to the same addresses: the same documents and the same words.

    With --fresh they are made anew instead, with the parameters and the date of that run and the data of now: a run
    of its own, with only these keys, for which you are asked before it leaves.

    \b
    Example:  gonnet resend 3 00042 --why "lost it"
              gonnet resend 3 00042 --fresh --why "a collection was missing"
    """
    from gonnet.cli import _open, _show, _work
    from gonnet.pipeline.reviewing.by_hand import again, chosen

    with _open.tools_at(workspace) as tools:
        run = tools.ledger.run(run_id)
        packages = chosen(run, tools, keys)
        if fresh:
            return _afresh(tools, run, packages, why, yes=yes, as_json=as_json, quiet=quiet)
        places = (place for package in packages for place in package.to or [part.root for part in package.filings])
        to = ", ".join(dict.fromkeys(places))
        if not _show.confirmed(f"Send {_show.many(len(packages), 'package')} of run {run.id} again, to {to}?", yes=yes):
            _show.line("Nothing was sent.")
            return _exit.WRONG
        again(run, tools, keys, why, _decide.who())
        run = tools.ledger.run(str(run.id))
        return _work.sent(tools, run, tuple(keys), again=True, yes=True, as_json=as_json, quiet=quiet)


def _afresh(
    tools: Tools, run: RunRecord, packages: Sequence[PackageRecord], why: str, *, yes: bool, as_json: bool, quiet: bool
) -> int:
    from gonnet.cli import _work

    keys = tuple(package.key for package in packages)
    made = _work.prepare_run(
        tools, run.job, dict(run.parameters), run.as_of, keys, quiet=quiet or as_json, guarded=False
    )
    reason = f": {why}" if why else ""
    tools.ledger.remark(run.id, f"{', '.join(keys)} made anew as run {made.id}, by {_decide.who()}{reason}")
    tools.ledger.remark(made.id, f"made anew in place of run {run.id}, by {_decide.who()}{reason}")
    if not as_json:
        _work.summary(tools, made, quiet=quiet)
    return _work.sent(tools, made, keys, again=True, yes=yes, as_json=as_json, quiet=quiet)
