"""`gonnet resend`."""

from __future__ import annotations

from pathlib import Path

import click

from gonnet.cli import _decide, _exit, _options


@click.command(short_help="Send packages again that were sent.")
@_decide.run_argument
@_decide.keys_argument
@_decide.reason_option
@_options.workspace_option
@_options.yes_option
@_options.json_option
@_options.quiet_option
def resend(
    run_id: str, keys: tuple[str, ...], why: str, workspace: Path | None, yes: bool, as_json: bool, quiet: bool
) -> int:
    """Send packages again that were sent, to the same addresses: the same documents and the same words.

    With new figures instead: `gonnet run JOB --only KEY --again`.

    \b
    Example:  gonnet resend 3 00042 --why "lost it"
    """
    from gonnet.cli import _open, _show, _work
    from gonnet.pipeline.decide import again, chosen

    with _open.tools_at(workspace) as tools:
        run = tools.ledger.run(run_id)
        packages = chosen(run, tools, keys)
        to = ", ".join(address for package in packages for address in package.to)
        if not _show.confirmed(f"Send {_show.many(len(packages), 'package')} of run {run.id} again, to {to}?", yes=yes):
            _show.line("Nothing was sent.")
            return _exit.WRONG
        again(run, tools, keys, why, _decide.who())
        return _work.sent(tools, run, tuple(keys), again=True, yes=True, as_json=as_json, quiet=quiet)
