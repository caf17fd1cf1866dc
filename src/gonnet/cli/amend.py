"""`gonnet amend`."""

from __future__ import annotations

from pathlib import Path

import click

from gonnet.cli import _by_hand, _completing, _exit, _options


@click.command(short_help="Change a package before it leaves: addresses, words, one more file.")
@_by_hand.run_argument
@click.argument("key", shell_complete=_completing.keys)
@click.option("--to", metavar="ADDRESS", help="Who gets it; separate several by `;`.")
@click.option("--keep", is_flag=True, help="Later runs use this address too, until the list has another.")
@click.option("--cc", metavar="ADDRESS", help="Who gets a copy; nobody when it is empty.")
@click.option("--bcc", metavar="ADDRESS", help="Who gets a copy unseen.")
@click.option("--message-text", "text", metavar="TEXT|@FILE", help="What the message says instead of its text.")
@click.option(
    "--enclose",
    multiple=True,
    type=click.Path(exists=True, dir_okay=False, path_type=Path),
    metavar="FILE",
    help="One more file that goes with it.",
)
@_by_hand.reason_option
@_options.workspace_option
@_options.json_option
def amend(
    run_id: str,
    key: str,
    to: str | None,
    keep: bool,
    cc: str | None,
    bcc: str | None,
    text: str | None,
    enclose: tuple[Path, ...],
    why: str,
    workspace: Path | None,
    as_json: bool,
) -> int:
    """Change a package of a run before it leaves: addresses, words, one more file. A held package stays held; release
    it afterwards.

    This is for one run. With --keep later runs of the job use the address too, and say so, until the list has another
    one; `corrections.csv` in the workspace keeps it. If you can, correct the list itself.

    \b
    Example:  gonnet amend last 00523 --to "Iris Lund <iris@keld.example>" --why "called her"
              gonnet release last 00523 --why "has an address now"
    """
    from gonnet.cli import _open
    from gonnet.pipeline.reviewing.amend import Amendment
    from gonnet.pipeline.reviewing.amend import amend as put_right

    if text is not None and text.startswith("@"):
        try:
            text = Path(text[1:]).read_text("utf-8")
        except (OSError, UnicodeError) as error:
            raise click.BadParameter(f"{text[1:]} cannot be read", param_hint="--message-text") from error
    wanted = Amendment(to=to, cc=cc, bcc=bcc, text=text, enclose=enclose, keep=keep)
    if keep and to is None:
        raise click.UsageError("--keep goes with --to")
    if wanted == Amendment():
        raise click.UsageError("say what to change: --to, --cc, --bcc, --message-text or --enclose")
    with _open.tools_at(workspace) as tools:
        run = tools.ledger.run(run_id)
        package = put_right(run, tools, key, wanted, why, tools.who)
        _by_hand.report(tools.ledger.run(str(run.id)), [package], as_json=as_json)
    return _exit.DONE
