"""`gonnet skip`."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _by_hand, _options

if TYPE_CHECKING:
    from gonnet.pipeline.reviewing.selecting import Selection


@click.command(short_help="Leave packages out of a run.")
@_by_hand.run_argument
@_by_hand.which_options
@_by_hand.why_option
@_by_hand.yes_option
@_options.workspace_option
@_options.json_option
def skip(
    run_id: str,
    which: Selection,
    why: str,
    yes: bool,
    workspace: Path | None,
    as_json: bool,
) -> int:
    """Leave packages out that are ready or held: nothing of them is sent in this run.

    \b
    Example:  gonnet skip last 07777 --why "left the cooperative"
              gonnet skip last @left.txt --why "left the cooperative"
    """
    return _by_hand.moved(run_id, which, "skipped", why, workspace, yes=yes, as_json=as_json)
