"""What the commands have in common by which a person decides about packages of a run."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import wraps
from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _completing, _exit, _options
from gonnet.errors import typed

if TYPE_CHECKING:
    from gonnet.ledger import PackageRecord, RunRecord
    from gonnet.pipeline.reviewing.decisions import Ask, Intention
    from gonnet.pipeline.reviewing.selecting import Selection
    from gonnet.pipeline.tools import Tools

_SHOWN = 20
_STATES = (*_options.STATES, "drafted", "filed", "printed")

run_argument = click.argument("run_id", metavar="RUN", shell_complete=_completing.runs)
why_option = click.option("--why", metavar="TEXT", required=True, help="The reason; it is recorded with your name.")
reason_option = click.option("--why", metavar="TEXT", default="", help="The reason; it is recorded with your name.")
yes_option = click.option("--yes", is_flag=True, help="Do not ask.")


def which_options(function: Callable[..., int]) -> Callable[..., int]:
    """Which packages are meant, as one `which`: all that is said must hold."""

    @wraps(function)
    def collected(keys: tuple[str, ...], states: tuple[str, ...], because: str, where: str, **others: object) -> int:
        from gonnet.pipeline.reviewing.selecting import Selection

        return function(which=Selection(keys=keys, states=states, because=because, where=where), **others)

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
        collected = option(collected)
    return collected


def required(which: Selection) -> Selection:
    """Which packages are meant.

    Raises:
        UsageError: nothing is said, which would mean all.
    """
    if which.is_empty:
        raise click.UsageError("say which: KEY, 'F-01*', F-0101..F-0103, @FILE, --state, --because or --where")
    return which


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
        packages = move(run, tools, required(which), State(to), why, tools.who, asking(verb, yes=yes, as_json=as_json))
        report(tools.ledger.run(str(run.id)), packages, as_json=as_json)
    return _exit.DONE


def asking(verb: str, *, yes: bool, as_json: bool, always_by: Tools | None = None) -> Ask:
    """Shows what is about to be done to whom, and asks.

    Who wrote down every key is only asked where it is always so; then what the leak check found is shown too.
    """

    def ask(intention: Intention) -> bool:
        from gonnet.cli import _show

        if intention.is_named and always_by is None:
            return True
        if not as_json:
            show(intention)
            if always_by is not None:
                show_hits(intention, always_by)
        many = _show.many(len(intention.packages), "package")
        return _show.confirmed(f"{verb} {many} of run {intention.run.id}?", yes=yes)

    return ask


def show(intention: Intention) -> None:
    """What is about to be done to whom, and who is left out."""
    from gonnet.cli import _show

    said: dict[str, list[str]] = {}
    for change in intention.changes:
        said.setdefault(change.package.key, []).append(change.what)
    words = {key: "; ".join(what) for key, what in said.items()}
    is_alike = len(set(words.values())) == 1
    if is_alike:
        _show.line(f"Each of these: {next(iter(words.values()))}", "bold")
    shown = intention.packages[:_SHOWN]
    width = max(len(package.key) for package in shown)
    for package in shown:
        _show.line(f"  {_about(package, width)}{'' if is_alike else f': {words[package.key]}'}")
    if len(words) > _SHOWN:
        _show.line(f"  … and {len(words) - _SHOWN:,} more")
    for package, error in intention.left_out[:_SHOWN]:
        _show.stated("skipped", f"{package.key}  left out: {error.what}")
    if len(intention.left_out) > _SHOWN:
        _show.line(f"  … and {len(intention.left_out) - _SHOWN:,} more are left out")


def show_hits(intention: Intention, tools: Tools, into: Path | None = None) -> None:
    """What the leak check found in what is released, with what stands around it, and pictures of the pages."""
    from gonnet.cli import _show
    from gonnet.pipeline.reviewing.hit_pictures import marked_pages

    found = intention.released_hits
    if found:
        _show.line("The leak check found:", "bold")
    for package in found:
        for hit in package.hits:
            _show.stated("held", f"{package.key}  '{hit.value}', the {hit.kind} of {hit.owner}, in {hit.place}")
            _show.line(f"            {hit.context}", "bright_black")
        for page in marked_pages(package, tools, into) if into is not None else ():
            _show.line(f"            picture: {page}")


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
