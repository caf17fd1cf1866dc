"""`gonnet keys`."""

from __future__ import annotations

import datetime as dt
import json
from array import array
from bisect import bisect_right
from collections.abc import Sequence
from contextlib import closing
from itertools import accumulate, islice
from pathlib import Path
from textwrap import indent
from typing import TYPE_CHECKING, Any, NamedTuple, overload

import click

from gonnet.cli import _completing, _exit, _options
from gonnet.errors import typed
from gonnet.remembering import SeenTexts

if TYPE_CHECKING:
    from collections.abc import Iterable

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
        wanted = _Wanted(state, find or "")
        found = survey(read, tools, request, see=wanted.see)
        with closing(found.engine):  # the plans of a large run are made again from it
            if as_json:
                _as_json(plan for plan in found.plans if wanted.has(plan))
            else:
                _tell(found, wanted, (number, lines), job)
    held = any(str(state) == "held" for state in found.plans.states)
    attention = held or any(str(finding.weight) == "attention" for finding in found.findings)
    return _exit.ATTENTION if attention else _exit.DONE


def _to(plan: PackagePlan) -> list[str]:
    return [address.mailbox for person in plan.addressed.contacts for address in person.to]


def _as_json(plans: Iterable[PackagePlan]) -> None:
    """Write a list, one plan at a time: there may be very many."""
    between = "["
    for plan in plans:
        one = json.dumps(_plain(plan), ensure_ascii=False, indent=2, default=str)
        click.echo(f"{between}\n{indent(one, '  ')}", nl=False)
        between = ","
    click.echo("[]" if between == "[" else "\n]")


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


def _tell(found: Survey, wanted: _Wanted, page: tuple[int, int], job: str) -> None:
    from gonnet.cli import _listing, _show
    from gonnet.pipeline.reviewing.listing import page_of

    part = page_of(wanted.lines(), *page)
    for finding in found.findings:
        mark = {"attention": "!", "note": "·"}[str(finding.weight)]
        _show.console().print(_show.state(str(finding.weight), f"{mark} {finding.text}"), soft_wrap=True)
    _show.line(wanted.totals(found), "bold")
    shown = _plans(found, [line.at for line in part.shown])
    if shown:
        _table(shown)
    _listing.rest(part)
    if shown:
        _show.next_steps((typed("explain", job, shown[0].key), "why one of them gets what it gets"))


def _plans(found: Survey, places: Sequence[int]) -> list[PackagePlan]:
    """The plans at some places; those after the last are not made again."""
    wanted, last = frozenset(places), max(places, default=-1)
    plans = {at: plan for at, plan in enumerate(islice(found.plans, last + 1)) if at in wanted}
    return [plans[at] for at in places]


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
    """A plan by its place."""

    at: int
    state: Outcome


class _Lines(Sequence[_Line]):
    """Plans by their places, state by state; each is made when it is looked at."""

    def __init__(self, states: Sequence[tuple[Outcome, array[int]]]) -> None:
        self._states = states
        self._ends = list(accumulate(len(places) for _, places in states))

    def __len__(self) -> int:
        return self._ends[-1] if self._ends else 0

    @overload
    def __getitem__(self, at: int) -> _Line: ...

    @overload
    def __getitem__(self, at: slice) -> list[_Line]: ...

    def __getitem__(self, at: int | slice) -> _Line | list[_Line]:
        if isinstance(at, slice):
            return [self[one] for one in range(*at.indices(len(self)))]
        if at >= len(self):
            raise IndexError(at)
        part = bisect_right(self._ends, at)
        state, places = self._states[part]
        return _Line(places[at - self._ends[part]], state)  # from the end, which is the same


class _Wanted:
    """The keys that are asked for: how many there are, with how many rows, and what would become of them.

    Args:
        state: In what state; None for any.
        find: What stands in what a line says of each.
    """

    def __init__(self, state: str | None, find: str) -> None:
        self._state, self._find = state, find.casefold()
        self._states: dict[Outcome, array[int]] = {}
        self._in_bundles: set[str] = set()
        self._own = SeenTexts()
        self._rows = self._bundles = self._at = 0

    def has(self, plan: PackagePlan) -> bool:
        """Whether a plan is asked for."""
        said = (plan.key, plan.addressed.name, *_to(plan), plan.decision.reason)
        is_found = not self._find or self._find in "\n".join(said).casefold()
        return is_found and self._state in (None, str(plan.state))

    def see(self, plan: PackagePlan) -> None:
        """One more, of which the place alone is kept: there may be very many, and few are shown."""
        if self.has(plan):
            self._states.setdefault(plan.state, array("q")).append(self._at)
            self._bundles += plan.is_bundle
            if plan.is_bundle:
                self._in_bundles.update(plan.addressed.keys)
            else:
                self._own.add(plan.key)
                self._rows += plan.addressed.rows
        self._at += 1

    def lines(self) -> Sequence[_Line]:
        """All of them, what would be held first."""
        return _Lines([(state, self._states[state]) for state in self._in_order()])

    def _in_order(self) -> list[Outcome]:
        return sorted(self._states, key=lambda state: _ORDER[str(state)])

    def totals(self, found: Survey) -> str:
        """How many keys and rows, in words."""
        from gonnet.cli import _show

        rows = self._rows + sum(found.counts.get(key, 0) for key in self._in_bundles if key not in self._own)
        said = ", ".join(f"{len(self._states[state]):,} {state}" for state in self._in_order()) or "nothing"
        own = sum(map(len, self._states.values())) - self._bundles
        many = [_show.many(own, "key")] if own or not self._bundles else []
        many += [_show.many(self._bundles, "bundle")] if self._bundles else []
        return f"{' and '.join(many)}, {_show.many(rows, 'row')}: {said}"


def _amount(value: object) -> str:
    from gonnet.cli import _show

    return "" if value is None else _show.amount(value)
