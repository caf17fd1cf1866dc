"""Between two due dates a round looks at the clock and at a few files, and never takes anything due for nothing."""

from __future__ import annotations

import datetime as dt
import os
import subprocess
import sys
from collections.abc import Callable

import pytest

from gonnet.jobs import load_workspace
from gonnet.ledger.calendar import Notice
from gonnet.pipeline.due.calendars import Calendars, house_of
from gonnet.pipeline.due.resting import is_at_rest, note_rest
from gonnet.pipeline.due.rounds import go_round
from gonnet.pipeline.tools import open_tools
from support import JOB, SETTINGS, Dairy

DAWN = dt.datetime(2026, 11, 30, 6, tzinfo=dt.UTC)
MONDAYS, WAITING = "{every: monday, at: '08:00'}", "{waits_for: {file: milk.csv}}"


def job(dairy: Dairy, entry: str = MONDAYS) -> None:
    dairy.write("jobs/statements.yaml", f"{JOB}calendar: [{entry}]\n")


def rests(
    dairy: Dairy, now: dt.datetime, do: Callable[[Calendars], object] = lambda _calendars: None
) -> dt.datetime | None:
    """Until when a round leaves nothing to do, as it notes it; after something that was done in the ledger."""
    with open_tools(load_workspace(dairy.folder), 1, clock=lambda: now) as tools:
        calendars = Calendars(tools)
        do(calendars)
        until = go_round(calendars).rests_until
    note_rest(dairy.folder, now, until)
    return until


@pytest.mark.parametrize(
    ("at", "until"),
    [
        (DAWN, DAWN + dt.timedelta(hours=1)),  # an hour at most
        (DAWN + dt.timedelta(minutes=90), DAWN + dt.timedelta(hours=2)),
    ],
)
def test_nothing_is_due_until_the_next_date_and_an_hour_at_most(
    dairy: Dairy, at: dt.datetime, until: dt.datetime
) -> None:
    job(dairy)
    rests(dairy, DAWN - dt.timedelta(days=1))
    assert rests(dairy, at) == until
    second = dt.timedelta(seconds=1)
    found = [is_at_rest(dairy.folder, when) for when in (at - second, at, until - second, until)]
    assert found == [False, True, True, False]
    assert is_at_rest(dairy.folder / "jobs", at)
    assert rests(dairy, DAWN + dt.timedelta(hours=2)) is None  # something came
    assert not is_at_rest(dairy.folder, at)


@pytest.mark.parametrize(
    "file", ["gonnet.yaml", "jobs/statements.yaml", "jobs/another.yaml", ".env", ".gonnet/ledger.db"]
)
def test_whatever_decides_what_is_due_wakes_it_up(dairy: Dairy, file: str) -> None:
    job(dairy)
    rests(dairy, DAWN)
    assert is_at_rest(dairy.folder, DAWN)
    path = dairy.folder / file
    path.touch()
    os.utime(path, ns=(1, path.stat().st_mtime_ns + 1))
    assert not is_at_rest(dairy.folder, DAWN)


def unheard(calendars: Calendars) -> None:
    calendars.tools.ledger.notices.add(Notice(subject="x", text="y"), None, DAWN)


@pytest.mark.parametrize(
    ("entry", "settings", "do"),
    [
        (WAITING, "", lambda _calendars: None),
        (MONDAYS, "summary: {to: maren@tarnvale.example, from: gonnet@tarnvale.example, when: always}\n", unheard),
    ],
    ids=["it waits for data", "something is unheard"],
)
def test_where_something_may_come_at_any_time_every_round_looks(
    dairy: Dairy, entry: str, settings: str, do: Callable[[Calendars], object]
) -> None:
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + settings)
    job(dairy, entry)
    rests(dairy, DAWN)
    assert rests(dairy, DAWN + dt.timedelta(minutes=5), do) is None


def test_what_is_tried_again_is_waited_for(dairy: Dairy) -> None:
    job(dairy, "{every: monday, at: '08:00', tries: 3, pause: 10 minutes}")
    rests(dairy, DAWN)
    (dairy.folder / "milk.csv").unlink()
    eight = DAWN + dt.timedelta(hours=2)
    assert rests(dairy, eight) is None
    assert rests(dairy, eight + dt.timedelta(minutes=5)) == eight + dt.timedelta(minutes=10)


def test_the_next_date_is_told_anew_when_it_has_passed_when_the_clock_goes_back_and_when_the_job_changes(
    dairy: Dairy,
) -> None:
    job(dairy, "{every: day, at: '08:00'}")
    eight, day, clock = DAWN + dt.timedelta(hours=2), dt.timedelta(days=1), [DAWN]
    with open_tools(load_workspace(dairy.folder), 1, clock=lambda: clock[0]) as tools:
        calendars = Calendars(tools)

        def told() -> list[dt.datetime]:
            return calendars.coming([line.entry for one in calendars.all() for line in one.lines], house_of(tools))

        assert told() == told() == [eight]
        clock[0] = eight
        assert told() == [eight + day]
        clock[0] = DAWN - day
        assert told() == [eight - day]
        job(dairy, "{every: day, at: '09:00'}")
        assert told() == [eight - day + dt.timedelta(hours=1)]


def test_the_program_opens_nothing_while_it_rests(dairy: Dairy) -> None:
    job(dairy, "{every: year, on: 02-29, at: '08:00'}")
    says = "import sys; from gonnet.cli import main; sys.argv = ['gonnet', 'due', '--run']\n"
    says += "try: main()\nexcept SystemExit: print('sqlalchemy' in sys.modules, 'pydantic' in sys.modules)"
    said = [
        subprocess.run(
            [sys.executable, "-c", says], cwd=dairy.folder, capture_output=True, check=True, text=True
        ).stdout
        for _ in range(3)
    ]
    assert [text.splitlines()[0] for text in said] == ["Nothing is due."] * 3
    assert [text.splitlines()[-1] for text in said[1:]] == ["False False"] * 2
    assert said[0].splitlines()[-1] == "True True"
