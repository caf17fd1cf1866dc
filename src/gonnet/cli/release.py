"""`gonnet release`."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _by_hand, _exit, _options

if TYPE_CHECKING:
    from gonnet.pipeline.reviewing.decisions import Intention
    from gonnet.pipeline.reviewing.selecting import Selection


@click.command(short_help="Release packages that are held.")
@_by_hand.run_argument
@_by_hand.which_options
@click.option("--leak", metavar="VALUE", default="", help="All that are held for this value alone.")
@_by_hand.why_option
@click.option(
    "--into", type=click.Path(path_type=Path), help="A folder for pictures of the pages, with the place marked."
)
@_by_hand.yes_option
@_options.workspace_option
@_options.json_option
def release(
    run_id: str,
    which: Selection,
    leak: str,
    why: str,
    into: Path | None,
    yes: bool,
    workspace: Path | None,
    as_json: bool,
) -> int:
    """Release packages that are held, or skipped: they leave with the next send. Look at them first with `gonnet show`.

    To whom each will leave, and what the leak check found in it, is shown, and you are asked.

    \b
    Example:  gonnet release last 00412 --why "called, the cell count is known"
              gonnet release last --leak "Total" --why "only a word here"
              gonnet release last --because "cell count" --why "all of them were called"
    """
    from gonnet.cli import _open, _show
    from gonnet.ledger import State
    from gonnet.pipeline.reviewing.by_hand import move

    if not why.strip():
        raise click.BadParameter("say why", param_hint="--why")
    wanted = _by_hand.required(replace(which, leak=leak))
    with _open.tools_at(workspace) as tools:

        def ask(intention: Intention) -> bool:
            if not as_json:
                _by_hand.show(intention)
                _by_hand.show_hits(intention, tools, into)
            many = _show.many(len(intention.packages), "package")
            all_the_same = " all the same" if intention.released_hits else ""
            return _show.confirmed(f"Release {many}{all_the_same}?", yes=yes)

        run = tools.ledger.run(run_id)
        packages = move(run, tools, wanted, State.READY, why, tools.who, ask)
        _by_hand.report(tools.ledger.run(str(run.id)), packages, as_json=as_json)
    return _exit.DONE
