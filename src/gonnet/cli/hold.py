"""`gonnet hold`."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _by_hand, _options

if TYPE_CHECKING:
    from gonnet.pipeline.reviewing.selecting import Selection


@click.command(short_help="Hold packages of a run: they do not leave.")
@_by_hand.run_argument
@_by_hand.which_options
@_by_hand.why_option
@_by_hand.yes_option
@_options.workspace_option
@_options.json_option
def hold(
    run_id: str,
    which: Selection,
    why: str,
    yes: bool,
    workspace: Path | None,
    as_json: bool,
) -> int:
    """Hold packages that are ready: they do not leave until they are released. RUN is a number or `last`.

    What you choose otherwise than by its key is shown, and you are asked.

    \b
    Example:  gonnet hold last 00042 --why "the price is being looked at"
              gonnet hold last --where "payable > 20000" --why "looked at by two"
    """
    return _by_hand.moved(run_id, which, "held", why, workspace, yes=yes, as_json=as_json)
