"""`gonnet resend`."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _by_hand, _options

if TYPE_CHECKING:
    from gonnet.pipeline.reviewing.selecting import Selection


@click.command(short_help="Send packages again.")
@_by_hand.run_argument
@_by_hand.which_options
@_by_hand.reason_option
@click.option("--to", metavar="ADDRESS", help="One package to this address instead, this once.")
@click.option("--way", multiple=True, metavar="NAME", help="Only by this way, of those by which it left.")
@click.option("--fresh", is_flag=True, help="Make them again from the data of now, as a run of their own.")
@_options.workspace_option
@_options.yes_option
@_options.json_option
@_options.quiet_option
def resend(
    run_id: str,
    which: Selection,
    why: str,
    to: str | None,
    way: tuple[str, ...],
    fresh: bool,
    workspace: Path | None,
    yes: bool,
    as_json: bool,
    quiet: bool,
) -> int:
    """Send packages again, to the same addresses: the same documents and the same words.

    What was mailed is mailed again; what was only printed, filed or drafted is so again. With --way you choose.

    With --to one package goes to another address this once; the list stays as it is. With --fresh they are prepared
    again, with the parameters and the date of that run and the data of now. This makes a run of its own with only
    these keys, and asks before it leaves.

    \b
    Example:  gonnet resend 3 00042 --why "lost it"
              gonnet resend 3 00042 --to "Iris Lund <iris@keld.example>"
              gonnet resend 3 00042 --way by_post
              gonnet resend 3 00042 --fresh --why "a collection was missing"
    """
    from gonnet.cli import _open

    _by_hand.required(which)
    if way and (fresh or to is not None):
        raise click.UsageError("--way goes with neither --to nor --fresh")
    if to is not None and fresh:
        raise click.UsageError("--to and --fresh do not go together: prepare it again, and `gonnet amend` its address")
    with _open.tools_at(workspace) as tools:
        from gonnet.cli._sending import Terminal
        from gonnet.pipeline.run import resend as send_again
        from gonnet.pipeline.run import resend_fresh

        run, who = tools.ledger.run(run_id), tools.who
        with Terminal(tools, yes=yes, as_json=as_json, quiet=quiet, is_chosen=True) as it:
            if fresh:
                sent = resend_fresh(run, tools, which, why, who, it.preparing, it.show, it.ask, it.tell)
                return it.came(sent)
            return it.came(send_again(run, tools, which, why, who, it.ask_to(to), it.tell, to, way))
