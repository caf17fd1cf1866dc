"""What the commands have in common by which a person decides about packages of a run."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import click

from gonnet.cli import _completing, _exit, _options
from gonnet.errors import typed

if TYPE_CHECKING:
    from gonnet.ledger import PackageRecord, RunRecord
    from gonnet.pipeline.reviewing.decisions import Ask, Intention
    from gonnet.pipeline.reviewing.selecting import Selection

F = TypeVar("F", bound=Callable[..., Any])

_SHOWN = 20
_STATES = (*_options.STATES, "drafted", "filed", "printed")

run_argument = click.argument("run_id", metavar="RUN", shell_complete=_completing.runs)
why_option = click.option("--why", metavar="TEXT", required=True, help="The reason; it is recorded with your name.")
reason_option = click.option("--why", metavar="TEXT", default="", help="The reason; it is recorded with your name.")
yes_option = click.option("--yes", is_flag=True, help="Do not ask.")


def which_options(function: F) -> F:
    """Which packages are meant: all that is said must hold."""
    for option in reversed(
        (
            click.argument("keys", metavar="[KEY]...", nargs=-1, shell_complete=_completing.keys),
            click.option("--state", "states", multiple=True, type=click.Choice(_STATES), help="All in this state."),
            click.option("--because", metavar="TEXT", default="", help="All with this in their reason."),
            click.option(
                "--where", metavar="SQL", default="", help="All for which it holds: figures, state, recipient.column."
            ),
        )
    ):
        function = option(function)
    return function


def selection(keys: Sequence[str], states: Sequence[str], because: str, where: str, leak: str = "") -> Selection:
    """Which packages are meant.

    Raises:
        UsageError: nothing is said, which would mean all.
    """
    from gonnet.pipeline.reviewing.selecting import Selection

    found = Selection(keys=tuple(keys), states=tuple(states), because=because, where=where, leak=leak)
    if found.is_empty:
        raise click.UsageError("say which: KEY, 'F-01*', F-0101..F-0103, @FILE, --state, --because or --where")
    return found


def moved(run_id: str, which: Selection, to: str, why: str, workspace: Path | None, *, yes: bool, as_json: bool) -> int:
    """Hold or skip packages, and tell."""
    from gonnet.cli import _open
    from gonnet.ledger import State
    from gonnet.pipeline.reviewing.by_hand import move

    if not why.strip():
        raise click.BadParameter("say why", param_hint="--why")
    verb = {"held": "Hold", "skipped": "Skip"}[to]
    with _open.tools_at(workspace) as tools:
        run = tools.ledger.run(run_id)
        packages = move(run, tools, which, State(to), why, tools.who, asking(verb, yes=yes, as_json=as_json))
        report(tools.ledger.run(str(run.id)), packages, as_json=as_json)
    return _exit.DONE


def asking(verb: str, *, yes: bool, as_json: bool, is_always: bool = False) -> Ask:
    """Shows what is about to be done to whom and asks; who wrote down every key is only asked where it is always so."""

    def ask(intention: Intention) -> bool:
        from gonnet.cli import _show

        if intention.is_named and not is_always:
            return True
        if not as_json:
            show(intention)
        many = _show.many(len(intention.packages), "package")
        return _show.confirmed(f"{verb} {many} of run {intention.run.id}?", yes=yes)

    return ask


def show(intention: Intention) -> None:
    """What is about to be done to whom, and who is left out."""
    from gonnet.cli import _show

    shown = intention.changes[:_SHOWN]
    is_alike = len({change.what for change in intention.changes}) == 1
    if is_alike:
        _show.line(f"Each of these: {shown[0].what}", "bold")
    width = max(len(change.package.key) for change in shown)
    for change in shown:
        _show.line(f"  {_about(change.package, width)}{'' if is_alike else f': {change.what}'}")
    if len(intention.changes) > _SHOWN:
        _show.line(f"  … and {len(intention.changes) - _SHOWN:,} more")
    for package, error in intention.left_out[:_SHOWN]:
        _show.stated("skipped", f"{package.key}  left out: {error.what}")
    if len(intention.left_out) > _SHOWN:
        _show.line(f"  … and {len(intention.left_out) - _SHOWN:,} more are left out")


def _about(package: PackageRecord, width: int) -> str:
    to = f" → {', '.join(package.to)}" if package.to else "".join(f" → {part}" for part in package.placed[:1])
    return f"{package.key:<{width}}  {package.name[:40]}{to}"


def report(run: RunRecord, packages: Sequence[PackageRecord], *, as_json: bool) -> None:
    """The packages that were changed, as they are now."""
    from gonnet.cli import _report, _show

    if as_json:
        _report.as_json(run, packages)
        return
    if not packages:
        _show.line("Nothing was changed.")
        return
    for package in packages[:_SHOWN]:
        to = f" → {', '.join(package.to)}" if package.to else ""
        reason = f": {package.reason}" if package.reason else ""
        _show.stated(str(package.state), f"{package.key}  {package.name[:40]}{to}{reason}")
    if len(packages) > _SHOWN:
        _show.line(f"  … and {len(packages) - _SHOWN:,} more")
    _show.line(f"Run {run.id} now: {_report.states(run)}.", "bold")
    held = [package.key for package in packages if str(package.state) == "held"]
    steps = [(typed("release", run.id, held[0]) + " --why …", "let it go with the next send")] if held else []
    _show.next_steps(*steps, (typed("review", run.id), "see the whole list again"))
