"""`gonnet hold`."""

from __future__ import annotations

from pathlib import Path

import click

from gonnet.cli import _decide, _options


@click.command(short_help="Hold packages of a run: they do not leave.")
@_decide.run_argument
@_decide.keys_argument
@_decide.why_option
@_options.workspace_option
@_options.json_option
def hold(run_id: str, keys: tuple[str, ...], why: str, workspace: Path | None, as_json: bool) -> int:
    """Hold packages that are ready: they do not leave until they are released. RUN is a number or `last`.

    \b
    Example:  gonnet hold last 00042 --why "the price is being looked at"
    """
    return _decide.moved(run_id, keys, "held", why, workspace, as_json=as_json)
