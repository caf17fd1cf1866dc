"""`gonnet approve`."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _exit, _options
from gonnet.errors import typed

if TYPE_CHECKING:
    from gonnet.pipeline.sending.approving import Hand, Offered


@click.command(short_help="Say yes to a run that others prepared.")
@_options.run_argument
@click.option("--why", default="", metavar="TEXT", help="What you looked at, for the record.")
@click.option(
    "--key",
    type=click.Path(dir_okay=False, path_type=Path),
    help="Sign with this private key (Ed25519, PEM), and be whose key it is.",
)
@_options.workspace_option
@_options.yes_option
def approve(run_id: str, why: str, key: Path | None, workspace: Path | None, yes: bool) -> int:
    """Say yes to exactly the packages of a run, as they are now, under your own name as a user of the system.

    Any change by hand after that ends it. `approval:` in gonnet.yaml, or in the job, says who may, who signs with a
    key, and from when on.

    \b
    Example:  gonnet approve last --why "totals agree with the pool"
              gonnet approve last --key ~/keys/me.pem
    """
    from gonnet.cli import _open, _report, _show
    from gonnet.pipeline.sending.approving import approve as say_yes

    def ask(offered: Offered) -> bool:
        run = offered.run
        _show.line(f"{_report.title(run)} — {_report.states(run)}", "bold")
        _report.account(run)
        _show.line(f"Messages {offered.messages:,}")
        _show.line(f"Digest   {offered.digest}", "bright_black")
        prepared = f"; {run.prepared_by} prepared it" if run.prepared_by else ""
        _show.line(f"Approval {offered.lacking}{prepared}")
        return _show.confirmed(f"Approve run {run.id} as it is?", yes=yes)

    with _open.tools_at(workspace) as tools:
        run = tools.ledger.run(run_id)
        before = len(tools.ledger.approvals.of(run.id))
        lacking = say_yes(run, tools, why, ask, _hand(key) if key is not None else None)
        given = tools.ledger.approvals.of(run.id)
        if len(given) == before:
            _show.line("Nothing was approved.")
            return _exit.WRONG
        who = given[-1].who
        if lacking is not None:
            _show.line(f"Approved by {who}; {lacking}.", "bold")
        else:
            _show.line(f"Approved by {who}. Run {run.id} can be sent.", "bold")
            _show.next_steps((typed("send", run.id), "hand over what is ready; asks first"))
    return _exit.DONE


def _hand(place: Path) -> Hand:
    """What signs with a key; its password is asked for where it has one."""
    import base64

    from gonnet.pipeline.sending.approving import Hand
    from gonnet.signing import private_key, public_part

    key = private_key(place.expanduser(), lambda: str(click.prompt("Password of the key", hide_input=True)), "--key")
    return Hand(public_part(key), lambda data: base64.b64encode(key.sign(data)).decode())
