"""`gonnet amend`."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _by_hand, _exit, _options

if TYPE_CHECKING:
    from gonnet.pipeline.reviewing.amending.amendment import Amendment
    from gonnet.pipeline.reviewing.selecting import Selection


@click.command(short_help="Change packages before they leave: addresses, words, one more file.")
@_by_hand.run_argument
@_by_hand.which_options
@click.option("--to", metavar="ADDRESS", help="Who gets it; separate several by `;`.")
@click.option("--keep", is_flag=True, help="Later runs use this address too, until the list has another.")
@click.option("--cc", metavar="ADDRESS", help="Who gets a copy; nobody when it is empty.")
@click.option("--bcc", metavar="ADDRESS", help="Who gets a copy unseen.")
@click.option("--contact", metavar="NAME|ROLE", help="Another contact of its key gets it, in words for them.")
@click.option("--way", multiple=True, metavar="NAME", help="Another way of the job by which it goes.")
@click.option("--message", metavar="NAME", help="Another message of the job.")
@click.option("--subject", metavar="TEXT", help="What its subject says instead; merge fields are filled.")
@click.option(
    "--message-text", "text", metavar="TEXT|@FILE", help="What the message says instead; merge fields are filled."
)
@click.option(
    "--enclose",
    multiple=True,
    type=click.Path(exists=True, dir_okay=False, path_type=Path),
    metavar="FILE",
    help="One more file that goes with it.",
)
@click.option(
    "--from",
    "sheet",
    type=click.Path(exists=True, dir_okay=False, path_type=Path),
    metavar="FILE",
    help="Carry out what was decided in a sheet that `gonnet review --sheet` wrote.",
)
@_by_hand.reason_option
@_by_hand.yes_option
@_options.workspace_option
@_options.json_option
def amend(
    run_id: str,
    which: Selection,
    to: str | None,
    keep: bool,
    cc: str | None,
    bcc: str | None,
    contact: str | None,
    way: tuple[str, ...],
    message: str | None,
    subject: str | None,
    text: str | None,
    enclose: tuple[Path, ...],
    sheet: Path | None,
    why: str,
    yes: bool,
    workspace: Path | None,
    as_json: bool,
) -> int:
    """Change packages of a run before they leave: addresses, way, subject, message, words, one more file. A held
    package stays held; release it afterwards. What you choose otherwise than by its key is shown, and you are asked.

    This is for one run. With --keep later runs of the job use the address too, and say so, until the list has another
    one; `corrections.csv` in the workspace keeps it. If you can, correct the list itself.

    For another message or way, and for merge fields, the data are read again. Where they are no longer those of the
    run, nothing is changed. For another way the whole package is made again, so --way goes alone and before the rest.

    \b
    Example:  gonnet amend last 00523 --to "Iris Lund <iris@keld.example>" --why "called her"
              gonnet amend last 00117 --contact accounts
              gonnet amend last --where "payable < 0" --message owing
              gonnet amend last 00117 --way by_post --why "no e-mail any more"
              gonnet amend last --from review.xlsx
              gonnet amend last 'F-01*' --subject "Corrected: your milk in {{ period.label }}"
    """
    from gonnet.cli import _open
    from gonnet.pipeline.reviewing.amending.amend import amend as put_right
    from gonnet.pipeline.reviewing.amending.amendment import Amendment
    from gonnet.pipeline.reviewing.amending.remaking import reroute

    text = _text_of(text) if text is not None and text.startswith("@") else text
    wanted = Amendment(
        to=to, cc=cc, bcc=bcc, contact=contact, message=message, subject=subject, text=text, enclose=enclose, keep=keep
    )
    if sheet is not None:
        is_alone = wanted == Amendment() and which.is_empty and not (why or way)
        return _from_sheet(run_id, sheet, workspace, is_alone=is_alone, yes=yes, as_json=as_json)
    _require_clear(wanted, way)
    with _open.tools_at(workspace) as tools:
        run = tools.ledger.run(run_id)
        ask, chosen = _by_hand.asking("Change", yes=yes, as_json=as_json), _by_hand.required(which)
        change = partial(reroute, ways=way) if way else partial(put_right, wanted=wanted)
        packages = change(run, tools, chosen, why=why, who=tools.who, ask=ask)
        _by_hand.report(tools.ledger.run(str(run.id)), packages, as_json=as_json)
    return _exit.DONE


def _require_clear(wanted: Amendment, way: Sequence[str]) -> None:
    """What is wanted says something, and no two things that do not go together."""
    from gonnet.pipeline.reviewing.amending.amendment import Amendment

    if way:
        if wanted != Amendment():
            raise click.UsageError("--way goes alone: it makes the package again. Change the rest afterwards")
        return
    if wanted.keep and wanted.to is None:
        raise click.UsageError("--keep goes with --to")
    if wanted.contact is not None and wanted.to is not None:
        raise click.UsageError("--contact and --to both say who gets it; keep one")
    if wanted == Amendment():
        raise click.UsageError("say what to change: an address, a contact, the way, the message, words, one more file")


def _text_of(named: str) -> str:
    try:
        return Path(named[1:]).read_text("utf-8")
    except (OSError, UnicodeError) as error:
        raise click.BadParameter(f"{named[1:]} cannot be read", param_hint="--message-text") from error


def _from_sheet(run_id: str, sheet: Path, workspace: Path | None, *, is_alone: bool, yes: bool, as_json: bool) -> int:
    """Carry out what was decided in a sheet."""
    from gonnet.cli import _open
    from gonnet.pipeline.reviewing.from_sheet import amend_from

    if not is_alone:
        raise click.UsageError("--from goes alone: the sheet says which packages, what, and why")
    with _open.tools_at(workspace) as tools:
        run = tools.ledger.run(run_id)
        ask = _by_hand.asking("Change", yes=yes, as_json=as_json, always_by=tools)
        packages = amend_from(run, tools, sheet, tools.who, ask)
        _by_hand.report(tools.ledger.run(str(run.id)), packages, as_json=as_json)
    return _exit.DONE
