"""What the commands have in common by which a person decides about packages of a run."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _completing, _exit
from gonnet.errors import typed

if TYPE_CHECKING:
    from gonnet.ledger import PackageRecord, RunRecord

run_argument = click.argument("run_id", metavar="RUN", shell_complete=_completing.runs)
keys_argument = click.argument("keys", metavar="KEY...", nargs=-1, required=True, shell_complete=_completing.keys)
why_option = click.option("--why", metavar="TEXT", required=True, help="The reason; it is recorded with your name.")
reason_option = click.option("--why", metavar="TEXT", default="", help="The reason; it is recorded with your name.")


def moved(run_id: str, keys: Sequence[str], to: str, why: str, workspace: Path | None, *, as_json: bool) -> int:
    """Hold, release or skip packages, and tell."""
    from gonnet.cli import _open
    from gonnet.ledger import State
    from gonnet.pipeline.reviewing.by_hand import move

    if not why.strip():
        raise click.BadParameter("say why", param_hint="--why")
    with _open.tools_at(workspace) as tools:
        run = tools.ledger.run(run_id)
        packages = move(run, tools, keys, State(to), why, tools.who)
        report(tools.ledger.run(str(run.id)), tools.ledger.packages(run.id, [p.key for p in packages]), as_json=as_json)
    return _exit.DONE


def report(run: RunRecord, packages: Sequence[PackageRecord], *, as_json: bool) -> None:
    """The packages that were changed, as they are now."""
    from gonnet.cli import _report, _show

    if as_json:
        _report.as_json(run, packages)
        return
    for package in packages:
        to = f" → {', '.join(package.to)}" if package.to else ""
        reason = f": {package.reason}" if package.reason else ""
        _show.stated(str(package.state), f"{package.key}  {package.name[:40]}{to}{reason}")
    _show.line(f"Run {run.id} now: {_report.states(run)}.", "bold")
    held = [package.key for package in packages if str(package.state) == "held"]
    steps = [(typed("release", run.id, held[0]) + " --why …", "let it go with the next send")] if held else []
    _show.next_steps(*steps, (typed("review", run.id), "see the whole list again"))
