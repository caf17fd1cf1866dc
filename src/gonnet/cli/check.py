"""`gonnet check`."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _completing, _exit, _options
from gonnet.errors import typed

if TYPE_CHECKING:
    from gonnet.jobs import Job
    from gonnet.pipeline.check import Checked
    from gonnet.pipeline.checking.kept_lists import KeptList


@click.command(short_help="Look at a job and its data before anything is made.")
@click.argument("job", shell_complete=_completing.jobs)
@_options.asked_options
@_options.only_option
@click.option("--sample", type=click.IntRange(min=1), metavar="N", help="Read only N rows of each query to a database.")
@click.option("--servers", is_flag=True, help="Say hello to the mail servers too: certificate, login, no message.")
@click.option("--list", "kept", is_flag=True, help="Only the list that people keep: who would get what, and mistakes.")
@_options.workspace_option
@_options.json_option
@_options.quiet_option
def check(
    job: str,
    asked: dict[str, str],
    as_of: dt.date | None,
    only: tuple[str, ...],
    sample: int | None,
    servers: bool,
    kept: bool,
    workspace: Path | None,
    as_json: bool,
    quiet: bool,
) -> int:
    """Look at a job and its data before anything is made: every name in it, every text, every key.

    With --sample it opens every database and times every query on a few rows only. It then looks only at the keys of
    these rows.

    \b
    Example:  gonnet check statements
              gonnet check statements --servers
              gonnet check regions --list
    """
    from gonnet.cli import _open

    with _open.tools_at(workspace) as tools:
        from gonnet.jobs import load_job
        from gonnet.pipeline.check import check as checked
        from gonnet.pipeline.checking.kept_lists import kept_lists
        from gonnet.pipeline.survey import Request

        read = load_job(tools.workspace, job)
        given = _open.complete(read, tools, asked)
        request = Request(as_of=as_of or tools.today(), asked=given, only=only, sample=sample)
        found = checked(read, tools, request, greets=servers)
        lists = kept_lists(read, found.survey) if kept else ()
    if kept:
        return _kept_lists(job, lists, as_json=as_json)
    if as_json:
        _as_json(read, found)
    else:
        _tell(read, found, tools.workspace.zone, quiet=quiet)
    return _exit.ATTENTION if found.wants_attention else _exit.DONE


def _kept_lists(job: str, lists: Sequence[KeptList], *, as_json: bool) -> int:
    """Tell of the lists that people keep; the exit code."""
    from gonnet.cli import _show

    has_mistakes = any(one.findings for one in lists)
    if as_json:
        told = [
            {
                "file": one.file,
                "circle": one.circle,
                "readers": [reader._asdict() for reader in one.readers],
                "findings": [finding.text for finding in one.findings],
            }
            for one in lists
        ]
        click.echo(json.dumps(told, ensure_ascii=False, indent=2))
        return _exit.ATTENTION if has_mistakes else _exit.DONE
    for one in lists:
        _show.line(f"{one.file}, {one.circle}: {_show.many(len(one.readers), 'package')}", "bold")
        table = _show.table(
            ("Line", "right"),
            ("Name", 24),
            ("May see", 40),
            ("Keys", "right"),
            ("Rows", "right"),
            ("Gets", 44),
            ("Way", 14),
            "State",
        )
        for reader in one.readers:
            gets = ", ".join(reader.documents) or ("nothing" if not reader.rows else "a message")
            seen = "; ".join(reader.sees).rpartition(", ")[0] or "nothing"
            counts = (f"{reader.keys:,}", f"{reader.rows:,}")
            state = _show.state(reader.state)
            _show.rows(table, [(str(reader.line), reader.name, seen, *counts, gets, ", ".join(reader.ways), state)])
        _show.show(table, least=("Way", "Rows", "Gets", "May see"))
        for finding in one.findings:
            _show.console().print(_show.state("attention", f"! {finding.text}"), soft_wrap=True)
    if has_mistakes:
        _show.next_steps((typed("check", job, "--list"), "again, when the workbook is corrected and saved"))
    else:
        _show.line("Every cell of it can be meant.")
        _show.next_steps((typed("check", job), "the job and its data as a whole"))
    return _exit.ATTENTION if has_mistakes else _exit.DONE


def _as_json(job: Job, checked: Checked) -> None:
    found, findings = checked.survey, checked.findings
    states = {str(state): count for state, count in found.plans.states.items()}
    click.echo(
        json.dumps(
            {
                "job": job.name,
                "data": dict(checked.tables),
                "seconds": {name: round(seconds, 3) for name, seconds in found.seconds.items()},
                "parameters": found.values.recorded(),
                "keys": len(found.counts),
                "states": states,
                "findings": [{"weight": str(f.weight), "text": f.text, "key": f.key} for f in findings],
            },
            ensure_ascii=False,
            indent=2,
        )
    )


def _tell(job: Job, checked: Checked, zone: dt.tzinfo, *, quiet: bool) -> None:
    from gonnet.cli import _report, _show
    from gonnet.pipeline.check import MOST_HELD

    found = checked.survey
    pairs = [(str(finding.weight), finding.text) for finding in checked.findings]
    if not quiet:
        _show.line(f"{job.path.as_posix()}: {job.file.title}", "bold")
        for name, value in found.values.recorded().items():
            _show.line(f"  {name:<14} {value}")
        for name, count in checked.tables.items():
            _show.line(f"  {name:<14} {_show.many(count, 'row')} in {found.seconds[name]:.2f} s")
        for note in found.notes:
            _show.line(f"  {note}", "bright_black")
        for name, moment in checked.coming:
            said = f"next {moment.astimezone(zone):%a %d %b %Y %H:%M}" if moment is not None else "when its data come"
            _show.line(f"  {'calendar':<14} {name}: {said}")
        told = ", ".join(f"{count:,} {state}" for state, count in found.plans.states.items()) or "no packages"
        bundles = found.plans.bundles
        more = f"; {_show.many(bundles, 'bundle')} among them" if bundles else ""
        _show.line(f"  {'packages':<14} {told}{more}")
    for plan in checked.held:
        _show.stated("held", f"{plan.key}  {plan.addressed.name[:36]}: {plan.decision.reason}", indent="! ")
    if len(checked.held) == MOST_HELD:
        _show.line(f"  `{typed('keys', job.name, '--state', 'held')}` has all that would be held")
    _report.findings(pairs, attention_only=quiet, whole=typed("check", job.name, "--json"))
    if not quiet:
        _show.line("Every name in the job is known.")
        _show.next_steps((typed("prepare", job.name), "make every package; contacts nobody"))
