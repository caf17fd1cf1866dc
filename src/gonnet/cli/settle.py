"""`gonnet settle`."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _by_hand, _exit, _options

if TYPE_CHECKING:
    from gonnet.pipeline.reviewing.selecting import Selection


@click.command(short_help="Say what became of a doubt, a refusal or a draft.")
@_by_hand.run_argument
@_by_hand.which_options
@click.option("--sent", "outcome", flag_value="sent", help="It arrived.")
@click.option("--not-sent", "outcome", flag_value="not sent", help="It did not; the next send tries it again.")
@click.option("--closed", "outcome", flag_value="closed", help="Nothing more is tried; say --why.")
@_by_hand.reason_option
@_by_hand.yes_option
@_options.workspace_option
@_options.json_option
def settle(
    run_id: str,
    which: Selection,
    outcome: str | None,
    why: str,
    yes: bool,
    workspace: Path | None,
    as_json: bool,
) -> int:
    """Say what became of packages that nobody knows about, or that a server refused for good.

    Unsure: the connection was lost before the server answered. Ask the recipient, or search the log of the mail server
    for the Message-ID that `gonnet show` prints; for a print, look in the tray. Refused: --not-sent tries it again as
    it was reviewed, `gonnet amend --to` sends it to another address, --closed leaves it at that. A draft: say --sent
    after you sent it from your mail program.

    \b
    Example:  gonnet settle last 00042 --sent --why "she has it"
              gonnet settle last --state drafted --sent
    """
    from gonnet.cli import _open
    from gonnet.pipeline.reviewing.by_hand import Verdict
    from gonnet.pipeline.reviewing.by_hand import settle as settled

    if outcome is None:
        raise click.UsageError("say --sent, --not-sent or --closed")
    if outcome == "closed" and not why.strip():
        raise click.BadParameter("say why it is closed", param_hint="--why")
    with _open.tools_at(workspace) as tools:
        run = tools.ledger.run(run_id)
        ask = _by_hand.asking("Settle", yes=yes, as_json=as_json)
        packages = settled(run, tools, _by_hand.required(which), Verdict(outcome), why, tools.who, ask)
        _by_hand.report(tools.ledger.run(str(run.id)), packages, as_json=as_json)
    return _exit.DONE
