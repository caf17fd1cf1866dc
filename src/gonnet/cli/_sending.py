"""A send as it is asked for and told of at a terminal: what the story in `pipeline/send.py` is given."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from contextlib import ExitStack
from itertools import chain
from typing import TYPE_CHECKING

from gonnet.cli import _by_hand, _exit, _report, _show, _signals
from gonnet.errors import typed

if TYPE_CHECKING:
    from collections.abc import Callable

    from gonnet.ledger import HandOverRecord, PackageRecord, RunRecord, State
    from gonnet.pipeline.reviewing.decisions import Intention
    from gonnet.pipeline.run import Choice
    from gonnet.pipeline.send import Sent
    from gonnet.pipeline.sending.outlook import Outlook
    from gonnet.pipeline.tools import Tools

_SHOWN, _FEW, _NAME = 6, 3, 28


class Terminal:
    """Whoever prepares and sends by a command: shown how far it is, asked before anything leaves, told afterwards.

    Args:
        tools: The tools.
        yes: Whether they agreed already.
        as_json: Whether a machine reads what is printed.
        quiet: Whether only what needs attention is printed.
        is_chosen: Whether keys were named.
    """

    def __init__(self, tools: Tools, *, yes: bool, as_json: bool, quiet: bool, is_chosen: bool = False) -> None:
        self._tools, self._yes, self._as_json, self._quiet = tools, yes, as_json, quiet
        self._is_chosen = is_chosen
        self._stack = ExitStack()  # what watches over the step that is under way
        self._total = self._done = 0
        self._progress: Callable[[int, int], None] | None = None

    def __enter__(self) -> Terminal:
        return self

    def __exit__(self, *_: object) -> None:
        self._stack.close()

    def preparing(self, done: int, total: int) -> None:
        """So many packages are prepared."""
        if self._progress is None:
            self._progress = self._bar("Preparing")
        self._progress(done, total)

    def _bar(self, label: str) -> Callable[[int, int], None]:
        return self._stack.enter_context(_show.progress(label, quiet=self._quiet or self._as_json))

    def show(self, run: RunRecord) -> None:
        """A run that was just prepared."""
        from gonnet.cli import _work

        self._stack.close()
        if not self._as_json:
            _work.summary(self._tools, run, quiet=self._quiet)

    def ask(self, run: RunRecord, choice: Choice) -> bool:
        """List what is about to leave, and ask whether it may."""
        from gonnet.pipeline.sending.outlook import outlook

        self._earlier(choice)
        found = outlook(run, choice, self._tools)
        if not self._as_json and not self._quiet:
            _intention(self._tools, run, choice, found, is_chosen=self._is_chosen)
        if found.refused.count and not self._as_json:
            why = _few([f"{one.key}: {text}" for one, text in found.refused.first], found.refused.count)
            _warn(f"{_show.many(found.refused.count, 'package')} will be held: {why}")
        return self._agreed(_question(found.kinds), len(choice.packages), found.messages)

    def ask_to(self, to: str | None) -> Callable[[Intention], bool]:
        """Asks whether packages may be sent again, to those to whom they went or to others."""
        return lambda intention: self._ask_again(intention, to)

    def _ask_again(self, intention: Intention, others: str | None) -> bool:
        run, packages = intention.run, intention.packages
        if not self._as_json and not (self._quiet or intention.is_named):
            _by_hand.show(intention)
        places = (place for p in packages for place in p.to or [part.target.name for part in p.placed])
        to = others or ", ".join(dict.fromkeys(places))
        many = _show.many(len(packages), "package")
        added = (part for change in intention.changes for part in getattr(change, "hand_overs", ()))
        messages = sum(str(part.kind) == "message" for part in added)
        return self._agreed(f"Send {many} of run {run.id} again, to {to}?", len(packages), messages)

    def _agreed(self, question: str, packages: int, messages: int = 0) -> bool:
        """Whether it may leave; if so, Ctrl-C ends it in order from here on, and it is shown how far it is."""
        limit = self._tools.workspace.file.limits.ask_number_above
        is_many = limit is not None and messages > limit
        if not (
            _show.counted(question, messages, yes=self._yes) if is_many else _show.confirmed(question, yes=self._yes)
        ):
            return False
        self._total, self._done = packages, 0
        self._progress = self._bar("Sending")
        self._stack.enter_context(_signals.ending(self._tools.stop))
        return True

    def tell(self, _package: PackageRecord, _state: State) -> None:
        """One more package was tried."""
        self._done += 1
        if self._progress is not None:
            self._progress(self._done, self._total)

    def _earlier(self, choice: Choice) -> None:
        from gonnet.pipeline.sending.gate import earlier_in_words

        for text in () if self._as_json else earlier_in_words(choice.earlier):
            _warn(f"{text}; `--again` sends them too")

    def came(self, sent: Sent | None) -> int:
        """Tell what came of the send; the exit code."""
        self._stack.close()
        if sent is None or not sent.is_agreed:
            _show.line("Nothing was sent.")
            return _exit.WRONG
        if sent.report is None:
            self._earlier(sent.choice)
        for text in () if self._as_json else sent.troubles:
            _warn(text)
        if self._as_json:
            _report.as_json(sent.run, self._tools.ledger.packages(sent.run.id))
        elif sent.report is None:
            _nothing_to_send(self._tools, sent, quiet=self._quiet)
        else:
            _outcome(self._tools, sent, quiet=self._quiet)
        if sent.interrupted is not None:
            _exit.tell(sent.interrupted)
            return _exit.UNREACHABLE
        return _exit.ATTENTION if sent.wants_attention else _exit.DONE


def _warn(text: str) -> None:
    _show.console().print(_show.state("attention", f"! {text}"), soft_wrap=True)


def _nothing_to_send(tools: Tools, sent: Sent, *, quiet: bool) -> None:
    """Say that nothing is to leave, and why: what happened, or what the rules say."""
    run = sent.run
    if not quiet:
        _show.line(f"Nothing to send: run {run.id} has {_report.states(run)}.", "bold")
    if run.handed:
        _show.next_steps((typed("show", run.id), "see what became of it"))
        return
    reasons = Counter(
        (str(package.state), package.reason or "it was sent already in another run")
        for package in tools.ledger.packages(run.id)
    )
    for (state, reason), count in reasons.most_common(_SHOWN):
        _show.stated(state, f"{_show.many(count, 'package')}: {reason}")
    if len(reasons) > _SHOWN:
        _show.line(f"  … and {len(reasons) - _SHOWN} more reasons; `gonnet show {run.id}` has them all")


def _question(kinds: Mapping[str, int]) -> str:
    asked = [
        f"send {_show.many(kinds['message'], 'message')}" if "message" in kinds else "",
        f"put {_show.many(kinds['file'], 'file')} into folders" if "file" in kinds else "",
        f"write {_show.many(kinds['draft'], 'draft')}" if "draft" in kinds else "",
        f"print {_show.many(kinds['print'], 'PDF')}" if "print" in kinds else "",
    ]
    text = " and ".join(part for part in asked if part)
    return f"{text[:1].upper()}{text[1:]} now?"


def _intention(tools: Tools, run: RunRecord, choice: Choice, found: Outlook, *, is_chosen: bool) -> None:
    _show.line(f"Run {run.id}: {run.title}", "bold")
    told = []
    if found.messages:
        servers = [tools.workspace.server(name, "gonnet.yaml")[1] for name in found.servers]
        through = ", ".join(f"{server.host}:{server.port}" for server in servers)
        many = _show.many(found.addresses, "address")
        told.append(f"{_show.many(found.messages, 'message')} to {many}, through {through}")
    told += _report.places(found.elsewhere)
    _show.line(f"About to send {_show.many(len(choice.packages), 'package')}: {'; '.join(told)}.")
    for package in choice.packages[:_SHOWN]:
        _show.line(f"  {package.key}  {package.name[:36]}  →  {_destinations(choice, package)}")
    if len(choice.packages) > _SHOWN:
        more = len(choice.packages) - _SHOWN
        _show.line(f"  … and {more:,} more; `gonnet review {run.id}` lists them all")
    for label, text in _meaning(found):
        _show.line(f"{label:<9} {text}")
    aside = {state: count for state, count in run.came.items() if state not in ("ready", "failed", "unsure")}
    if aside and not is_chosen:
        _show.line("Left out: " + ", ".join(f"{count:,} {state}" for state, count in aside.items()) + ".")
    if run.reviewed is None:
        _warn(f"run {run.id} was not reviewed yet")


def _meaning(found: Outlook) -> Iterator[tuple[str, str]]:
    """What a send would mean, each with a label."""
    if found.domains:
        shown = [f"{domain} {count:,}" for domain, count in list(found.domains.items())[:_SHOWN]]
        yield "Domains", ", ".join(shown) + (f" and {len(found.domains) - _SHOWN} more" if len(shown) > _SHOWN else "")
    if found.copies:
        kinds = ", ".join(f"{count:,} {kind}" for kind, count in found.copies.items())
        yield "Copies", f"{kinds} among these messages"
    for label, part in (("Largest", found.largest), ("Smallest", found.smallest)):
        if part and found.smallest:
            sums = ", ".join(f"{_named(one)} {_show.amount(f'{value:f}')}" for one, value in part)
            yield label, f"by {found.figure}: {sums}"
    if found.new.count:
        yield "New", f"not in run {found.last}: {_few([_named(one) for one in found.new.first], found.new.count)}"
    if found.readdressed.count:
        moved = [f"{one.key} now {', '.join(one.to)}, was {', '.join(old)}" for one, old in found.readdressed.first]
        yield "Moved", f"other addresses than in run {found.last}: {_few(moved, found.readdressed.count)}"


def _named(package: PackageRecord) -> str:
    name = package.name if len(package.name) <= _NAME else f"{package.name[: _NAME - 1].rstrip()}…"
    return f"{package.key} {name}"


def _few(texts: Sequence[str], count: int) -> str:
    return ", ".join(texts) + (f" and {count - len(texts):,} more" if count > len(texts) else "")


def _destinations(choice: Choice, package: PackageRecord) -> str:
    """Where a package goes, and the files that leave with it; not what is only inside a zip."""
    parts = choice.parts(package)
    carried = {part.message_id for part in parts if str(part.kind) == "message"}
    files = [name for message in package.messages if message.message_id in carried for name in message.files]
    files += [part.target.place.rpartition("/")[2] for part in parts if part.target.place]
    to = dict.fromkeys(_destination(part) for part in parts)
    kinds = Counter(name.rpartition(".")[2] for name in dict.fromkeys(files))
    said = ", ".join(f"{count} {kind}" if count > 1 else kind for kind, count in kinds.items())
    return f"{', '.join(to)}  [{said}]"


def _destination(part: HandOverRecord) -> str:
    """Where something goes, without the names of files."""
    kind, target = str(part.kind), part.target
    said = target.name if kind == "message" else f"{target.kind} {target.name}"
    return f"a draft in {said}" if kind == "draft" else said


def _outcome(tools: Tools, sent: Sent, *, quiet: bool) -> None:
    from gonnet.ledger import State
    from gonnet.ledger.reading import numbers_of, those
    from gonnet.pipeline.reviewing.by_hand import ways_on

    run, report = sent.run, sent.report
    assert report is not None
    is_stopped = tools.stop.asked or bool(report.ended)
    if not quiet:
        by_mail = run.handed.keys() <= {"sent"}
        words = {State.SENT: "sent" if by_mail else "handed over"}
        said = ", ".join(f"{count:,} {words.get(state, state)}" for state, count in report.states.items()) or "nothing"
        now = "Others are still sending it." if sent.is_shared else f"Run {run.id} now: {_report.states(run)}."
        _show.line(f"{'Stopped' if is_stopped else 'Done'}: {said}. {now}", "bold")
    if report.ended:
        _warn(f"{report.ended}; what has not left is still ready")
    if sent.is_shared:  # what is under way there is not unsure: nobody is asked to settle it
        _show.next_steps((typed("show", run.id), "see how far they are; the last of them tells of it all"))
        return
    wrong = tools.ledger.packages(run.id, states=(State.FAILED, State.UNSURE))
    tried = numbers_of(sent.choice.packages)
    held = those(tools.ledger.packages(run.id, states=(State.HELD,)), lambda package: package.id in tried)
    _report.withheld(chain(wrong, held), most=20)
    steps = [(typed("send", run.id), "go on with what is ready")] if is_stopped and not quiet else []
    if any(part.state == "deferred" for package in wrong for part in package.hand_overs):
        steps.append((typed("send", run.id), "try again what was refused only for now"))
    for package in wrong[:1]:
        steps += ways_on(str(run.id), package)
    if not quiet or steps:
        steps.append((typed("show", run.id), "see what became of every package"))
        _show.next_steps(*steps)
