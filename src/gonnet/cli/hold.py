"""`gonnet hold`."""

from __future__ import annotations

from pathlib import Path

import click

from gonnet.cli import _by_hand, _options


@click.command(short_help="Hold packages of a run: they do not leave.")
@_by_hand.run_argument
@_by_hand.keys_argument
@_by_hand.why_option
@_options.workspace_option
@_options.json_option
def hold(run_id: str, keys: tuple[str, ...], why: str, workspace: Path | None, as_json: bool) -> int:
    """Hold packages that are ready: they do not leave until they are released. RUN is a number or `last`.

    \b
    Example:  gonnet hold last 00042 --why "the price is being looked at"
    """
    return _by_hand.moved(run_id, keys, "held", why, workspace, as_json=as_json)
