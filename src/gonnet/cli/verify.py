"""`gonnet verify`."""

from __future__ import annotations

import json
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _exit, _options

if TYPE_CHECKING:
    from gonnet.pipeline.record.verify import Verdict
    from gonnet.pipeline.tools import Tools

_SHOWN = 40


@click.command(short_help="Check that the record is whole and true.")
@click.option("--export", nargs=2, type=str, metavar="RUN FILE", help="Write the account of a run: .pdf or .json.")
@click.option(
    "--copy", type=click.Path(path_type=Path), metavar="FOLDER", help="Copy the workspace, and check the copy."
)
@_options.workspace_option
@_options.json_option
def verify(export: tuple[str, str] | None, copy: Path | None, workspace: Path | None, as_json: bool) -> int:
    """Compare the whole record with itself; nothing is changed.

    Each event carries the digest of the one before, so none can be changed, taken out, put in or moved unseen. Runs,
    packages, approvals and what became of each hand-over must be as the events say, seals must fit, and every file that
    is kept must be what was put there.

    An account of a run has who did what and when, with digests and answers; it is signed where gonnet.yaml names a key.
    A copy is taken as of one moment, also while a run is sent; what is compared then is the copy.

    \b
    Example:  gonnet verify
              gonnet verify --export last account.pdf
              gonnet verify --copy /backup/2026-11-30
    """
    from gonnet.cli import _open

    if export is not None and copy is not None:
        raise click.UsageError("--export and --copy do not go together")
    with _open.tools_at(workspace) as tools:
        if copy is not None:
            return _copied(tools, copy, as_json=as_json)
        return _compared(tools, export, as_json=as_json)


def _compared(tools: Tools, wanted: tuple[str, str] | None, *, as_json: bool) -> int:
    from gonnet.cli import _show
    from gonnet.pipeline.record import exporting
    from gonnet.pipeline.record.verify import verify as compared

    run = None
    if wanted is not None:
        run = tools.ledger.run(wanted[0])
        exporting.require_form(Path(wanted[1]))
    with _show.progress("Comparing", quiet=as_json) as progress:
        found = compared(tools, progress)
    _tell(found, as_json=as_json)
    if wanted is not None and run is not None:
        written = exporting.export(run, tools, found, Path(wanted[1]))
        if not as_json:
            _show.line(
                f"The account of run {run.id} is in {written.account}; it holds addresses, and only you may read it."
            )
        if written.signature is not None and not as_json:
            _show.line(f"Its signature is in {written.signature}.")
    return _exit.ATTENTION if found.faults else _exit.DONE


def _copied(tools: Tools, folder: Path, *, as_json: bool) -> int:
    from gonnet.cli import _show
    from gonnet.pipeline.record.copying import copy

    with _show.progress("Copying", quiet=as_json) as progress:
        made = copy(tools, folder, progress)
    _tell(made.verdict, as_json=as_json)
    if not as_json:
        _show.line(
            f"The copy is in {made.folder}: {_show.many(made.files + made.kept, 'file')} and the ledger.", "bold"
        )
        if made.is_apart:
            _show.line("Its gonnet.yaml names another place for the record; take `folder` and `store` of `ledger` out.")
        left_out = "The key of its seals is not in it: keep that apart"
        if made.without_passwords:
            left_out = "The key of its seals and .env, with the passwords, are not in it: keep them apart"
        _show.line(f"{left_out} (docs/auditing.md).", "bright_black")
    return _exit.ATTENTION if made.verdict.faults else _exit.DONE


def _tell(found: Verdict, *, as_json: bool) -> None:
    from gonnet.cli import _show

    if as_json:
        said = asdict(found) | {"faults": [fault._asdict() for fault in found.faults]}
        click.echo(json.dumps(said, ensure_ascii=False, indent=2))
        return
    for fault in found.faults[:_SHOWN]:
        _show.console().print(_show.state("attention", f"! {fault.where}: {fault.what}"), soft_wrap=True)
    if len(found.faults) > _SHOWN:
        _show.line(f"  … and {len(found.faults) - _SHOWN:,} more; `gonnet verify --json` has them all")
    counted = [(found.events, "event"), (found.runs, "run"), (found.packages, "package"), (found.files, "kept file")]
    _show.line(f"Compared: {', '.join(_show.many(number, noun) for number, noun in counted)}.")
    for number, noun, what in (
        (found.older, "package", "older than the chain of events, which does not say what they are made of"),
        (found.unsealed, "package", "sealed with a key that is not on this machine; their seals were not checked"),
        (found.removed, "file", "removed by `gonnet tidy`"),
    ):
        if number:
            _show.line(f"{_show.many(number, noun)}: {what}.", "bright_black")
    if found.faults:
        _show.line(f"The record is not what was written: {_show.many(len(found.faults), 'fault')}.", "bold")
        return
    _show.line("The record is whole: everything is as it was written.", "bold")
    if found.head:
        _show.line(f"Last event: {found.head}")
        _show.line("Keep this digest elsewhere, to compare with later.", "bright_black")
