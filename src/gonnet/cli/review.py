"""`gonnet review`."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet import private
from gonnet.cli import _exit, _options
from gonnet.cli._options import OPEN
from gonnet.errors import typed

if TYPE_CHECKING:
    from gonnet.ledger import PackageRecord, RunRecord
    from gonnet.pipeline.reviewing.comparison import Comparison
    from gonnet.pipeline.reviewing.listing import Page
    from gonnet.pipeline.reviewing.overview import Overview
    from gonnet.pipeline.tools import Tools


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
    "--sheet",
    type=click.Path(dir_okay=False, path_type=Path),
    metavar="FILE",
    help="Write the review as a sheet (.xlsx or .csv), to decide in; `gonnet amend RUN --from FILE` reads it back.",
)
@click.option(
    "--pictures", type=click.IntRange(min=0), default=200, help="With --html: packages with picture and message."
)
@click.option("--figure", default="", metavar="NAME", help="With --html: the figure whose distribution is drawn.")
@click.option("--state", multiple=True, type=click.Choice(_options.STATES), help="Only packages in this state.")
@click.option("--find", metavar="TEXT", help="Only packages with this in their key, name, address or reason.")
@click.option("--sort", default="", metavar="NAME", help="By key, name, rows, change, or a figure, the largest first.")
@click.option("--reverse", is_flag=True, help="Turn the order round.")
@click.option(
    "--moved",
    type=click.IntRange(min=0),
    default=25,
    show_default=True,
    metavar="PERCENT",
    help="Mark figures that changed at least so much since the last run.",
)
@_options.list_options
@_options.workspace_option
@_options.json_option
@_options.quiet_option
def review(
    run_id: str,
    only: tuple[str, ...],
    into: Path | None,
    page: Path | None,
    sheet: Path | None,
    pictures: int,
    figure: str,
    state: tuple[str, ...],
    find: str | None,
    sort: str,
    reverse: bool,
    moved: int,
    number: int,
    lines: int,
    workspace: Path | None,
    as_json: bool,
    quiet: bool,
) -> int:
    """See every package of a run before anything leaves: one line each, what needs a decision first.

    RUN is a number or `last`, the default. Held packages come first, then what is odd or has changed since the last
    run of which something was sent; the rest follows, by pages.

    \b
    Example:  gonnet review --sort change --lines 20
              gonnet review last --sheet review.xlsx
    """
    from decimal import Decimal

    from gonnet.cli import _files, _open, _report
    from gonnet.pipeline.attention import wants_attention
    from gonnet.pipeline.reviewing.comparison import against_last
    from gonnet.pipeline.reviewing.listing import in_order, page_of
    from gonnet.pipeline.reviewing.looking import note_review
    from gonnet.pipeline.sending.choosing import sent_already
    from gonnet.pipeline.surveying.picking import picked_of

    with _open.tools_at(workspace) as tools:
        run, against = tools.ledger.run(run_id), None
        packages = tools.ledger.packages(run.id, picked_of(run, tools, only))
        if not only and (sort or not as_json):  # a few cannot tell who is gone, and machines compare by themselves
            against = against_last(run, packages, tools.ledger, Decimal(moved) / 100)
        if page:
            _write_page(run, packages, against, tools, page, pictures, figure)
        packages = _wanted(packages, state, find)
        every = in_order(packages, against, sort, backwards=reverse)
        if sheet:
            _write_sheet(run, every, against, tools, sheet)
        shown = _wanted(every, OPEN if quiet else (), None)
        part = page_of(shown, *((1, 0) if quiet or as_json or page or sheet else (number, lines)))
        if into is not None:
            _files.copied(tools, packages, into, over=True)
        earlier, lacking = sent_already(run, tools), _lacking(run, tools)
        note_review(run, tools, is_whole=not (only or state or find))
    if as_json:
        _report.as_json(run, part.shown if sort or reverse else packages, earlier)
    elif not _tell_where(run, page, sheet):
        _list(run, packages, part, against, earlier, into, lacking, quiet=quiet)
    return _exit.ATTENTION if wants_attention(run) else _exit.DONE


def _lacking(run: RunRecord, tools: Tools) -> str:
    """Which approval a run lacks; empty where it lacks none."""
    from gonnet.pipeline.sending.approving import Needed

    return str(Needed(run, tools).lacking() or "")


def _tell_where(run: RunRecord, page: Path | None, sheet: Path | None) -> bool:
    """Whether the review is in a file; which one."""
    from gonnet.cli import _show

    places = [place for place in (page, sheet) if place is not None]
    for place in places:
        _show.line(f"The review of run {run.id} is in {place}; it holds everybody's figures, and only you may read it.")
    if sheet is not None:
        _show.next_steps((typed("amend", run.id, "--from", sheet), "carry out what was decided in it"))
    return bool(places)


def _write_page(
    run: RunRecord,
    packages: Sequence[PackageRecord],
    against: Comparison | None,
    tools: Tools,
    page: Path,
    pictures: int,
    figure: str,
) -> None:
    from gonnet.pipeline.reviewing.review_page import review_page

    text = review_page(run, packages, against, tools, pictures, figure)
    private.write(page, text.encode("utf-8"))


def _write_sheet(
    run: RunRecord, packages: Sequence[PackageRecord], against: Comparison | None, tools: Tools, place: Path
) -> None:
    from gonnet.pipeline.reviewing.sheet.lines import messages_of, table_of
    from gonnet.pipeline.reviewing.sheet.writing import text, workbook

    if place.suffix.casefold() not in (".xlsx", ".csv"):
        raise click.BadParameter("write FILE.xlsx or FILE.csv", param_hint="--sheet")
    before = tools.ledger.packages(against.run) if against is not None else ()
    table = table_of(run, packages, messages_of(run, tools), before, against)
    private.write(place, text(table) if place.suffix.casefold() == ".csv" else workbook(table))


def _wanted(packages: Sequence[PackageRecord], states: Collection[str], find: str | None) -> Sequence[PackageRecord]:
    from gonnet.ledger.reading import those

    return those(packages, lambda package: _is_wanted(package, states, find)) if states or find else packages


def _is_wanted(package: PackageRecord, states: Collection[str], find: str | None) -> bool:
    text = "\n".join((package.key, package.name, *package.to, package.reason, *package.odd, *package.keys))
    return (not states or str(package.state) in states) and (not find or find.casefold() in text.casefold())


def _list(
    run: RunRecord,
    packages: Sequence[PackageRecord],
    page: Page[PackageRecord],
    against: Comparison | None,
    earlier: Mapping[str, int],
    into: Path | None,
    lacking: str,
    *,
    quiet: bool,
) -> None:
    from gonnet.cli import _listing, _report, _show
    from gonnet.pipeline.reviewing.listing import changes
    from gonnet.pipeline.reviewing.overview import overview

    whole = overview(packages)
    _show.line(f"{_report.title(run)} — {_report.states(run)}", "bold")
    if lacking:
        _show.line(f"Approval {lacking}", "yellow")
    if len(whole.subjects) == 1:
        _show.line(f"Message  “{whole.subjects[0]}”, from {whole.sender}")
    if places := _report.places(whole.places):
        _show.line(f"Files    {'; '.join(places)}")
    if against is not None:
        _listing.against(against)
    held = [package for package in page.shown if str(package.state) in OPEN]
    _report.withheld(held, most=len(held))
    _report.sent_before(earlier)
    noted = {key: (f"sent already in run {number}",) for key, number in earlier.items()}
    for key, words in changes(against).items():
        noted[key] = (*noted.get(key, ()), *words)
    _listing.show(page.shown, noted, several=len(whole.subjects) > 1)
    _listing.rest(page)
    _report.account(run)
    _report.since(whole)
    _report.findings(run.findings, attention_only=quiet)
    if not quiet:
        _report.unsearched(run)
    if into is not None:
        count = sum(len(package.documents) for package in packages)
        _show.line(f"{_show.many(count, 'document')} copied to {into}")
    _next(run, whole, copied=into is not None)


def _next(run: RunRecord, whole: Overview, *, copied: bool) -> None:
    from gonnet.cli import _show

    steps = []
    if whole.example is not None:
        steps.append((typed("show", run.id, whole.example), "one package in full, with its message"))
        if not copied:
            steps.append((typed("review", run.id, "--into", "look"), "copy the documents to the folder `look`"))
    if whole.can_leave:
        steps.append((typed("send", run.id) + " --trial YOU@… --first 3", "try it on yourself"))
        steps.append((typed("send", run.id), "hand over what is ready; asks first"))
    _show.next_steps(*steps)
