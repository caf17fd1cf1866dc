"""`gonnet keys`."""

from __future__ import annotations

import datetime as dt
import json
from collections import Counter
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import click

from gonnet.cli import _completing, _exit, _options
from gonnet.errors import typed

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from gonnet.packages import PackagePlan
    from gonnet.pipeline.survey import Survey
    from gonnet.rules import Outcome

_FIGURES = 3  # that a line of a terminal has room for
_ORDER = {"held": 0, "ready": 1, "skipped": 2}


@click.command(short_help="See every key: rows, figures, who gets it, what would become of it.")
@click.argument("job", shell_complete=_completing.jobs)
@click.option("--state", type=click.Choice(["ready", "held", "skipped"]), help="Only keys that would be in this state.")
@click.option("--find", metavar="TEXT", help="Only keys with this in their key, name, address or reason.")
@_options.only_option
@_options.list_options
@_options.asked_options
@_options.workspace_option
@_options.json_option
def keys(
    job: str,
    state: str | None,
    find: str | None,
    only: tuple[str, ...],
    number: int,
    lines: int,
    asked: dict[str, str],
    as_of: dt.date | None,
    workspace: Path | None,
    as_json: bool,
) -> int:
    """See every key of a job with its rows, its figures, who gets it and what would become of it; nothing is made.

    What did not find its other half comes first, then the totals, then the keys by pages, what would be held first.

    \b
    Example:  gonnet keys statements
              gonnet keys statements --state held --find laka
    """
    from gonnet.cli import _open

    with _open.tools_at(workspace) as tools:
        from gonnet.jobs import load_job
        from gonnet.pipeline.survey import Request, survey

        read = load_job(tools.workspace, job)
        request = Request(as_of=as_of or tools.today(), asked=_open.complete(read, tools, asked), only=only)
        found = survey(read, tools, request)
        found.engine.close()

    def is_wanted(plan: PackagePlan) -> bool:
        return state in (None, str(plan.state)) and _has(plan, find or "")

    if as_json:
        plain = [_plain(plan) for plan in found.plans if is_wanted(plan)]
        click.echo(json.dumps(plain, ensure_ascii=False, indent=2, default=str))
    else:
        _tell(found, is_wanted, (number, lines), job)
    held = any(str(state) == "held" for state in found.plans.states)
    attention = held or any(str(finding.weight) == "attention" for finding in found.findings)
    return _exit.ATTENTION if attention else _exit.DONE


def _has(plan: PackagePlan, find: str) -> bool:
    """Whether a text stands in what a line says of a key."""
    said = (plan.key, plan.addressed.name, *_to(plan), plan.decision.reason)
    return not find or find.casefold() in "\n".join(said).casefold()


def _to(plan: PackagePlan) -> list[str]:
    return [address.mailbox for person in plan.addressed.contacts for address in person.to]


def _plain(plan: PackagePlan) -> dict[str, Any]:
    effects = plan.decision.effects
    return {
        "key": plan.key,
        "name": plan.addressed.name,
        "rows": plan.addressed.rows,
        "keys": list(plan.addressed.slices),
        "figures": dict(plan.evaluated.figures),
        "to": _to(plan),
        "language": plan.locale,
        "state": str(plan.decision.outcome),
        "reason": plan.decision.reason,
        "message": effects.message,
        "documents": [document.file_name for document in plan.documents],
    }


def _tell(found: Survey, is_wanted: Callable[[PackagePlan], bool], page: tuple[int, int], job: str) -> None:
    from gonnet.cli import _listing, _show
    from gonnet.pipeline.reviewing.listing import page_of

    wanted = _Wanted()
    lines = [wanted.add(at, plan, found) for at, plan in enumerate(found.plans) if is_wanted(plan)]
    part = page_of(sorted(lines, key=lambda line: _ORDER[str(line.state)]), *page)
    for finding in found.findings:
        mark = {"attention": "!", "note": "·"}[str(finding.weight)]
        _show.console().print(_show.state(str(finding.weight), f"{mark} {finding.text}"), soft_wrap=True)
    _show.line(str(wanted), "bold")
    places = {line.at for line in part.shown}
    plans = {at: plan for at, plan in enumerate(found.plans) if at in places}
    shown = [plans[line.at] for line in part.shown]
    if shown:
        _table(shown)
    _listing.rest(part)
    if shown:
        _show.next_steps((typed("explain", job, shown[0].key), "why one of them gets what it gets"))


def _table(plans: Sequence[PackagePlan]) -> None:
    from gonnet.cli import _show

    names = [name for name in plans[0].evaluated.figures if name != "rows"][:_FIGURES]
    sides = [(name, "right") for name in ("Rows", *names)]
    table = _show.table(("Key", "key"), ("Name", 28), *sides, ("To", 38), "State", ("Why", "wrap"))
    for plan in plans:
        figures = (_amount(plan.evaluated.figures[name]) for name in names)
        cells = (plan.key, plan.addressed.name, f"{plan.addressed.rows:,}", *figures, ", ".join(_to(plan)))
        _show.rows(table, [(*cells, _show.state(str(plan.state)), plan.decision.reason)])
    _show.show(table, least=(*reversed(names), "To", "Rows", "Name"))


class _Line(NamedTuple):
    """A plan by its place: there may be many, of which few are shown."""

    at: int
    state: Outcome


class _Wanted:
    """How many keys and rows there are, and what would become of them."""

    def __init__(self) -> None:
        self._states: Counter[str] = Counter()
        self._seen: dict[str, int] = {}
        self._rows = self._bundles = 0

    def add(self, at: int, plan: PackagePlan, found: Survey) -> _Line:
        """One more."""
        self._states[str(plan.state)] += 1
        self._bundles += plan.is_bundle
        rows = {key: found.counts.get(key, 0) for key in plan.addressed.slices}
        if found.plans.bundles:
            self._seen |= rows  # a key may be in several
        else:
            self._rows += sum(rows.values())
        return _Line(at, plan.state)

    def __str__(self) -> str:
        from gonnet.cli import _show

        states = sorted(self._states.items(), key=lambda part: _ORDER[part[0]])
        said = ", ".join(f"{count:,} {state}" for state, count in states) or "nothing"
        own = self._states.total() - self._bundles
        many = [_show.many(own, "key")] if own or not self._bundles else []
        many += [_show.many(self._bundles, "bundle")] if self._bundles else []
        return f"{' and '.join(many)}, {_show.many(self._rows + sum(self._seen.values()), 'row')}: {said}"


def _amount(value: object) -> str:
    from gonnet.cli import _show

    return "" if value is None else _show.amount(value)
