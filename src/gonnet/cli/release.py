"""`gonnet release`."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _by_hand, _completing, _exit, _options

if TYPE_CHECKING:
    from gonnet.ledger import PackageRecord
    from gonnet.pipeline.tools import Tools


@click.command(short_help="Release packages that are held.")
@_by_hand.run_argument
@click.argument("keys", metavar="[KEY]...", nargs=-1, shell_complete=_completing.keys)
@click.option("--leak", metavar="VALUE", default="", help="All that are held for this value alone.")
@_by_hand.why_option
@click.option(
    "--into", type=click.Path(path_type=Path), help="A folder for pictures of the pages, with the place marked."
)
@click.option("--yes", is_flag=True, help="Do not ask, although the leak check found something.")
@_options.workspace_option
@_options.json_option
def release(
    run_id: str,
    keys: tuple[str, ...],
    leak: str,
    why: str,
    into: Path | None,
    yes: bool,
    workspace: Path | None,
    as_json: bool,
) -> int:
    """Release packages that are held, or skipped: they leave with the next send. Look at them first with `gonnet show`.

    What the leak check found in them is shown with what stands around it, and you are asked.

    \b
    Example:  gonnet release last 00412 --why "called, the cell count is known"
              gonnet release last --leak "Total" --why "only a word here"
    """
    from gonnet.cli import _open, _show
    from gonnet.pipeline.reviewing.by_hand import release

    if not why.strip():
        raise click.BadParameter("say why", param_hint="--why")
    if not keys and not leak:
        raise click.UsageError("say which: KEY, or --leak VALUE")
    with _open.tools_at(workspace) as tools:

        def ask(found: Sequence[PackageRecord]) -> bool:
            if not as_json:
                _tell(found, tools, into)
            return _show.confirmed(f"Release {_show.many(len(found), 'package')} all the same?", yes=yes)

        run = tools.ledger.run(run_id)
        packages = release(run, tools, keys, leak, why, tools.who, ask)
        if not packages:
            _show.line("Nothing was released.")
            return _exit.DONE
        now = tools.ledger.packages(run.id, [package.key for package in packages])
        _by_hand.report(tools.ledger.run(str(run.id)), now, as_json=as_json)
    return _exit.DONE


def _tell(found: Sequence[PackageRecord], tools: Tools, into: Path | None) -> None:
    """What the leak check found, with what stands around it, and pictures of the pages."""
    from gonnet.cli import _show
    from gonnet.pipeline.reviewing.hit_pictures import marked_pages

    _show.line("The leak check found:", "bold")
    for package in found:
        for hit in package.hits:
            _show.stated("held", f"{package.key}  '{hit.value}', the {hit.kind} of {hit.owner}, in {hit.place}")
            _show.line(f"            {hit.context}", "bright_black")
        for page in marked_pages(package, tools, into) if into is not None else ():
            _show.line(f"            picture: {page}")
