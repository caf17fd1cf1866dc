"""`gonnet explain`."""

from __future__ import annotations

import datetime as dt
import json
from collections import defaultdict
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from gonnet.cli import _completing, _exit, _options

if TYPE_CHECKING:
    from gonnet.jobs import Job
    from gonnet.ledger import PackageRecord
    from gonnet.packages import PackagePlan
    from gonnet.pipeline.survey import Survey
    from gonnet.pipeline.tools import Tools
    from gonnet.rules.explain import Reason

_FORMS = {"apart": "a document each", "joined": "key after key in one file", "whole": "in one report"}
_HELD = {True: "holds", False: "does not hold", None: "is unknown"}


@click.command(short_help="Ask why one recipient gets what they get.")
@click.argument("subject", metavar="JOB|RUN", shell_complete=_completing.runs)
@click.argument("key", required=False, shell_complete=_completing.keys)
@_options.only_option
@_options.asked_options
@_options.workspace_option
@_options.json_option
def explain(
    subject: str,
    key: str | None,
    only: tuple[str, ...],
    asked: dict[str, str],
    as_of: dt.date | None,
    workspace: Path | None,
    as_json: bool,
) -> int:
    """Ask why one recipient gets what they get: the figures, each rule with the values that went in, the contacts, the
    documents. Of a job as it is now, or of a package of a run (its number, or `last`) as it was made.

    \b
    Example:  gonnet explain statements 00042
              gonnet explain last 00042
    """
    from gonnet.cli import _open

    wanted = (*((key,) if key else ()), *only)
    if len(wanted) != 1:
        raise click.UsageError("name one key: gonnet explain JOB KEY")
    key = wanted[0]
    with _open.tools_at(workspace) as tools:
        if subject == "last" or subject.isdecimal():
            (package,) = tools.ledger.packages(tools.ledger.run(subject).id, [key])
            if as_json:
                click.echo(json.dumps(_of_run(package), ensure_ascii=False, indent=2, default=str))
            else:
                _tell_of_run(package)
            return _exit.DONE
        _explain_job(tools, subject, key, asked, as_of, as_json=as_json)
    return _exit.DONE


def _explain_job(
    tools: Tools, name: str, key: str, asked: dict[str, str], as_of: dt.date | None, *, as_json: bool
) -> None:
    from gonnet.cli import _open
    from gonnet.jobs import load_job
    from gonnet.pipeline.survey import Request, survey
    from gonnet.rules.explain import reasons

    read = load_job(tools.workspace, name)
    request = Request(as_of=as_of or tools.today(), asked=_open.complete(read, tools, asked), only=(key,))
    found = survey(read, tools, request)
    (plan,) = found.plans
    why = reasons(found.engine, found.house.job, key, plan.decision, found.values.bound(), is_bundle=plan.is_bundle)
    found.engine.close()
    if as_json:
        click.echo(json.dumps(_plain(read, plan, why), ensure_ascii=False, indent=2, default=str))
    else:
        _tell(read, found, plan, why)


def _plain(job: Job, plan: PackagePlan, why: tuple[Reason, ...]) -> dict[str, Any]:
    from gonnet.rules import ways_of
    from gonnet.rules.decisions import Cause

    return {
        "key": plan.key,
        "name": plan.addressed.name,
        "state": str(plan.decision.outcome),
        "reason": plan.decision.reason,
        "figures": dict(plan.evaluated.figures),
        "past": plan.names["past"],
        "rules": [
            {
                "rule": reason.rule,
                "condition": reason.condition or "otherwise",
                "values": dict(reason.values),
                "applies": reason.applies,
                "held": reason.held,
                "changes": list(reason.changes),
                "overridden": list(reason.overridden),
            }
            for reason in why
        ],
        "contacts": [
            {
                "line": person.line,
                "name": person.name,
                "language": person.language,
                **{part: [a.mailbox for a in getattr(person, part)] for part in ("to", "cc", "bcc")},
                "way": list(ways_of(person, plan.decision.effects, job)),
                "problem": person.problem or (person.unaddressed if plan.decision.cause is Cause.NO_ADDRESS else None),
            }
            for person in plan.addressed.contacts
        ],
        "others": [
            {
                "line": one.person.line,
                "name": one.person.name,
                "role": one.role,
                "to": [address.mailbox for address in one.person.to],
                "use": one.use,
                "why_not": one.why_not,
            }
            for one in plan.addressed.known
            if one.use != "to"
        ],
        "sees": list(plan.addressed.why),
        "message": plan.decision.effects.message,
        "documents": [document.file_name for document in plan.documents],
    }


def _tell(job: Job, found: Survey, plan: PackagePlan, why: tuple[Reason, ...]) -> None:
    from gonnet.cli import _show

    _head(plan.key, plan.addressed.name, str(plan.decision.outcome), plan.decision.reason)
    _section("Figures")
    _show.line("  " + ",  ".join(f"{name} {_said(value)}" for name, value in plan.evaluated.figures.items()))
    past: Any = plan.names["past"]
    if past["times"]:
        times = _show.many(past["times"], "time").replace("1 time", "once")
        _show.line(f"  sent {times} before, last on {past['sent_on']} (message {past['message']})")
    if why:
        _section("Rules")
    for reason in why:
        _rule(reason.rule, reason.held, reason.changes, reason.overridden, applies=reason.applies)
        if not reason.applies:
            continue
        values = ",  ".join(f"{name} = {_said(value)}" for name, value in reason.values)
        _show.line(f"      when {reason.condition}" if reason.condition else "      otherwise", "bright_black")
        if values:
            _show.line(f"      with {values}", "bright_black")
    _contacts(plan, found)
    _ways(job, plan, why)
    _section("Message")
    chosen = [r.rule for r in why if any(change == f"message: {plan.decision.effects.message}" for change in r.changes)]
    usual = "that of its list" if plan.addressed.settings.message else "the usual one"
    by = f"chosen by rule '{chosen[-1]}'" if chosen else usual
    _show.line(f"  {plan.decision.effects.message or 'none'} ({by}), in {plan.locale}")
    _documents(job, plan, why)
    _enclosures(job, plan)


def _contacts(plan: PackagePlan, found: Survey) -> None:
    from gonnet.cli import _show
    from gonnet.recipients.roll import together
    from gonnet.rules.decisions import Cause

    _section("Contacts")
    if not plan.addressed.contacts and not plan.addressed.known:
        has_list = found.house.job.file.recipients
        _show.line("  none: nobody on the list has this key" if has_list else "  none: the job has no list")
    for person in plan.addressed.contacts:
        where = f"line {person.line} of {person.source}"
        parts = [f"to {', '.join(a.mailbox for a in person.to) or '–'}"]
        parts += [
            f"{part} {', '.join(a.mailbox for a in found)}"
            for part in ("cc", "bcc")
            if (found := getattr(person, part))
        ]
        unaddressed = person.unaddressed if plan.decision.cause is Cause.NO_ADDRESS else None
        problem = f"; {together((person.problem, unaddressed))}" if person.problem or unaddressed else ""
        _show.line(f"  {person.name} ({where}, in {person.language}): {', '.join(parts)}{problem}")
    for one in plan.addressed.known:
        if one.use != "to":
            role, fate = f", {one.role}" if one.role else "", "in copy" if one.use else one.why_not
            to = ", ".join(address.mailbox for address in one.person.to) or "no address"
            where = f"line {one.person.line} of {one.person.source}{role}"
            _show.line(f"  – {one.person.name} ({where}): {to}; {fate}", "bright_black")
    if (bundle := plan.addressed.bundle) is not None:
        _section(f"Sees {_show.many(len(plan.addressed.keys), 'key')}, {_FORMS[bundle.form]}")
        for line in plan.addressed.why:
            _show.line(f"  {line}")


def _ways(job: Job, plan: PackagePlan, why: tuple[Reason, ...]) -> None:
    """By which ways it goes, who says so, and what each of them takes."""
    from gonnet.cli import _show

    chosen = [job.file.deliver[at] for at in plan.decision.effects.ways]
    if not chosen:
        return
    rules = [r.rule for r in why for change in r.changes if change.startswith("way: ")]
    by = f"rule '{rules[-1]}'" if rules else "its list says so" if plan.addressed.ways else "the usual way"
    _section("Way")
    for way in chosen:
        takes = f", which takes {way.limits} only" if way.limits else ""
        _show.line(f"  {way.called} ({by}){takes}")


def _documents(job: Job, plan: PackagePlan, why: tuple[Reason, ...]) -> None:
    from gonnet.cli import _show

    _section("Documents")
    if plan.is_bundle:
        for document in plan.documents:
            _show.line(f"  + {document.file_name}")
        return
    files: defaultdict[tuple[str, str], list[str]] = defaultdict(list)
    for document in plan.documents:
        files[document.report, document.format].append(document.file_name)
    for index, spec in enumerate(job.file.package.documents):
        goes = index in plan.decision.effects.documents
        form = plan.decision.effects.format or spec.format
        part = "add" if goes else "drop"
        rules = [r.rule for r in why for c in r.changes if c.startswith(f"{part}: ") and spec.called & _listed(c)]
        usual = "no rule adds it" if spec.optional else "always"
        usual = "as its list says" if plan.addressed.settings.documents else usual
        reason = f"rule '{rules[-1]}'" if rules else usual
        if goes and plan.documents and (spec.shows, form) not in files and form != "file":
            goes, reason = False, "none of its ways takes it"
        shown = ", ".join(files[spec.shows, form]) or (spec.shows if form == "file" else f"{spec.shows} as {form}")
        _show.line(f"  {'+' if goes else '–'} {shown} ({reason})")


def _enclosures(job: Job, plan: PackagePlan) -> None:
    from gonnet.cli import _show

    for index, spec in enumerate(job.file.package.enclose):
        goes = index in plan.decision.effects.enclosures
        if not (goes and spec.is_own):
            why = "enclosed" if goes else "enclosed where a rule adds it"
            _show.line(f"  {'+' if goes else '–'} {Path(spec.file).name} ({why})")
    for file in plan.own_files:
        _show.line(f"  + {file.name} (enclosed, its own)")


def _listed(change: str) -> set[str]:
    return set(change.partition(": ")[2].split(", "))


def _of_run(package: PackageRecord) -> dict[str, Any]:
    return {
        "key": package.key,
        "name": package.name,
        "state": str(package.state),
        "reason": package.reason,
        "figures": dict(package.figures),
        "rules": [
            {"rule": rule, "held": held, "changes": list(changes), "overridden": list(gone)}
            for rule, held, changes, gone in package.steps
        ],
        "messages": [{"message": m.called, "to": m.to, "cc": m.cc, "bcc": m.bcc} for m in package.messages],
        "contacts": [contact._asdict() for contact in package.contacts],
        "documents": [document.name for document in package.documents],
    }


def _tell_of_run(package: PackageRecord) -> None:
    from gonnet.cli import _show

    _head(package.key, package.name, str(package.state), package.reason)
    _section("Figures")
    _show.line("  " + ",  ".join(f"{name} {_said(value or None)}" for name, value in package.figures.items()))
    if package.steps:
        _section("Rules")
    for rule, held, changes, overridden in package.steps:
        _rule(rule, held, changes, overridden)
    if package.contacts:
        _section("Contacts")
    for contact in package.contacts:
        _show.line(f"  {contact} (line {contact.line} of {contact.source})")
    _section("Messages")
    for message in package.messages:
        copies = "".join(f", {part} {', '.join(found)}" for part in ("cc", "bcc") if (found := getattr(message, part)))
        _show.line(f"  {message.called}: to {', '.join(message.to)}{copies}")
    _section("Documents")
    for document in package.documents:
        _show.line(f"  + {document.name}")


def _head(key: str, name: str, state: str, reason: str) -> None:
    from gonnet.cli import _show

    _show.line(f"{key}  {name}", "bold")
    _show.stated(state, reason)


def _section(title: str) -> None:
    from gonnet.cli import _show

    _show.line()
    _show.line(title, "bold")


def _rule(
    name: str, held: bool | None, changes: tuple[str, ...], overridden: tuple[str, ...], *, applies: bool = True
) -> None:
    from gonnet.cli import _show

    if not applies:
        _show.line(f"  – {name} is not for packages of this kind")
        return
    mark = {True: "✓", False: "–", None: "?"}[held]
    said = f": {'; '.join(changes)}" if changes else ""
    _show.line(f"  {mark} {name} {_HELD[held]}{said}", "green" if held else "")
    for part in overridden:
        _show.line(f"      overridden: {part}", "dark_orange")


def _said(value: object) -> str:
    from gonnet.cli import _show

    return "empty" if value is None else _show.amount(value) if not isinstance(value, bool) else str(value).lower()
