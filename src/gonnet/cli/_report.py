"""A run in words, and as the one JSON object that machines read."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from decimal import Decimal
from typing import TYPE_CHECKING, Any

import click

from gonnet.cli import _show

if TYPE_CHECKING:
    from gonnet.ledger import PackageRecord, RunRecord
    from gonnet.pipeline.reviewing.overview import Overview


def as_json(run: RunRecord, packages: Sequence[PackageRecord], earlier: Mapping[str, int] | None = None) -> None:
    """Print the run as one JSON object; `earlier` has the key → run of what was sent already."""
    more = {"sent_already": dict(earlier)} if earlier is not None else {}
    click.echo(json.dumps(run_object(run, packages) | more, ensure_ascii=False, indent=2))


def run_object(run: RunRecord, packages: Sequence[PackageRecord]) -> dict[str, Any]:
    """The JSON object of a run and (some of) its packages."""
    account = rows_of(run)
    return {
        "run": run.id,
        "job": run.job,
        "as_of": run.as_of.isoformat(),
        "prepared": run.prepared.isoformat(),
        "packages": [package_object(package) for package in packages],
        "rows": _account_object(account),
        "rows_of_others": {
            name: _account_object(part) | {"totals": part["controls"]}
            for name, part in account.get("others", {}).items()
        },
        "bundles": account.get("bundles", {"packages": 0, "rows": 0}),
        "totals": account["controls"],
        "states": {str(state): count for state, count in run.counts.items()},
        "came_to": dict(run.came),
        "handed_over": {str(state): count for state, count in run.handed.items()},
        "state": str(run.state),
        "reason": run.reason,
        "purpose": str(run.purpose),
        "occurrence": run.occurrence,
        "findings": [{"weight": weight, "text": text} for weight, text in run.findings],
        "not_searched": list(run.unsearched),
    }


def places(found: Mapping[tuple[str, str, str], int]) -> list[str]:
    """How many files, drafts and prints go to each place: kind, kind of the place and its name → how many."""
    nouns = {"file": "file", "draft": "draft", "print": "PDF"}
    return [
        f"{_show.many(count, nouns[kind])} {'to' if kind == 'print' else 'into'} {target} {name}"
        for (kind, target, name), count in found.items()
    ]


def _account_object(account: Mapping[str, Any]) -> dict[str, Any]:
    return {
        "read": account["read"],
        "delivered": account["delivered"],
        "delivered_so_far": account.get("sent", 0),
        "withheld": sum(account["withheld"].values()),
        "withheld_by_reason": account["withheld"],
    }


def package_object(package: PackageRecord) -> dict[str, Any]:
    """The JSON object of one package."""
    return {
        "key": package.key,
        "name": package.name,
        "to": list(package.to),
        "state": str(package.state),
        "came_to": package.came_to,
        "way": list(package.ways),
        "reason": package.reason,
        "rows": package.rows,
        "keys": list(package.keys or (package.key,)),
        "figures": dict(package.figures),
        "odd": list(package.odd),
        "contacts": [contact._asdict() for contact in package.contacts],
        "found_by_the_leak_check": [hit._asdict() for hit in package.hits],
        "documents": [
            {"name": d.name, "sha256": d.sha256, "bytes": d.bytes, "rows": d.rows, "pages": d.pages}
            for d in package.documents
        ],
        "files": [
            {
                "kind": str(part.kind),
                str(part.target.kind): part.target.name,
                "place": part.put_at or part.target.place,
                "state": str(part.state),
                "reply": part.reply,
            }
            for part in package.placed
        ],
        "messages": [
            {
                "subject": message.subject,
                "message_id": message.message_id,
                "to": list(message.to),
                "cc": list(message.cc),
                "bcc": list(message.bcc),
                "hand_overs": [
                    {
                        "address": part.target.name,
                        "purpose": str(part.purpose),
                        "state": str(part.state),
                        "refused": part.refused,
                        "code": part.code,
                        "reply": part.reply,
                    }
                    for part in package.mailed
                    if part.message_id == message.message_id
                ],
            }
            for message in package.messages
        ],
    }


def rows_of(run: RunRecord) -> Mapping[str, Any]:
    """The row account of a run; zeros for one that was aborted."""
    empty: dict[str, Any] = {"read": 0, "delivered": 0, "withheld": {}, "controls": []}
    return empty | dict(run.account)


def account(run: RunRecord) -> None:
    """Print how every row is accounted for, and that the parts add up to the whole."""
    found = rows_of(run)
    others = found.get("others", {})
    _account_of(found, "")
    for name, part in others.items():
        _account_of(part, f" of {name}")
    if bundles := found.get("bundles"):
        many, rows = _show.many(bundles["packages"], "bundle"), _show.many(bundles["rows"], "row")
        _show.line(f"Bundles  {many} with {rows}, which are counted once above")


def _account_of(found: Mapping[str, Any], of: str) -> None:
    """Print the account of the rows of one data set."""
    withheld = found["withheld"]
    reasons = ", ".join(f"{count:,} {cause}" for cause, count in withheld.items())
    has_sent = bool(found.get("sent"))
    rows = found["delivered"] - found.get("sent", 0)
    sent = f"{found['sent']:,} delivered + " if has_sent else ""
    to_deliver = f"{rows:,} to deliver + " if rows or not has_sent else ""
    why = f" ({reasons})" if reasons else ""
    _show.line(f"Rows     {found['read']:,} read{of} = {sent}{to_deliver}{sum(withheld.values()):,} withheld{why}")
    for control in found["controls"]:
        left = Decimal(control["delivered"]) - Decimal(control.get("sent", "0"))
        parts = [f"{_show.amount(control['sent'])} delivered"] if has_sent else []
        parts += [f"{_show.amount(f'{left:f}')} to deliver"] if rows or not has_sent else []
        parts += [f"{_show.amount(control['withheld'])} withheld"]
        whole = _show.amount(control["whole"])
        _show.line(f"Total    {control['column']}{of}: {whole} read = {' + '.join(parts)}")


def since(whole: Overview) -> None:
    """Print what people decided about packages since the run was prepared."""
    counted = (("released", whole.released), ("held back or skipped", whole.kept))
    parts = [
        f"{_show.many(many, 'package')} {word} ({_show.many(rows, 'row')})" for word, (many, rows) in counted if many
    ]
    if parts:
        _show.line(f"Since    by hand {' and '.join(parts)}")


def title(run: RunRecord) -> str:
    """A run with its parameters, in words."""
    kind = {"extra": " (extra)", "trial": " (a rehearsal)"}.get(str(run.purpose), "")
    return f"Run {run.id}{kind}: {run.title}" + "".join(f", {name} {value}" for name, value in run.parameters.items())


def sent_before(found: Mapping[str, int]) -> None:
    """Print which packages were sent already, and in which run, before anybody sends them; `found` has key → run."""
    from gonnet.pipeline.sending.gate import earlier_in_words

    for text in earlier_in_words(found):
        _show.line(f"· {text}: they are left out")


def states(run: RunRecord) -> str:
    """What became of a run's packages, in words: those that left by how they did."""
    return ", ".join(f"{count:,} {state}" for state, count in run.came.items()) or "no packages"


def findings(
    found: Sequence[tuple[str, str]],
    *,
    attention_only: bool = False,
    most: int = 12,
    whole: str = "gonnet review --json",
) -> None:
    """Print what was found, what needs a decision first; `whole` is the command that gives all of it."""
    order = sorted(found, key=lambda finding: finding[0] != "attention")
    shown = [finding for finding in order if finding[0] == "attention" or not attention_only]
    for weight, text in shown[:most]:
        mark = "!" if weight == "attention" else "·"
        _show.console().print(_show.state(weight, f"{mark} {text}"), soft_wrap=True)
    if len(shown) > most:
        _show.line(f"  … and {len(shown) - most} more; `{whole}` has them all")


def unsearched(run: RunRecord, *, most: int = 4) -> None:
    """Print what the leak check did not search."""
    if run.unsearched:
        _show.line("Not searched for other people's values:")
        for text in run.unsearched[:most]:
            _show.line(f"  · {text}", "bright_black")
        if len(run.unsearched) > most:
            _show.line(f"  … and {len(run.unsearched) - most} more; `gonnet review --json` has them all")


def withheld(packages: Iterable[PackageRecord], *, most: int = 15) -> None:
    """Print the first of the packages that do not leave, each with its reason, and how many more there are."""
    count = 0
    for count, package in enumerate((one for one in packages if one.state not in ("ready", "sent")), 1):
        if count <= most:
            _show.stated(str(package.state), f"{package.key}  {package.name[:40]}: {package.reason}")
    if count > most:
        _show.line(f"  … and {count - most} more")
