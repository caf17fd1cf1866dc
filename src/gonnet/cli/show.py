"""`gonnet show`."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _completing, _exit, _options

if TYPE_CHECKING:
    from gonnet.ledger import HandOverRecord, MessageRecord, PackageRecord, RunRecord
    from gonnet.pipeline.tools import Tools


@click.command(short_help="See one run, or one recipient's package, in full.")
@_options.run_argument
@click.argument("key", required=False, shell_complete=_completing.keys)
@_options.workspace_option
@click.option("--state", multiple=True, type=click.Choice(_options.STATES), help="Only packages in this state.")
@click.option("--csv", "as_csv", is_flag=True, help="Print every hand-over as a line of CSV and nothing else.")
@_options.list_options
@_options.json_option
def show(
    run_id: str,
    key: str | None,
    state: tuple[str, ...],
    workspace: Path | None,
    as_csv: bool,
    number: int,
    lines: int,
    as_json: bool,
) -> int:
    """See what became of a run, or of one recipient's package, with its message and its history.

    \b
    Example:  gonnet show last
              gonnet show 3 00042
              gonnet show last --state failed --csv
    """
    from gonnet.cli import _open, _report
    from gonnet.pipeline.attention import wants_attention

    with _open.tools_at(workspace) as tools:
        run = tools.ledger.run(run_id)
        packages = tools.ledger.packages(run.id, (key,) if key else ())
        packages = tuple(package for package in packages if not state or str(package.state) in state)
        if as_csv:
            from gonnet.pipeline.lists import every_hand_over

            click.echo(every_hand_over(packages).replace("\r\n", "\n"), nl=False)
        elif as_json:
            _report.as_json(run, packages)
        elif key and packages:
            _package(tools, run, packages[0])
        else:
            _run(tools, run, packages, number, lines)
    return _exit.ATTENTION if wants_attention(run) else _exit.DONE


def _run(tools: Tools, run: RunRecord, packages: Sequence[PackageRecord], number: int, lines: int) -> None:
    from gonnet.cli import _listing, _report, _show
    from gonnet.pipeline.reviewing.listing import in_order, page_of

    page = page_of(in_order(packages), number, lines)
    _show.line(_report.title(run), "bold")
    _show.line(f"         made for {run.as_of}, {run.state}: {_report.states(run)}")
    _report.account(run)
    _approvals(tools, run)
    _history(tools.ledger.history(run.id))
    table = _show.table(
        "State", ("Key", "key"), ("Name", 30), ("Address", 44), ("Answer of the server, or the reason", "wrap")
    )
    for package in page.shown:
        told = [(str(part), part.answer or _not_yet(part)) for part in package.hand_overs] or [("", package.reason)]
        if str(package.state) in ("held", "skipped"):
            told = [(", ".join(package.to), package.reason)]
        for at, (address, reply) in enumerate(told):
            state = _show.state(str(package.state), package.came_to)
            head = (state, package.key, package.name[:34]) if at == 0 else ("", "", "")
            _show.rows(table, [(*head, address, reply)])
    _show.show(table, least=("Name", "Address"))
    _listing.rest(page)


def _approvals(tools: Tools, run: RunRecord) -> None:
    """Who said yes, whether that still counts, and what is lacking."""
    from gonnet.cli import _show
    from gonnet.pipeline.sending.approving import Needed

    for one in tools.ledger.approvals.of(run.id):
        still = f", counts no more since {one.voided:%Y-%m-%d %H:%M}" if one.voided is not None else ""
        why, signed = f": {one.why}" if one.why else "", ", signed" if one.signature else ""
        said = f"Approval {one.who} on {one.at:%Y-%m-%d %H:%M}, digest {one.digest[:12]}{signed}{still}{why}"
        _show.line(said, "bright_black" if still else "")
    if (lacking := Needed(run, tools).lacking()) is not None:
        _show.line(f"Approval {lacking}", "yellow")


def _package(tools: Tools, run: RunRecord, package: PackageRecord) -> None:
    from gonnet.cli import _show

    _show.line(f"Run {run.id}, {package.key}: {package.name}", "bold")
    _show.stated(package.came_to, package.reason, indent="")
    for text in package.odd:
        _show.line(f"· {text}")
    if package.keys:
        _show.line(f"  {'keys':<16} {', '.join(package.keys)}")
    for contact in package.contacts:
        _show.line(f"  {'contact':<16} {contact}", "" if contact.use else "bright_black")
    for name, value in package.figures.items():
        _show.line(f"  {name:<16} {_show.amount(value) if value else 'empty'}")
    for document in package.documents:
        pages = f", {_show.many(document.pages, 'page')}" if document.pages else ""
        rows = f"{_show.many(document.rows, 'row')}{pages}, " if document.report else ""
        _show.line(f"  {document.name}   {rows}{_show.size(document.bytes)}")
        _show.line(f"    SHA-256 {document.sha256}", "bright_black")
    for message in package.messages:
        _show.line()
        _show.line(f"From     {message.sender}")
        for name, found in (("To", message.to), ("Cc", message.cc), ("Bcc", message.bcc)):
            if found:
                _show.line(f"{name:<8} {', '.join(found)}")
        _show.line(f"Subject  {message.subject}")
        if len(message.files) != len(package.documents):
            _show.line(f"Files    {', '.join(message.files)}")
        for text in _body(tools, message).splitlines():
            _show.line(f"  {text}")
        _hand_overs(part for part in package.mailed if part.message_id == message.message_id)
    if package.placed:
        _show.line()
    _hand_overs(package.placed)
    _show.line()
    _history(tools.ledger.history(run.id, package.id))


def _hand_overs(parts: Iterable[HandOverRecord]) -> None:
    from gonnet.cli import _show

    for part in parts:
        extra = " (once more)" if part.purpose == "extra" else ""
        _show.line(f"→ {part}{extra}: {_not_yet(part) or part.state} {part.answer}".rstrip())


def _not_yet(part: HandOverRecord) -> str:
    """What is still to happen; empty where it happened."""
    words = {"message": "not sent yet", "file": "not filed yet", "draft": "not drafted yet", "print": "not printed yet"}
    return words[str(part.kind)] if part.state == "waiting" else ""


def _body(tools: Tools, message: MessageRecord) -> str:
    from email import message_from_bytes
    from email.policy import default

    from gonnet.errors import SealError

    if not tools.store.has(message.sha256):
        return "(its text is no longer kept)"
    try:
        sealed = tools.store.get(message.sha256)
    except SealError as error:
        return f"({error.what})"
    part = message_from_bytes(sealed, policy=default).get_body(("plain",))
    return str(part.get_content()) if part is not None else ""


def _history(events: Sequence[tuple[str, str]]) -> None:
    import datetime as dt

    from gonnet.cli import _show

    for at, what in events:
        when = dt.datetime.fromisoformat(at).astimezone()
        _show.line(f"{when:%Y-%m-%d %H:%M:%S}  {what}", "bright_black")
