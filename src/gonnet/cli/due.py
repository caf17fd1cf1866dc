"""`gonnet due`."""

from __future__ import annotations

import datetime as dt
from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _completing, _exit, _options

if TYPE_CHECKING:
    from gonnet.pipeline.due.calendars import Calendars
    from gonnet.pipeline.tools import Tools

_WAYS = ("run", "stay", "timer", "rehearse")


@click.command(short_help="See and run what is due by the calendar.")
@click.argument("job", required=False, shell_complete=_completing.jobs)
@click.option(
    "--run", "run_it", is_flag=True, help="Run what is due, and end. Let the system call this every few minutes."
)
@click.option("--stay", is_flag=True, help="The same as a service that stays in the foreground.")
@click.option("--timer", is_flag=True, help="Print what cron or systemd is given to call it.")
@click.option("--days", type=click.IntRange(1, 3660), help="List everything that is due in so many days.")
@click.option(
    "--ics", type=click.Path(dir_okay=False, path_type=Path), help="Write that as iCalendar, for your own calendar."
)
@click.option(
    "--rehearse", is_flag=True, help="Go through one date of JOB as it would happen then; it counts for nothing."
)
@click.option("--at", "moment", metavar="WHEN", callback=_options.as_moment, help="With --rehearse: from when on.")
@click.option("--trial", multiple=True, metavar="ADDRESS", help="With --rehearse: send its messages to this address.")
@_options.workspace_option
@_options.json_option
@_options.quiet_option
def due(
    job: str | None,
    run_it: bool,
    stay: bool,
    timer: bool,
    days: int | None,
    ics: Path | None,
    rehearse: bool,
    moment: dt.datetime | None,
    trial: tuple[str, ...],
    workspace: Path | None,
    as_json: bool,
    quiet: bool,
) -> int:
    """See what is due now and what comes next, and why something is not due. With --run: run what is due.

    \b
    Example:  gonnet due
              gonnet due --run
              gonnet due statements --rehearse --trial me@tarnvale.example
              gonnet due --timer
    """
    from gonnet.cli import _open

    chosen = [name for name, is_on in zip(_WAYS, (run_it, stay, timer, rehearse), strict=True) if is_on]
    if len(chosen) > 1:
        raise click.UsageError(f"--{chosen[0]} and --{chosen[1]} exclude each other")
    if as_json and (stay or timer or rehearse or days is not None or ics is not None):
        raise click.UsageError("--json goes with the list and with --run")
    if (moment is not None or trial) and not rehearse:
        raise click.UsageError("--at and --trial go with --rehearse")
    if rehearse and job is None:
        raise click.UsageError("--rehearse needs a job: gonnet due JOB --rehearse")
    if timer:
        return _timer(_open.workspace_at(workspace).folder)
    if run_it and job is None:
        return _run_all(workspace, quiet=quiet, as_json=as_json)
    with _open.tools_at(workspace) as tools:
        from gonnet.pipeline.due.calendars import Calendars

        calendars = Calendars(tools, only=job)
        if rehearse and job is not None:
            return _rehearse(job, moment, trial, tools)
        if run_it:
            return _run(calendars, quiet=quiet, as_json=as_json)[0]
        if stay:
            return _stay(calendars, quiet=quiet)
        if ics is not None or days is not None:
            return _coming(calendars, days or 366, ics)
        return _look(calendars, as_json=as_json)


def _look(calendars: Calendars, *, as_json: bool) -> int:
    from gonnet.cli import _due, _show
    from gonnet.pipeline.due.outlook import outlook

    tools = calendars.tools
    found, untold = outlook(calendars), tools.ledger.notices.untold()
    if as_json:
        _due.as_json(found, untold)
    else:
        _due.listed(found, tools)
        _due.untold(untold, tools)
        if any(str(one.standing) == "new" for one in found):
            _show.next_steps(("gonnet due --timer", "let the system call `gonnet due --run` every few minutes"))
    broken = [one.trouble for one in calendars.all() if one.trouble is not None]
    for error in broken if not as_json else ():
        _exit.tell(error)
    wrong = untold or broken
    return _exit.ATTENTION if wrong else _exit.DONE


def _run_all(workspace: Path | None, *, quiet: bool, as_json: bool) -> int:
    from gonnet.cli import _open
    from gonnet.pipeline.due import resting

    now = dt.datetime.now().astimezone()
    if resting.is_at_rest(workspace or Path.cwd(), now):
        return _nothing(quiet=quiet, as_json=as_json)
    with _open.tools_at(workspace) as tools:
        from gonnet.pipeline.due.calendars import Calendars

        folder = tools.workspace.folder
        code, until = _run(Calendars(tools), quiet=quiet, as_json=as_json)
    resting.note_rest(folder, now, until)
    return code


def _nothing(*, quiet: bool, as_json: bool) -> int:
    import json

    from gonnet.cli import _show

    if as_json:
        click.echo(json.dumps({"occurrences": [], "troubles": [], "notices": []}, indent=2))
    elif not quiet:
        _show.line("Nothing is due.")
        _show.next_steps(("gonnet due", "see what comes next"))
    return _exit.DONE


def _run(calendars: Calendars, *, quiet: bool, as_json: bool) -> tuple[int, dt.datetime | None]:
    import json

    from gonnet.cli import _due, _show, _signals
    from gonnet.pipeline.due.rounds import go_round

    tools = calendars.tools
    is_silent = quiet or as_json
    with _signals.ending(tools.stop):
        found = go_round(
            calendars,
            begin=lambda one: None if is_silent else _due.began(one),
            tell=lambda came: None if as_json or (quiet and not came.occurrence.state.is_wrong) else _due.ended(came),
        )
    if as_json:
        objects = [_due.occurrence_object(came.occurrence) for came in found.came]
        notices = [{"subject": one.notice.subject, "text": one.notice.text} for one in found.unheard]
        said = {"occurrences": objects, "troubles": list(found.troubles), "notices": notices}
        click.echo(json.dumps(said, ensure_ascii=False, indent=2))
    else:
        for text in found.troubles:
            _show.console().print(_show.state("attention", f"! {text}"), soft_wrap=True)
        for record in found.unheard:
            _due.unheard(record)
        if not found.came:
            _nothing(quiet=quiet, as_json=False)
    code = _due.code_of(found.came, [*found.troubles, *(record.notice.subject for record in found.unheard)])
    return code, found.rests_until


def _stay(calendars: Calendars, *, quiet: bool) -> int:
    from gonnet.cli import _due, _show, _signals
    from gonnet.pipeline.due.service import stay

    with _signals.ending(calendars.tools.stop):
        stay(
            calendars,
            begin=lambda one: None if quiet else _due.began(one),
            tell=lambda came: None if quiet and not came.occurrence.state.is_wrong else _due.ended(came),
            trouble=lambda text: _show.console().print(_show.state("attention", f"! {text}"), soft_wrap=True),
        )
    return _exit.DONE


def _timer(folder: Path) -> int:
    from gonnet.pipeline.due.timer import crontab_line, units

    click.echo("# One of these is enough. For cron, as a line of `crontab -e`:\n")
    click.echo(crontab_line(folder))
    click.echo("\n# For systemd, as files in ~/.config/systemd/user; either the first two,")
    click.echo("# then `systemctl --user enable --now` with the name of the timer, or the last one:")
    for unit in units(folder):
        click.echo(f"\n# {unit.name}\n{unit.text}", nl=False)
    return _exit.DONE


def _coming(calendars: Calendars, days: int, ics: Path | None) -> int:
    from gonnet.cli import _due, _show
    from gonnet.pipeline.due.outlook import coming, write_events

    found = coming(calendars, days)
    if ics is None:
        _due.coming(found, days, calendars.tools)
    else:
        write_events(found, calendars, ics)
        _show.line(f"{_show.many(len(found), 'date')} of the next {_show.many(days, 'day')} are in {ics}.")
    return _exit.DONE


def _rehearse(job: str, moment: dt.datetime | None, trial: tuple[str, ...], tools: Tools) -> int:
    from gonnet.cli import _due, _show
    from gonnet.pipeline.attention import wants_attention
    from gonnet.pipeline.due.rehearsal import rehearse
    from gonnet.recipients.addresses import NotAnAddressError, parse

    try:
        addresses = parse("; ".join(trial)) if trial else ()
    except NotAnAddressError as error:
        raise click.BadParameter(f"'{'; '.join(trial)}' is not an address: {error}", param_hint="--trial") from error
    at = moment.replace(tzinfo=tools.workspace.zone) if moment is not None else tools.clock()
    with _show.progress("Preparing", quiet=False) as told:
        found = rehearse(job, at, addresses, tools, told)
    _due.rehearsed(found, ", ".join(address.mailbox for address in addresses), tools)
    return _exit.ATTENTION if wants_attention(found.run) else _exit.DONE
