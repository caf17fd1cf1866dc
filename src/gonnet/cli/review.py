"""`gonnet review`."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _exit, _options

if TYPE_CHECKING:
    from rich.text import Text

    from gonnet.ledger import PackageRecord, RunRecord
    from gonnet.pipeline.tools import Tools

_ODD = 48  # characters; what is held stands in full above the table
_ORDER = ("unsure", "failed", "held", "ready", "sent", "skipped")


@click.command(short_help="See every package of a run before anything leaves.")
@_options.run_argument
@_options.only_option
@click.option(
    "--into", type=click.Path(file_okay=False, path_type=Path), metavar="FOLDER", help="Copy the documents there."
)
@_options.workspace_option
@_options.json_option
@_options.quiet_option
def review(
    run_id: str, only: tuple[str, ...], into: Path | None, workspace: Path | None, as_json: bool, quiet: bool
) -> int:
    """See every package of a run before anything leaves: one line each, what needs a decision first.

    RUN is a number or `last`, which is what you get when you leave it out.

    \b
    Example:  gonnet review last
              gonnet review 3 --only 00042 --into look
    """
    from gonnet.cli import _open, _report, _work

    with _open.tools_at(workspace) as tools:
        run = tools.ledger.run(run_id)
        packages = tools.ledger.packages(run.id, only)
        if into is not None:
            _copy(tools, packages, into)
        if str(run.state) == "prepared" and not only:  # a look at some packages is no review of the run
            tools.ledger.mark_reviewed(run.id)
    if as_json:
        _report.as_json(run, packages)
    else:
        _list(run, packages, into, quiet=quiet)
    return _exit.ATTENTION if _work.wants_attention(run) else _exit.DONE


def _copy(tools: Tools, packages: Sequence[PackageRecord], folder: Path) -> None:
    from gonnet.packages import safe_name

    for package in packages:
        place = folder / safe_name(package.key) if package.keys else folder  # bundles have documents of others again
        place.mkdir(parents=True, exist_ok=True)
        for document in package.documents:
            (place / document.name).write_bytes(tools.store.get(document.sha256))


def _list(run: RunRecord, packages: Sequence[PackageRecord], into: Path | None, *, quiet: bool) -> None:
    from gonnet.cli import _report, _show

    shown = sorted(packages, key=lambda package: _ORDER.index(str(package.state)))
    if quiet:
        shown = [package for package in shown if str(package.state) in ("unsure", "failed", "held")]
    period = "".join(f", {name} {value}" for name, value in run.parameters.items())
    _show.line(f"Run {run.id}: {run.title}{period} — {_report.states(run)}", "bold")
    subjects = {message.subject for package in packages for message in package.messages}
    if len(subjects) == 1:
        _show.line(f"Message  “{next(iter(subjects))}”, from {_sender(packages)}")
    held = [package for package in shown if str(package.state) in ("held", "failed", "unsure")]
    _report.withheld(held, most=len(held))
    width = _show.console().width - (27 if len(subjects) > 1 else 0)
    room = 3 if width >= 185 else 2 if width >= 168 else 1 if width >= 125 else 0
    figures = [name for name in (packages[0].figures if packages else {}) if name != "rows"][:room]
    headings: list[str | tuple[str, str | int]] = [
        "State",
        ("Key", 14),
        ("Name", 20),
        ("To", 36),
        ("+", "right"),
        ("Rows", "right"),
    ]
    headings += ["Documents", *((name, "right") for name in figures)]
    headings += [("Message", 24)] if len(subjects) > 1 else []
    table = _show.table(*headings, ("What is odd", "wrap"))
    _show.rows(table, (_cells(package, figures, several=len(subjects) > 1) for package in shown))
    _show.show(table)
    _report.account(run)
    _report.since(packages)
    _report.findings(run.findings, attention_only=quiet)
    if into is not None:
        count = sum(len(package.documents) for package in packages)
        _show.line(f"{_show.many(count, 'document')} copied to {into}")
    _next(run, packages, copied=into is not None)


def _sender(packages: Sequence[PackageRecord]) -> str:
    return next(message.sender for package in packages for message in package.messages)


def _cells(package: PackageRecord, figures: Sequence[str], *, several: bool) -> list[Text | str]:
    from gonnet.cli import _show

    copies = sum(len(message.cc) + len(message.bcc) for message in package.messages)
    more = max(len(package.to) - 1, 0) + copies
    documents = ", ".join(
        f"{d.format} {f'{d.pages} p ' if d.pages else ''}{_show.size(d.bytes)}" for d in package.documents
    )
    reason = package.reason if str(package.state) == "skipped" else ""  # the others stand above the table
    odd = "; ".join(part for part in (reason, *package.odd) if part)
    cells: list[Text | str] = [
        _show.state(str(package.state)),
        package.key,
        package.name,
        package.to[0] if package.to else _folder(package),
        f"+{more}" if more else "",
        f"{package.rows:,}",
        documents,
    ]
    cells += [_show.amount(package.figures.get(name, "")) for name in figures]
    if several:
        cells.append("; ".join(dict.fromkeys(message.subject for message in package.messages)))
    return [*cells, odd if len(odd) <= _ODD else odd[: _ODD - 1] + "…"]


def _folder(package: PackageRecord) -> str:
    filing = next(iter(package.filings), None)
    return "nobody" if filing is None else f"{filing.root}: {filing.place.rpartition('/')[0]}".rstrip(": ")


def _next(run: RunRecord, packages: Sequence[PackageRecord], *, copied: bool) -> None:
    from gonnet.cli import _show

    steps = []
    example = next((package.key for package in packages if package.documents), None)
    if example is not None:
        steps.append((f"gonnet show {run.id} {example}", "one package in full, with its message"))
        if not copied:
            steps.append((f"gonnet review {run.id} --into look", "copy the documents to the folder `look`"))
    if any(str(p.state) == "ready" and (p.messages or p.filings) for p in packages):
        steps.append((f"gonnet send {run.id} --trial YOU@… --first 3", "try it on yourself"))
        steps.append((f"gonnet send {run.id}", "hand over what is ready; asks first"))
    _show.next_steps(*steps)
