"""`gonnet release`."""

from __future__ import annotations

from pathlib import Path

import click

from gonnet.cli import _by_hand, _options


@click.command(short_help="Release packages that are held.")
@_by_hand.run_argument
@_by_hand.keys_argument
@_by_hand.why_option
@_options.workspace_option
@_options.json_option
def release(run_id: str, keys: tuple[str, ...], why: str, workspace: Path | None, as_json: bool) -> int:
    """Release packages that are held, or skipped: they leave with the next send. Look at them first with `gonnet show`.

    \b
    Example:  gonnet release last 00412 --why "called, the cell count is known"
    """
    return _by_hand.moved(run_id, keys, "ready", why, workspace, as_json=as_json)
