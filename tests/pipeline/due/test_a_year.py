"""A year over a calendar of every kind, against dates worked out by hand with dateutil; eight months of it are run."""

from __future__ import annotations

import datetime as dt
import itertools
from collections.abc import Callable, Iterator

import pytest
from dateutil import tz
from dateutil.rrule import rrulestr
from holidays import country_holidays

from gonnet.calendar import due_between
from gonnet.calendar.workdays import public_holidays
from gonnet.jobs import load_workspace
from gonnet.jobs.calendar import Entry
from gonnet.ledger.calendar import OccurrenceState
from gonnet.pipeline.due.calendars import Calendars, house_of
from gonnet.pipeline.due.rounds import go_round
from gonnet.pipeline.tools import open_tools
from support import Dairy

pytestmark = pytest.mark.takes_long

BEGIN = dt.datetime(2027, 7, 1, tzinfo=dt.UTC)  # until 30 June 2028: both changes of the clocks, and a leap day
END = dt.datetime(2028, 7, 1, tzinfo=dt.UTC)
RUN_UNTIL = dt.datetime(2028, 3, 2, tzinfo=dt.UTC)
ZONE = tz.gettz("Europe/Lisbon")  # dateutil counts Dublin, whose winter time is the exception, wrongly
IRISH = country_holidays("IE")
DATES = {
    "{every: monday, at: '08:00', from: 2027-10-01, until: 2027-11-30}": "FREQ=WEEKLY;BYDAY=MO",
    "{every: last day of the month, at: '18:00'}": "FREQ=MONTHLY;BYMONTHDAY=-1",
    "{every: 31 of the month, at: '06:30', short_month: leave out}": "FREQ=MONTHLY;BYMONTHDAY=31",
    "{every: 30 of the month, at: '06:45', short_month: last day}": "FREQ=MONTHLY;BYMONTHDAY=28,29,30;BYSETPOS=-1",
    "{every: first monday of the quarter, at: '09:00'}": "FREQ=MONTHLY;BYMONTH=1,4,7,10;BYDAY=1MO",
    "{every: last day of the year, at: '23:30'}": "FREQ=YEARLY;BYMONTH=12;BYMONTHDAY=31",
    "{every: 29 february, at: '12:00', short_month: last day}": "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=-1",
    "{every: last friday of the half-year, at: '07:00'}": "FREQ=MONTHLY;BYMONTH=6,12;BYDAY=-1FR",
    "{rule: 'FREQ=MONTHLY;INTERVAL=2;BYDAY=-1FR', from: 2027-07-01, at: '16:00'}": "FREQ=MONTHLY;BYMONTH=1,3,5,7,9,11;BYDAY=-1FR",
    "{rule: 'FREQ=YEARLY;BYMONTH=3,10;BYDAY=-1SU', at: ['01:30', '02:30']}": "FREQ=YEARLY;BYMONTH=3,10;BYDAY=-1SU",
    "{every: 45 of the quarter, at: '10:00', from: 2027-09-01, until: 2028-03-01}": "",
    "{every: working day 3 of the quarter, at: '05:00'}": "",
    "{every: last working day of the quarter, at: '17:00'}": "",
    "{every: 15 of the month, at: '11:00', on_weekend: next working day, on_holiday: next working day}": "",
    "{every: 17 march, at: '09:30', on_holiday: previous working day, on_weekend: previous working day}": "",
    "{every: 25 december, at: '09:30', on_holiday: skip}": "",
}


def is_working(day: dt.date) -> bool:
    return day.weekday() < 5 and day not in IRISH


def moved(day: dt.date, step: int) -> dt.date:
    while not is_working(day):
        day += dt.timedelta(days=step)
    return day


def days() -> Iterator[dt.date]:
    return (BEGIN.date() + dt.timedelta(days=at) for at in range((END - BEGIN).days))


def quarters(at: int) -> list[dt.date]:
    found = itertools.groupby(days(), key=lambda day: (day.year, (day.month - 1) // 3))
    return [[day for day in of if is_working(day)][at] for _, of in found]


BY_HAND: dict[str, Callable[[], list[dt.date]]] = {
    "45 of the quarter": lambda: [dt.date(2027, 11, 14), dt.date(2028, 2, 14)],
    "working day 3 of": lambda: quarters(2),
    "last working day": lambda: quarters(-1),
    "15 of the month": lambda: [moved(day, 1) for day in days() if day.day == 15],
    "17 march": lambda: [moved(dt.date(2028, 3, 17), -1)],
    "25 december": lambda: [],
}


def worked_out(says: str, entry: Entry) -> list[dt.datetime]:
    """The moments in UTC, by other means than the program's."""
    by_hand = next((make for words, make in BY_HAND.items() if words in says), None)
    if by_hand is not None:
        dates = by_hand()
    else:
        start = BEGIN.replace(tzinfo=None) - dt.timedelta(days=400)
        found = rrulestr(DATES[says], dtstart=start).between(start, END.replace(tzinfo=None), inc=True)
        dates = [moment.date() for moment in found]
    local = [tz.resolve_imaginary(dt.datetime.combine(day, at, ZONE)) for day in dates for at in entry.at]
    first, end = (dt.datetime.combine(day, dt.time(), ZONE) if day else None for day in (entry.since, entry.until))
    local = [one for one in local if (not first or one >= first) and (not end or one < end + dt.timedelta(days=1))]
    return sorted({moment.astimezone(dt.UTC) for moment in local if BEGIN < moment.astimezone(dt.UTC) <= END})


@pytest.fixture
def farm(dairy: Dairy) -> Dairy:
    """A dairy with a file for each farm and run, and nobody to write to."""
    dairy.write("gonnet.yaml", "time_zone: Europe/Lisbon\nholidays: IE\nfolders: {archive: {path: archive}}\n")
    calendar = "calendar:\n" + "".join(f"  - {says}\n" for says in DATES)
    dairy.write(
        "jobs/files.yaml",
        "title: Milk of the farms\ndata: {milk: {file: milk.csv}}\nsplit: {rows: milk, by: farm_no}\n"
        "reports: {rows: {title: Milk, blocks: [{table: {columns: [{field: litres}]}}]}}\n"
        'package: {documents: [{report: rows, as: csv}], name: "{{ key }} {{ run.date }}"}\n'
        "deliver: [{folder: {root: archive, path: '{{ run.date }}'}}]\nonce_per: '{{ run.date }}'\n" + calendar,
    )
    dairy.write("milk.csv", "farm_no,litres\n117,800\n")
    (dairy.folder / "jobs/statements.yaml").unlink()
    return dairy


def test_every_date_is_that_which_its_words_say_and_each_is_run_once(farm: Dairy) -> None:
    clock = [BEGIN]
    with open_tools(load_workspace(farm.folder), 1, clock=lambda: clock[0]) as tools:
        calendars, house = Calendars(tools), house_of(tools)
        (job,) = calendars.all()
        expected = set()
        for says, line in zip(DATES, job.lines, strict=True):
            wanted = worked_out(says, line.entry)
            assert [due.moment for due in due_between(line.entry, house, BEGIN, END)] == wanted, says
            expected |= {(line.entry.called, moment) for moment in wanted if moment <= RUN_UNTIL}
        steps = itertools.cycle(dt.timedelta(hours=hours) for hours in (19, 0, 51, 3, 66, 0.1))  # a machine that sleeps
        go_round(calendars)
        while clock[0] < RUN_UNTIL:
            clock[0] = min(clock[0] + next(steps), RUN_UNTIL)
            go_round(calendars)
        ended = tools.ledger.occurrences.since(BEGIN)
        runs = tools.ledger.all_runs()
    assert {(one.entry, one.due) for one in ended} == expected
    assert len(ended) == len(expected) == len(runs) > 50
    assert {one.tries for one in ended} == {1}
    assert {one.state for one in ended} <= {OccurrenceState.SENT, OccurrenceState.NOTHING}
    assert {one.run for one in ended} == {run.id for run in runs}
    first = {run.as_of for run in runs}
    assert len(list((farm.folder / "archive").rglob("*.csv"))) == len(first)  # two of a day: the second sends nothing


def test_holidays_are_those_of_the_workspace() -> None:
    assert public_holidays("IE")(dt.date(2028, 3, 17))
    assert not public_holidays(None)(dt.date(2028, 3, 17))
