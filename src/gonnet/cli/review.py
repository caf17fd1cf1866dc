"""`gonnet review`."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _exit, _options

if TYPE_CHECKING:
    from rich.text import Text

    from gonnet.ledger import PackageRecord, RunRecord
    from gonnet.pipeline.tools import Tools

_ODD = 48  # characters; what is held stands in full above the table


@click.command(short_help="See every package of a run before anything leaves.")
@_options.run_argument
@_options.only_option
@click.option(
    "--into", type=click.Path(file_okay=False, path_type=Path), metavar="FOLDER", help="Copy the documents there."
)
@click.option(
    "--html",
    "page",
    type=click.Path(dir_okay=False, path_type=Path),
    metavar="FILE",
    help="Write the review as a page that opens in a browser.",
)
@click.option(
    "--pictures", type=click.IntRange(min=0), default=200, help="With --html: packages with picture and message."
)
@click.option("--figure", default="", metavar="NAME", help="With --html: the figure whose distribution is drawn.")
@click.option("--state", multiple=True, type=click.Choice(_options.STATES), help="Only packages that are so.")
@click.option("--find", metavar="TEXT", help="Only packages with this in their key, name, address or reason.")
@_options.workspace_option
@_options.json_option
@_options.quiet_option
def review(
    run_id: str,
    only: tuple[str, ...],
    into: Path | None,
    page: Path | None,
    pictures: int,
    figure: str,
    state: tuple[str, ...],
    find: str | None,
    workspace: Path | None,
    as_json: bool,
    quiet: bool,
) -> int:
    """See every package of a run before anything leaves: one line each, what needs a decision first.

    RUN is a number or `last`, which is what you get when you leave it out.

    \b
    Example:  gonnet review last
              gonnet review last --html review.html
              gonnet review 3 --only 00042 --into look
    """
    from gonnet.cli import _files, _open, _report, _show, _work

    with _open.tools_at(workspace) as tools:
        run = tools.ledger.run(run_id)
        packages = tools.ledger.packages(run.id, only)
        if page is not None:
            _write_page(run, packages, tools, page, pictures, figure)
        packages = tuple(_wanted(packages, state, find))
        if into is not None:
            _files.copied(tools, packages, into, over=True)
        if str(run.state) == "prepared" and not (only or state or find):  # to look at some is no review of the run
            tools.ledger.mark_reviewed(run.id)
    if as_json:
        _report.as_json(run, packages)
    elif page is not None:
        _show.line(f"The review of run {run.id} is in {page}; it holds everybody's figures, and only you may read it.")
    else:
        _list(run, packages, into, quiet=quiet)
    return _exit.ATTENTION if _work.wants_attention(run) else _exit.DONE


def _write_page(
    run: RunRecord, packages: Sequence[PackageRecord], tools: Tools, page: Path, pictures: int, figure: str
) -> None:
    from gonnet.pipeline.review_page import review_page

    text = review_page(run, packages, tools, pictures, figure)
    page.touch(mode=0o600)
    page.chmod(0o600)
    page.write_text(text, "utf-8")


def _wanted(packages: Sequence[PackageRecord], states: Sequence[str], find: str | None) -> Iterator[PackageRecord]:
    for package in packages:
        text = "\n".join((package.key, package.name, *package.to, package.reason, *package.odd, *package.keys))
        if (not states or str(package.state) in states) and (not find or find.casefold() in text.casefold()):
            yield package


def _list(run: RunRecord, packages: Sequence[PackageRecord], into: Path | None, *, quiet: bool) -> None:
    from gonnet.cli import _report, _show

    shown = sorted(packages, key=lambda package: _options.STATES.index(str(package.state)))
    if quiet:
        shown = [package for package in shown if str(package.state) in ("unsure", "failed", "held")]
    period = "".join(f", {name} {value}" for name, value in run.parameters.items())
    _show.line(f"Run {run.id}: {run.title}{period} — {_report.states(run)}", "bold")
    subjects = {message.subject for package in packages for message in package.messages}
    if len(subjects) == 1:
        _show.line(f"Message  “{next(iter(subjects))}”, from {_sender(packages)}")
    if places := _report.places([part for package in packages for part in package.filings]):
        _show.line(f"Files    {'; '.join(places)}")
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
