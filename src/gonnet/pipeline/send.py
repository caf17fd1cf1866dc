"""Handing over what was reviewed: at most once, and never silently not at all."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from gonnet.errors import RunError
from gonnet.ledger import PackageRecord, RunRecord, State
from gonnet.ledger.records import RunState
from gonnet.pipeline.sending import gate
from gonnet.pipeline.sending.composing import waiting_in
from gonnet.pipeline.sending.filing import to_file
from gonnet.pipeline.sending.handing_over import SendReport, Told, hand_over_all
from gonnet.pipeline.tools import Tools


def doubt_interrupted(run: RunRecord, tools: Tools) -> int:
    """Call unsure what a send left without an answer that was killed; returns how many deliveries that are.

    Raises:
        RunError: another process is sending the run.
    """
    with tools.ledger.alone(run.id):
        return tools.ledger.deliveries.doubt_open(run.id)


@dataclass(frozen=True, slots=True, kw_only=True)
class Leaving:
    """What a send would hand over.

    Attributes:
        packages: Ready ones, and what was refused only for now.
        earlier: Key → run, of those that are left out since they were sent in another run for the same period.
    """

    packages: tuple[PackageRecord, ...]
    earlier: Mapping[str, int]


def leaving(run: RunRecord, tools: Tools, only: Sequence[str] = (), *, again: bool = False) -> Leaving:
    """What a send would hand over of a run; with `again`, what was sent for the same period too.

    Raises:
        RunError: the run was not prepared to its end, or delivers nothing.
    """
    packages = tools.ledger.packages(run.id, only)
    require_sendable(run, packages)
    waiting = tuple(package for package in packages if any(waiting_in(package)) or any(to_file(package)))
    earlier = {} if again else gate.sent_before(run, waiting, tools)
    return Leaving(packages=tuple(package for package in waiting if package.key not in earlier), earlier=earlier)


def require_sendable(run: RunRecord, packages: Sequence[PackageRecord]) -> None:
    """See that a run can be handed over.

    Raises:
        RunError: it was not prepared to its end, or delivers nothing.
    """
    if run.state is not RunState.PREPARED:
        raise RunError(f"run {run.id} was not prepared to its end", fix=f"Run `gonnet prepare {run.job}` again")
    if not any(package.messages or package.filings for package in packages):
        raise RunError(
            f"the job '{run.job}' of run {run.id} delivers nothing",
            fix="Give it `recipients`, `messages` and `deliver`, and prepare it again",
        )


def send(
    run: RunRecord,
    tools: Tools,
    only: Sequence[str] = (),
    told: Told = lambda _package, _state: None,
    *,
    again: bool = False,
) -> SendReport:
    """Hand over what is ready. Run again after an interruption, it goes on with what is not sent.

    Every delivery is written to the ledger before its body is offered and after the server answered. What an earlier
    send left without an answer is called unsure and not sent again.

    Once `tools.stop` is asked, what is under way is finished and no more begun.

    Raises:
        RunError: the run cannot be sent, goes beyond the limits of the workspace, or another process is sending it.
        UnreachableError: a server cannot be reached; nothing was handed over.
        StorageError: the ledger cannot be written; nothing more is handed over.
    """
    with tools.ledger.alone(run.id):
        tools.ledger.deliveries.doubt_open(run.id)
        packages = _allowed(run, leaving(run, tools, only, again=again).packages, tools)
        gate.require_within_limits(packages, tools)
        tools.log.say("send began", run=run.id, packages=len(packages))
        report = hand_over_all(run, packages, tools, told)
        for pause in _pauses(packages, tools):
            refused = [p for p in leaving(run, tools, only, again=again).packages if p.state is State.FAILED]
            later = [package for package in refused if any(waiting_in(package))]
            if not later or report.interrupted is not None:
                break
            tools.stop.sleep(pause)
            if tools.stop.asked:
                break
            report = report.followed_by(hand_over_all(run, later, tools, told))
        states = {str(state): count for state, count in report.states.items()}
        tools.log.say("send ended", run=run.id, interrupted=report.interrupted is not None, **states)
        return report


def _pauses(packages: Sequence[PackageRecord], tools: Tools) -> Iterator[float]:
    """How long to wait before each new try of what was refused for now, in seconds: twice as long every time.

    It ends after the number of tries that the servers are to be given, or the time.
    """
    names = {message.server for package in packages for message, _, _ in waiting_in(package)}
    servers = [tools.workspace.server(name, "gonnet.yaml")[1] for name in names]
    tries = max((server.retries for server in servers), default=0)
    first = max((server.pause for server in servers), default=0)
    end = tools.clock() + dt.timedelta(minutes=max((server.retry_minutes for server in servers), default=0))
    for number in range(tries):
        pause = first * 2.0**number
        if tools.clock() + dt.timedelta(seconds=pause) > end:
            return
        yield pause


def _allowed(run: RunRecord, packages: Sequence[PackageRecord], tools: Tools) -> list[PackageRecord]:
    """The packages that may leave; one with an address that the workspace does not allow is held."""
    found = []
    for package in packages:
        addresses = [part.address for part in package.deliveries()]
        if strangers := gate.strangers(addresses, tools.workspace.file.limits):
            tools.ledger.deliveries.hold(run.id, package.id, gate.told_of_strangers(strangers))
        else:
            found.append(package)
    return found
