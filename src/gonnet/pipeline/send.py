"""The story of a send: doubt → choose → ask → hand over → write back → tell → attention.

At most once, and never silently not at all. Whoever sends gives `ask` and `tell`: a person at a terminal, a calendar, a
test. Where the ledger allows several to send one run, the last of them does what comes once, after all of it.
"""

from __future__ import annotations

import datetime as dt
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace

from gonnet.errors import DataError, GonnetError, RunError, UnreachableError
from gonnet.jobs import Job, load_job
from gonnet.ledger import HandOverRecord, PackageRecord, RunRecord, State
from gonnet.ledger.bases import Share
from gonnet.ledger.reading import those
from gonnet.pipeline.attention import WANTING, chosen_want_attention
from gonnet.pipeline.sending.choosing import Choice, See, choose
from gonnet.pipeline.sending.gate import Gate, Leaving
from gonnet.pipeline.sending.handing_over import Needs, SendReport, Tell, hand_over_all, servers_of
from gonnet.pipeline.sending.summary import send_summary
from gonnet.pipeline.sending.writing_back import write_back
from gonnet.pipeline.stepping.steps import StepFailedError, happened_in, has, take
from gonnet.pipeline.tools import Tools


@dataclass(frozen=True, slots=True, kw_only=True)
class Wish:
    """What somebody wants of a send.

    Attributes:
        only: The keys to which it is limited; empty for all.
        again: Whether what left in other runs of the same cycle may leave again.
        is_told: Whether administrators hear of it by a summary; what is due is told as a whole.
        from_copy: Whether to send from a copy of a workspace, or a restored one, which may not know what was sent.
    """

    only: tuple[str, ...] = ()
    again: bool = False
    is_told: bool = True
    from_copy: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Sent:
    """What came of a send.

    Attributes:
        run: The run, as it is afterwards.
        choice: What was to leave.
        report: What was handed over; None where nothing was to leave, or nobody agreed.
        is_agreed: Whether whoever was asked agreed.
        is_shared: Whether others are still sending it; the last of them writes back and tells.
        troubles: What went wrong beside the sending.
        wants_attention: Whether something of what was chosen wants a person.
    """

    run: RunRecord
    choice: Choice
    report: SendReport | None = None
    is_agreed: bool = True
    is_shared: bool = False
    troubles: tuple[str, ...] = field(default=())
    wants_attention: bool = False

    @property
    def states(self) -> dict[State, int]:
        """State → number of packages that were tried and came to it."""
        return self.report.states if self.report is not None else {}

    @property
    def interrupted(self) -> UnreachableError | None:
        """The server that went away before the last package, or None."""
        return self.report.interrupted if self.report is not None else None


Ask = Callable[[RunRecord, Choice], bool]
"""Asked with the run and what is about to leave, whether it may."""


def send(
    run: RunRecord,
    tools: Tools,
    wish: Wish = Wish(),
    ask: Ask = lambda _run, _choice: True,
    tell: Tell = lambda _package, _state: None,
) -> Sent:
    """Hand over what is ready. Run again after an interruption, it goes on with what is not sent.

    Every hand-over is written to the ledger before it leaves and after it was answered. What an earlier send left
    without an answer is called unsure and not sent again. Once `tools.stop` is asked, what is under way is finished,
    and nothing else is begun.

    Raises:
        RunError: the run cannot be sent, goes beyond the limits of the workspace, was changed while somebody was asked,
            or another process is sending it; or this is a copy of a workspace, and nobody said that it may send.
        UnreachableError: a server cannot be reached; nothing was handed over.
        StorageError: the ledger cannot be written; nothing more is handed over.
    """
    run = settle_doubt(run, tools)
    require_at_home(tools, wish)
    choice = choose(run, tools, wish.only, again=wish.again)
    if not choice.packages:
        return _told(run, choice, None, tools, wish, None)
    if not ask(run, choice):
        return Sent(run=run, choice=choice, is_agreed=False)
    sending = _Sending(run, choice, tools, wish, tell)
    report = sending.all()
    return _told(run, choice, report, tools, wish, sending.steps.job)


def settle_doubt(run: RunRecord, tools: Tools) -> RunRecord:
    """The run, after what a send that was killed left without an answer is called unsure.

    Where others are sending it too, nobody knows yet which of that is still under way: the last of them does it.

    Raises:
        RunError: another process is changing it, or sending it where only one can.
    """
    with tools.ledger.rights.sharing(run) as share, share.if_alone() as is_alone:
        found = is_alone and tools.ledger.hand_overs.doubt_begun(run.id)
    return tools.ledger.run(str(run.id)) if found else run


def require_at_home(tools: Tools, wish: Wish) -> None:
    """See that this ledger knows what was sent.

    Raises:
        RunError: it may be a restored backup or a copy.
    """
    trouble = tools.ledger.home.trouble()
    if trouble is not None and not wish.from_copy:
        fix = "First look there what was sent. Then say --from-copy to send from here, where it counts from then on"
        raise RunError(trouble, where=str(tools.ledger.place), fix=fix)
    if trouble is not None:
        tools.ledger.home.adopt()


class _Sending:
    """One send, once it is agreed on.

    Args:
        run: The run.
        choice: What is to leave.
        tools: The tools.
        wish: What was wanted.
        tell: Called with each package that was tried.
    """

    def __init__(self, run: RunRecord, choice: Choice, tools: Tools, wish: Wish, tell: Tell) -> None:
        self._run, self._choice, self._tools, self._wish, self._tell = run, choice, tools, wish, tell
        self.steps = _Steps(run, tools)
        self._states: Counter[State] = Counter()

    def all(self) -> SendReport:
        """Hand over what was chosen; whoever is the last tries again what was refused for now, and ends it."""
        run, tools = self._run, self._tools
        with tools.ledger.rights.sharing(run) as share:
            gate, needs = Gate(run, tools), Needs()
            coming = gate.coming()

            def see(package: PackageRecord, parts: Sequence[HandOverRecord]) -> None:
                needs.see(package)
                for part in parts:
                    coming.see(Leaving(part, package))

            packages = self._as_shown(see)
            gate.require_open(coming)
            tools.ledger.home.note_send()
            tools.ledger.remark(run.id, f"send of {len(packages):,} begun by {tools.who}")
            tools.log.say("send began", run=run.id, packages=len(packages))
            report = self._handed_over(packages, needs, share)
            is_last = share.outstays()
            report = self._ended(report, share) if is_last else replace(report, is_shared=True)
            states = {str(state): number for state, number in report.states.items()}
            tools.log.say("send ended", run=run.id, interrupted=not report.is_over, **states)
            return report

    def _as_shown(self, see: See) -> Sequence[PackageRecord]:
        """What leaves, each of it shown to `see`, now that nobody can change it.

        It is less than was shown where others send it too, never more.

        Raises:
            RunError: something would leave that was not shown.
        """
        now = choose(self._run, self._tools, self._wish.only, again=self._wish.again, see=see)
        if not now.marks.is_within(self._choice.marks):
            what = f"somebody else changed run {self._run.id} in the meantime"
            raise RunError(what, fix="Look at it again, then send it")
        self._choice = now
        return now.packages

    def _handed_over(self, packages: Sequence[PackageRecord], needs: Needs, share: Share) -> SendReport:
        self._states = Counter()
        try:
            return hand_over_all(self._run, packages, needs, self._choice.taken, self._tools, self._tried, share)
        except StepFailedError as error:
            return SendReport(states=dict(self._states), ended=error.what)
        except KeyboardInterrupt:  # at once, in the middle of something
            return SendReport(states=dict(self._states), ended="stopped by hand")

    def _tried(self, package: PackageRecord, state: State) -> None:
        self._states[state] += 1
        self._tell(package, state)
        self.steps.package(package, state)

    def _ended(self, report: SendReport, share: Share) -> SendReport:
        """The rest of it, now that nobody else is at work on the run."""
        self._tools.ledger.hand_overs.doubt_begun(self._run.id)
        later = self._refused_for_now() if report.is_over else ()
        for pause in _pauses(later, self._tools) if later else ():
            self._tools.stop.sleep(pause)
            if self._tools.stop.asked:
                break
            report = report.followed_by(self._handed_over(later, Needs(later), share))
            self._tools.ledger.hand_overs.doubt_begun(self._run.id)
            if not report.is_over or not (later := self._refused_for_now()):
                break
        return self.steps.end(report)

    def _refused_for_now(self) -> Sequence[PackageRecord]:
        wish, failed = self._wish, (State.FAILED,)
        found = choose(self._run, self._tools, wish.only, again=wish.again, states=failed).packages
        return those(found, lambda package: bool(servers_of(package)))


class _Steps:
    """The steps of a job after each package and at the end of a send; a job that is gone or broken has none."""

    def __init__(self, run: RunRecord, tools: Tools) -> None:
        self._run, self._tools = run, tools
        self.job: Job | None = None
        with suppress(GonnetError):
            self.job = load_job(tools.workspace, run.job)

    def package(self, package: PackageRecord, state: State) -> None:
        """One more package was tried."""
        if self.job is None or not has(self.job, "package"):
            return
        happened = happened_in(self._run, "package", replace(package, state=state))
        for ran in take(self.job, "package", happened, self._tools):
            self._tools.ledger.remark(self._run.id, f"after package {package.key}: {ran.text}")

    def end(self, report: SendReport) -> SendReport:
        """The send is over; the report with what failed of its steps."""
        if self.job is None or not has(self.job, "sent"):
            return report
        happened = happened_in(self._tools.ledger.run(str(self._run.id)), "sent")
        failed = []
        try:
            for ran in take(self.job, "sent", happened, self._tools):
                self._tools.ledger.remark(self._run.id, ran.text)
                failed += [] if ran.is_well else [ran.text[:300]]
        except DataError as error:
            failed.append(error.what)
        return replace(report, troubles=(*report.troubles, *dict.fromkeys(failed)))


def _pauses(packages: Sequence[PackageRecord], tools: Tools) -> Iterator[float]:
    """How long to wait before each new try of what was refused for now, in seconds: twice as long every time.

    It ends after the number of tries that the servers are to be given, or the time.
    """
    names = {server for package in packages for server in servers_of(package)}
    servers = [tools.workspace.server(name, "gonnet.yaml")[1] for name in names]
    tries = max((server.retries for server in servers), default=0)
    first = max((server.pause for server in servers), default=0)
    end = tools.clock() + dt.timedelta(minutes=max((server.retry_minutes for server in servers), default=0))
    for number in range(tries):
        pause = first * 2.0**number
        if tools.clock() + dt.timedelta(seconds=pause) > end:
            return
        yield pause


def _told(run: RunRecord, choice: Choice, report: SendReport | None, tools: Tools, wish: Wish, job: Job | None) -> Sent:
    """What became of it told to the database and the administrator who want to know, and whether it wants a person."""
    after = tools.ledger.run(str(run.id))
    if report is not None and report.is_shared:
        wanting = not report.is_over or tools.stop.asked or not report.states.keys().isdisjoint(WANTING)
        return Sent(run=after, choice=choice, report=report, is_shared=True, wants_attention=wanting)
    is_over = report is not None and report.is_over and not tools.stop.asked and wish.is_told
    found = (
        write_back(after, tools, job),
        send_summary(after, tools) if is_over else None,
        tools.log.trouble,
        *(report.troubles if report is not None else ()),
    )
    troubles = tuple(trouble for trouble in found if trouble is not None)
    is_ended = report is not None and (not report.is_over or tools.stop.asked)
    open_matters = chosen_want_attention(after, tools, wish.only)
    wanting = bool(open_matters or troubles or is_ended)
    return Sent(run=after, choice=choice, report=report, troubles=troubles, wants_attention=wanting)
