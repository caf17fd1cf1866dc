"""The story of one occurrence: wait → prepare → send → tell. It goes on where it was cut off, and is run once.

Nobody is at the keyboard: what goes wrong becomes the state of the occurrence and a notice, never an exception.
"""

from __future__ import annotations

import datetime as dt
import traceback
from dataclasses import dataclass

from gonnet.errors import AbsentError, BusyError, GonnetError, JobError, RunError, StorageError, UnreachableError, typed
from gonnet.findings import Weight
from gonnet.jobs import Job, load_job
from gonnet.jobs.calendar import Entry
from gonnet.ledger import RunRecord, State
from gonnet.ledger.calendar import Notice, OccurrenceRecord, OccurrenceState
from gonnet.pipeline.attention import wants_attention
from gonnet.pipeline.due import telling
from gonnet.pipeline.due.calendars import entry_of
from gonnet.pipeline.due.triggers import latest, look
from gonnet.pipeline.prepare import prepare
from gonnet.pipeline.send import Sent, Wish, send
from gonnet.pipeline.sending.approving import Lacking, Needed
from gonnet.pipeline.sending.choosing import choose
from gonnet.pipeline.sending.gate import quiet_until
from gonnet.pipeline.survey import Request
from gonnet.pipeline.tools import Tools

_LONGEST = dt.timedelta(days=1)  # between two tries
_CUT_OFF = 20  # times that an occurrence may be cut off before it counts as failed
_AGAIN = (UnreachableError, AbsentError, BusyError, StorageError)


@dataclass(frozen=True, slots=True, kw_only=True)
class Came:
    """What an occurrence came to.

    Attributes:
        occurrence: The occurrence, as it is now.
        is_begun: Whether anything of it was done; not where it waits, or another process is at it.
        error: What went wrong, or None.
        is_defect: Whether it is a defect of ours.
    """

    occurrence: OccurrenceRecord
    is_begun: bool = True
    error: GonnetError | None = None
    is_defect: bool = False


def run_occurrence(number: int, tools: Tools) -> Came:
    """Run an occurrence, or go on with it; what it came to.

    Raises:
        StorageError: the ledger cannot be written: nothing of it is known, and it is tried again.
    """
    occurrence = tools.ledger.occurrences.one(number)
    with tools.ledger.rights.alone_with(occurrence.job) as is_alone:
        occurrence = tools.ledger.occurrences.one(number)  # as it is now that nobody else is at it
        if not is_alone or not occurrence.state.is_open or not _is_time(occurrence, tools):
            return Came(occurrence=occurrence, is_begun=False)
        entry: Entry | None = None
        try:
            entry = entry_of(occurrence.says)
            return _begun(occurrence, entry, tools)
        except GonnetError as error:
            return _failed(number, entry, error, tools)
        except OSError as error:
            said = StorageError(f"{error.strerror or error}", where=str(error.filename or ""), fix="Check the disk")
            return _failed(number, entry, said, tools)
        except Exception as error:  # noqa: BLE001  the others that are due must not wait for our defect
            return _defect(number, entry, error, tools)


def _is_time(occurrence: OccurrenceRecord, tools: Tools) -> bool:
    return occurrence.next_try is None or occurrence.next_try <= tools.clock()


def _begun(occurrence: OccurrenceRecord, entry: Entry, tools: Tools) -> Came:
    ledger = tools.ledger.occurrences
    quiet = quiet_until(tools)
    if quiet is not None and entry.do == "send":
        ledger.later(occurrence.id, f"nothing leaves before {quiet:%H:%M}", quiet)
        return Came(occurrence=ledger.one(occurrence.id), is_begun=False)
    if occurrence.job in tools.ledger.pauses.on(tools.today()):
        return Came(occurrence=occurrence, is_begun=False)
    if occurrence.tries >= max(entry.tries, _CUT_OFF):
        raise RunError(
            f"it was cut off {occurrence.tries} times before it was done", fix="Run it by hand, and look why"
        )
    run, mark = tools.ledger.run_of_occurrence(occurrence.id), ""
    if not occurrence.tries and entry.waits_for is not None and entry.is_dated:
        mark, came = _waited(occurrence, entry, tools)
        if came is not None:
            return came
    ledger.begin(occurrence.id, tools.clock(), mark)
    tools.log.say("occurrence begun", occurrence=occurrence.id, job=occurrence.job)
    if not tools.workspace.job_path(occurrence.job).is_file():
        fix = "Put it back, if that was not meant; nothing more is due of it"
        raise JobError("this file is gone", where=f"jobs/{occurrence.job}.yaml", fix=fix)
    job = load_job(tools.workspace, occurrence.job)
    entry = next((one for one in job.file.calendar if one.called == occurrence.entry), entry)  # as it says by now
    if run is None:
        run = _prepared(job, occurrence, entry, tools)
    lacking = Needed(run, tools).lacking()
    if entry.do == "prepare" or lacking is not None:
        return _to_review(occurrence, entry, run, tools, lacking)
    return _sent(occurrence, entry, send(run, tools, Wish(is_told=False)), tools)


def _waited(occurrence: OccurrenceRecord, entry: Entry, tools: Tools) -> tuple[str, Came | None]:
    """The mark of what an occurrence waits for, and what comes of it where that has not come."""
    assert entry.waits_for is not None
    ledger = tools.ledger.occurrences
    record = next(
        (one for one in tools.ledger.entries.all() if (one.job, one.name) == (occurrence.job, occurrence.entry)), None
    )
    found = look(entry.waits_for, record.mark if record else "", tools, f"jobs/{occurrence.job}.yaml")
    if found.is_met:
        return found.mark, None
    end = latest(entry.waits_for, occurrence.due, tools)
    if end is not None and tools.clock() >= end:
        notice = telling.absent(occurrence, entry, found.why, tools)
        ledger.end(occurrence.id, OccurrenceState.ABSENT, found.why, tools.clock(), notice)
        return "", Came(occurrence=ledger.one(occurrence.id))
    ledger.later(occurrence.id, f"waits: {found.why}", None)
    return "", Came(occurrence=ledger.one(occurrence.id), is_begun=False)


def _prepared(job: Job, occurrence: OccurrenceRecord, entry: Entry, tools: Tools) -> RunRecord:
    request = Request(as_of=occurrence.date, asked=entry.set, only=entry.only, occurrence=occurrence.id)
    return prepare(job, tools, request)


def _to_review(
    occurrence: OccurrenceRecord, entry: Entry, run: RunRecord, tools: Tools, lacking: Lacking | None
) -> Came:
    if _is_nothing(run, tools):
        return _over(occurrence, entry, run, OccurrenceState.NOTHING, "nothing is to be sent", tools)
    reason = f"run {run.id} is prepared and waits for somebody to review and send it"
    if lacking is not None:
        reason += f"; {lacking}, by `{typed('approve', run.id)}`"
    return _over(occurrence, entry, run, OccurrenceState.TO_REVIEW, reason, tools)


def _is_nothing(run: RunRecord, tools: Tools) -> bool:
    if wants_attention(run) or (State.READY in run.counts and not tools.ledger.extent(run.id)[1]):
        return False  # what delivers nothing is there to be looked at
    return State.READY not in run.counts or not choose(run, tools).packages


def _sent(occurrence: OccurrenceRecord, entry: Entry, sent: Sent, tools: Tools) -> Came:
    ledger = tools.ledger.occurrences
    if sent.interrupted is not None:
        raise sent.interrupted
    if tools.stop.asked:
        ledger.later(occurrence.id, "stopped by hand; it goes on", None, counts=False)
        return Came(occurrence=ledger.one(occurrence.id))
    if sent.is_shared:  # what became of it is known when the last of them has ended
        ledger.later(occurrence.id, "others are still sending it", None, counts=False)
        return Came(occurrence=ledger.one(occurrence.id))
    quiet = quiet_until(tools)
    if sent.report is not None and sent.report.ended and quiet is not None:
        ledger.later(occurrence.id, f"nothing leaves before {quiet:%H:%M}; it goes on then", quiet, counts=False)
        return Came(occurrence=ledger.one(occurrence.id))
    if sent.report is not None and sent.report.ended:
        return _over(occurrence, entry, sent.run, OccurrenceState.ATTENTION, sent.report.ended, tools)
    if sent.wants_attention:
        reason = "; ".join([*_open_matters(sent.run), *sent.troubles])
        return _over(occurrence, entry, sent.run, OccurrenceState.ATTENTION, reason, tools)
    if not sent.run.handed and not sent.states:
        return _over(occurrence, entry, sent.run, OccurrenceState.NOTHING, "nothing was to be sent", tools)
    count = sent.run.counts.get(State.SENT, 0)
    return _over(occurrence, entry, sent.run, OccurrenceState.SENT, f"{count:,} sent", tools)


def _open_matters(run: RunRecord) -> list[str]:
    wanting = [
        f"{run.counts[state]:,} {state}" for state in (State.UNSURE, State.FAILED, State.HELD) if state in run.counts
    ]
    found = [text for weight, text in run.findings if weight == Weight.ATTENTION]
    return wanting or found[:1] or ["something of it wants attention"]


def _over(
    occurrence: OccurrenceRecord, entry: Entry, run: RunRecord, state: OccurrenceState, reason: str, tools: Tools
) -> Came:
    notice = telling.of_run(occurrence, entry, run, reason, tools) if telling.wants_to_be_told(state, tools) else None
    tools.ledger.occurrences.end(occurrence.id, state, reason, tools.clock(), notice)
    tools.log.say("occurrence ended", occurrence=occurrence.id, run=run.id, state=str(state))
    return Came(occurrence=tools.ledger.occurrences.one(occurrence.id))


def _failed(number: int, entry: Entry | None, error: GonnetError, tools: Tools) -> Came:
    """It is tried again where that may help, else it failed."""
    ledger = tools.ledger.occurrences
    occurrence = ledger.one(number)
    if entry is not None and isinstance(error, _AGAIN) and occurrence.tries < entry.tries:
        pause = min(entry.pause * 2 ** max(occurrence.tries - 1, 0), _LONGEST)
        ledger.later(number, error.what, tools.clock() + pause)
        return Came(occurrence=ledger.one(number), error=error)
    if not tools.workspace.job_path(occurrence.job).is_file():
        tools.ledger.entries.forget(occurrence.job)  # told once; nothing more of it is due
    notice = telling.failed(occurrence, entry, error, tools)
    return _ended(occurrence, error, notice, tools)


def _defect(number: int, entry: Entry | None, error: Exception, tools: Tools) -> Came:
    text = "".join(traceback.format_exception(error))
    place = tools.workspace.kept / "defects.txt"
    said = GonnetError(
        f"a defect of Gonnet stopped it: {type(error).__name__}",
        where=str(place),
        fix=f"Send this file to those who look after Gonnet; then `{typed('show', 'last')}` shows what was done",
    )
    try:
        with place.open("a", encoding="utf-8") as file:
            file.write(f"{tools.clock().isoformat()} occurrence {number}\n{text}\n")
        place.chmod(0o600)
    except OSError:
        pass
    occurrence = tools.ledger.occurrences.one(number)
    came = _ended(occurrence, said, telling.failed(occurrence, entry, said, tools), tools)
    return Came(occurrence=came.occurrence, error=said, is_defect=True)


def _ended(occurrence: OccurrenceRecord, error: GonnetError, notice: Notice, tools: Tools) -> Came:
    ledger = tools.ledger.occurrences
    what = "; ".join(str(one.what) for one in error.mistakes)
    where = f"{error.where}: " if error.where else ""
    ledger.end(occurrence.id, OccurrenceState.FAILED, f"{where}{what}", tools.clock(), notice)
    tools.log.say("occurrence failed", occurrence=occurrence.id, kind=type(error).__name__)
    return Came(occurrence=ledger.one(occurrence.id), error=error)
