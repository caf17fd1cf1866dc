"""`gonnet keys`."""

from __future__ import annotations

import datetime as dt
import json
from collections import Counter
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from gonnet.cli import _completing, _exit, _options
from gonnet.errors import typed

if TYPE_CHECKING:
    from gonnet.packages import PackagePlan
    from gonnet.pipeline.survey import Survey

_FIGURES = 3  # that a line of a terminal has room for
_ORDER = {"held": 0, "ready": 1, "skipped": 2}


@click.command(short_help="See every key: rows, figures, who gets it, what would become of it.")
@click.argument("job", shell_complete=_completing.jobs)
@click.option("--state", type=click.Choice(["ready", "held", "skipped"]), help="Only keys that would be in this state.")
@_options.only_option
@_options.asked_options
@_options.workspace_option
@_options.json_option
def keys(
    job: str,
    state: str | None,
    only: tuple[str, ...],
    asked: dict[str, str],
    as_of: dt.date | None,
    workspace: Path | None,
    as_json: bool,
) -> int:
    """See every key of a job with its rows, its figures, who gets it and what would become of it; nothing is made.

    Keys without recipients and recipients without rows come first, then what is held, then the others.

    \b
    Example:  gonnet keys statements
              gonnet keys statements --state held
    """
    from gonnet.cli import _open

    with _open.tools_at(workspace) as tools:
        from gonnet.jobs import load_job
        from gonnet.pipeline.survey import Request, survey

        read = load_job(tools.workspace, job)
        request = Request(as_of=as_of or tools.today(), asked=_open.complete(read, tools, asked), only=only)
        found = survey(read, tools, request)
        found.engine.close()
    plans = [plan for plan in found.plans if state in (None, str(plan.decision.outcome))]
    if as_json:
        click.echo(json.dumps([_plain(plan) for plan in plans], ensure_ascii=False, indent=2, default=str))
    else:
        _tell(found, plans, job)
    held = any(str(plan.decision.outcome) == "held" for plan in found.plans)
    attention = held or any(str(finding.weight) == "attention" for finding in found.findings)
    return _exit.ATTENTION if attention else _exit.DONE


def _plain(plan: PackagePlan) -> dict[str, Any]:
    effects = plan.decision.effects
    return {
        "key": plan.key,
        "name": plan.addressed.name,
        "rows": plan.addressed.rows,
        "keys": list(plan.addressed.slices),
        "figures": dict(plan.evaluated.figures),
        "to": [address.mailbox for person in plan.addressed.contacts for address in person.to],
        "language": plan.locale,
        "state": str(plan.decision.outcome),
        "reason": plan.decision.reason,
        "message": effects.message,
        "documents": [document.file_name for document in plan.documents],
    }


def _tell(found: Survey, plans: list[PackagePlan], job: str) -> None:
    from gonnet.cli import _show

    for finding in found.findings:
        mark = {"attention": "!", "note": "·"}[str(finding.weight)]
        _show.console().print(_show.state(str(finding.weight), f"{mark} {finding.text}"), soft_wrap=True)
    names = [name for name in next((plan.evaluated.figures for plan in found.plans), {}) if name != "rows"][:_FIGURES]
    sides = [(name, "right") for name in ("Rows", *names)]
    table = _show.table(("Key", "key"), ("Name", 28), *sides, ("To", 38), "State", ("Why", "wrap"))
    for plan in sorted(plans, key=lambda plan: _ORDER[str(plan.decision.outcome)]):
        state = str(plan.decision.outcome)
        to = ", ".join(address.mailbox for person in plan.addressed.contacts for address in person.to)
        figures = (_amount(plan.evaluated.figures[name]) for name in names)
        cells = (plan.key, plan.addressed.name, f"{plan.addressed.rows:,}", *figures, to)
        _show.rows(table, [(*cells, _show.state(state), plan.decision.reason)])
    _show.show(table, least=(*reversed(names), "To", "Rows", "Name"))
    states = Counter(str(plan.decision.outcome) for plan in plans)
    said = ", ".join(f"{count:,} {state}" for state, count in sorted(states.items(), key=lambda part: _ORDER[part[0]]))
    seen = {key: found.counts.get(key, 0) for plan in plans for key in plan.addressed.slices}
    rows = sum(seen.values())
    bundles = sum(plan.is_bundle for plan in plans)
    many = [_show.many(len(plans) - bundles, "key")] if len(plans) > bundles or not bundles else []
    many += [_show.many(bundles, "bundle")] if bundles else []
    _show.line(f"{' and '.join(many)}, {_show.many(rows, 'row')}: {said or 'nothing'}", "bold")
    if plans:
        _show.next_steps((typed("explain", job, plans[0].key), "why one of them gets what it gets"))


def _amount(value: object) -> str:
    from gonnet.cli import _show

    return "" if value is None else _show.amount(value)
