"""Preparing and sending as the commands `prepare`, `send` and `run` share it."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from collections.abc import Sequence
from typing import TYPE_CHECKING

from gonnet.cli import _exit, _open, _options, _report, _show, _signals

if TYPE_CHECKING:
    from gonnet.ledger import PackageRecord, RunRecord, State
    from gonnet.pipeline.sending.handing_over import SendReport
    from gonnet.pipeline.tools import Tools

_SHOWN = 6


def prepare_run(
    tools: Tools,
    job: str,
    asked: dict[str, str],
    as_of: dt.date | None,
    only: tuple[str, ...],
    *,
    quiet: bool,
    guarded: bool = True,
) -> RunRecord:
    """Prepare a run with a progress bar."""
    from gonnet.jobs import load_job
    from gonnet.pipeline.prepare import prepare
    from gonnet.pipeline.survey import Request

    read = load_job(tools.workspace, job)
    day = as_of or tools.today()
    request = Request(as_of=day, asked=_open.complete(read, asked), only=only, guarded=guarded)
    with _show.progress("Preparing", quiet=quiet) as told:
        return prepare(read, tools, request, told)


def prepared(
    tools: Tools,
    job: str,
    asked: dict[str, str],
    as_of: dt.date | None,
    only: tuple[str, ...],
    *,
    as_json: bool,
    quiet: bool,
    guarded: bool,
) -> bool:
    """Prepare a run and tell of it; whether something of it wants attention."""
    run = prepare_run(tools, job, asked, as_of, only, quiet=quiet or as_json, guarded=guarded)
    attention = wants_attention(run)
    if as_json:
        _report.as_json(run, tools.ledger.packages(run.id))
    else:
        summary(tools, run, quiet=quiet)
        if not quiet:
            steps = [("gonnet review", "see every package before anything leaves")]
            if tools.ledger.extent(run.id)[1]:
                steps.append((f"gonnet send {run.id}", "hand over what is ready; asks first"))
            else:
                steps.append(("gonnet review --into FOLDER", "put the documents into a folder"))
            _show.next_steps(*steps)
    return attention


def wants_attention(run: RunRecord) -> bool:
    """Whether something of a run is held, failed or unsure, or rows went to nobody."""
    states = {str(state) for state in run.counts}
    return bool(states & _options.OPEN) or any(weight == "attention" for weight, _ in run.findings)


def summary(tools: Tools, run: RunRecord, *, quiet: bool) -> None:
    """The one summary after preparing."""
    from gonnet.ledger import State

    if not quiet:
        _show.line(_report.title(run), "bold")
        documents, _ = tools.ledger.extent(run.id)
        _show.line(f"         {_report.states(run)}; {_show.many(documents, 'document')} in {run.seconds:.1f} s")
        _report.account(run)
        _report.withheld(tools.ledger.packages(run.id, states=(State.HELD, State.SKIPPED, State.FAILED, State.UNSURE)))
    _report.findings(run.findings, attention_only=quiet)


def sent(
    tools: Tools,
    run: RunRecord,
    only: tuple[str, ...],
    *,
    yes: bool,
    as_json: bool,
    quiet: bool,
    again: bool = False,
) -> int:
    """List what is about to leave, ask, send, and tell what came of it; the exit code."""
    from gonnet.pipeline.send import doubt_interrupted, leaving
    from gonnet.pipeline.sending.gate import told_of_earlier
    from gonnet.pipeline.sending.telling import tell as tell_by_mail
    from gonnet.pipeline.sending.writing_back import write_back

    if doubt_interrupted(run, tools):
        run = tools.ledger.run(str(run.id))
    found = leaving(run, tools, only, again=again)
    waiting, earlier = found.packages, list(told_of_earlier(found.earlier))
    for text in () if as_json else earlier:
        _show.console().print(_show.state("attention", f"! {text}; `--again` sends them too"), soft_wrap=True)
    if not waiting:
        untold = _troubles([write_back(run, tools)], as_json=as_json)
        _nothing_to_send(tools, run, as_json=as_json, is_repeated=bool(earlier))
        return _exit.ATTENTION if _open_matters(tools, run, only) or earlier or untold else _exit.DONE
    deliveries = sum(1 for package in waiting for part in package.deliveries() if part.state.is_open)
    if not as_json and not quiet:
        _intention(tools, run, waiting, deliveries, is_chosen=bool(only))
    if not _show.confirmed(_question(waiting, deliveries), yes=yes):
        _show.line("Nothing was sent.")
        return _exit.WRONG
    report = _hand_over(tools, run, only, len(waiting), again=again, quiet=quiet or as_json)
    after = tools.ledger.run(str(run.id))
    is_over = report.interrupted is None and not tools.stop.asked
    troubles = [write_back(after, tools), tell_by_mail(after, tools) if is_over else None, tools.log.trouble]
    untold = _troubles(troubles, as_json=as_json)
    if as_json:
        _report.as_json(after, tools.ledger.packages(run.id))
    else:
        _outcome(tools, after, report, quiet=quiet)
    if report.interrupted is not None:
        _exit.tell(report.interrupted)
        return _exit.UNREACHABLE
    wanting = _open_matters(tools, after, only) or earlier or untold or tools.stop.asked
    return _exit.ATTENTION if wanting else _exit.DONE


def _hand_over(
    tools: Tools, run: RunRecord, only: tuple[str, ...], count: int, *, again: bool, quiet: bool
) -> SendReport:
    """Send, and show how far it is, until the last package or until somebody stops it."""
    from gonnet.pipeline.send import doubt_interrupted, send
    from gonnet.pipeline.sending.handing_over import SendReport

    done: Counter[State] = Counter()
    try:
        with _show.progress("Sending", quiet=quiet) as told, _signals.ending(tools.stop):

            def tell(_package: PackageRecord, state: State) -> None:
                done[state] += 1
                told(sum(done.values()), count)

            return send(run, tools, only, tell, again=again)
    except KeyboardInterrupt:  # at once, in the middle of something
        doubt_interrupted(run, tools)
        return SendReport(states=dict(done))


def _open_matters(tools: Tools, run: RunRecord, only: Sequence[str]) -> bool:
    """Whether something wants attention: of the whole run, or of the packages that somebody chose."""
    if not only:
        return wants_attention(run)
    return any(str(package.state) in _options.OPEN for package in tools.ledger.packages(run.id, only))


def _troubles(found: Sequence[str | None], *, as_json: bool) -> bool:
    """Print what went wrong beside the sending; whether anything did."""
    told = [text for text in found if text is not None]
    for text in () if as_json else told:
        _show.console().print(_show.state("attention", f"! {text}"), soft_wrap=True)
    return bool(told)


def _nothing_to_send(tools: Tools, run: RunRecord, *, as_json: bool, is_repeated: bool) -> None:
    if as_json:
        _report.as_json(run, tools.ledger.packages(run.id))
        return
    left = "nothing else to send" if is_repeated else f"nothing left to send: {_report.states(run)}"
    _show.line(f"Run {run.id} has {left}.")
    _show.next_steps((f"gonnet show {run.id}", "see what became of it"))


def _question(waiting: Sequence[PackageRecord], deliveries: int) -> str:
    filings = [part for package in waiting for part in package.filings if part.state.is_open]
    pages = sum(part.is_printed for part in filings)
    asked = [f"send {_show.many(deliveries, 'message')}"] if deliveries else []
    asked += [f"put {_show.many(len(filings) - pages, 'file')} into folders"] if len(filings) > pages else []
    asked += [f"print {_show.many(pages, 'PDF')}"] if pages else []
    text = " and ".join(asked)
    return f"{text[:1].upper()}{text[1:]} now?"


def _intention(
    tools: Tools, run: RunRecord, waiting: Sequence[PackageRecord], deliveries: int, *, is_chosen: bool
) -> None:
    people = {part.address.casefold() for package in waiting for part in package.deliveries()}
    _show.line(f"Run {run.id}: {run.title}", "bold")
    parts = []
    if deliveries:
        names = dict.fromkeys(part.server for package in waiting for part in package.messages if part.deliveries)
        servers = [tools.workspace.server(name, "gonnet.yaml")[1] for name in names]
        through = ", ".join(f"{server.host}:{server.port}" for server in servers)
        many = _show.many(len(people), "address")
        parts.append(f"{_show.many(deliveries, 'message')} to {many}, through {through}")
    filings = [part for package in waiting for part in package.filings if part.state.is_open]
    parts += _report.places(filings)
    _show.line(f"About to send {_show.many(len(waiting), 'package')}: {'; '.join(parts)}.")
    for package in waiting[:_SHOWN]:
        open_here = [part for part in package.filings if part.state.is_open]
        leaving = [name for message in package.messages for name in message.files]
        leaving += [part.place.rpartition("/")[2] for part in open_here]
        files_of = ", ".join(dict.fromkeys(leaving))  # not what is only inside a zip
        to = ", ".join((*package.to, *dict.fromkeys(part.root for part in open_here)))
        _show.line(f"  {package.key}  {package.name[:36]}  →  {to}  [{files_of}]")
    if len(waiting) > _SHOWN:
        _show.line(f"  … and {len(waiting) - _SHOWN} more; `gonnet review {run.id}` lists them all")
    aside = {str(state): count for state, count in run.counts.items() if str(state) in ("held", "skipped", "sent")}
    if aside and not is_chosen:
        _show.line("Left out: " + ", ".join(f"{count:,} {state}" for state, count in aside.items()) + ".")
    if run.reviewed is None:
        _show.console().print(_show.state("attention", f"! run {run.id} was not reviewed yet"))


def _outcome(tools: Tools, run: RunRecord, report: SendReport, *, quiet: bool) -> None:
    from gonnet.ledger import State

    states = {str(state): count for state, count in report.states.items()}
    if not quiet:
        said = ", ".join(f"{count:,} {state}" for state, count in states.items()) or "nothing"
        _show.line(
            f"{'Stopped' if tools.stop.asked else 'Done'}: {said}. Run {run.id} now: {_report.states(run)}.", "bold"
        )
    wrong = tools.ledger.packages(run.id, states=(State.FAILED, State.UNSURE))
    _report.withheld(wrong, most=20)
    steps = [(f"gonnet send {run.id}", "go on with what is ready")] if tools.stop.asked and not quiet else []
    later = any(part.state == "later" for package in wrong for part in package.deliveries())
    if later:
        steps.append((f"gonnet send {run.id}", "try again what was refused only for now"))
    if any(part.state == "refused" for package in wrong for part in package.deliveries()):
        steps.append((f"gonnet prepare {run.job} --only KEY", "once the address on the list is put right"))
    if any(package.state == "unsure" for package in wrong):
        steps.append((f"gonnet show {run.id} KEY", "unsure: ask the recipient; it is never sent again by itself"))
    if not quiet or steps:
        steps.append((f"gonnet show {run.id}", "see what became of every package"))
        _show.next_steps(*steps)
