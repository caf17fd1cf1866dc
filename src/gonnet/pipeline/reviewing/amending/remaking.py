"""Packages that go by another way, or to somebody else, than they were made for: they are made again, of the same data.

What a way takes differs, and a message has its sender, so files, messages and hand-overs take the place of those that
are there. Where the data are no longer the same, or somebody changed the package by hand, nothing is done.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import closing
from email import message_from_bytes
from email.policy import default
from types import MappingProxyType
from typing import NamedTuple

from gonnet.errors import RunError, meant, typed
from gonnet.jobs import load_job
from gonnet.ledger import MessageRecord, PackageRecord, RunRecord, State
from gonnet.ledger.changes import Rewriting
from gonnet.ledger.states import HandOverState, Purpose
from gonnet.packages import PackagePlan
from gonnet.pipeline.making import batches
from gonnet.pipeline.making.message_texts import senders_of
from gonnet.pipeline.making.produce import Made
from gonnet.pipeline.making.row_account import RowBooks
from gonnet.pipeline.making.watching import watch_of
from gonnet.pipeline.reviewing.amending.rewording import is_same
from gonnet.pipeline.reviewing.decisions import Ask, agreed, decide
from gonnet.pipeline.reviewing.selecting import Selection, selected
from gonnet.pipeline.survey import Request, survey
from gonnet.pipeline.tools import Tools, no_progress
from gonnet.recipients.roll import NO_ADDRESS
from gonnet.rules import Outcome


class _Anew(NamedTuple):
    """A package that was made again.

    Attributes:
        plan: What it is to be.
        made: What came of it; None where nothing is made.
        share: What it has of the account of rows, where it leaves.
    """

    plan: PackagePlan
    made: Made | None
    share: Mapping[str, Mapping[str, object]]


def reroute(
    run: RunRecord, tools: Tools, which: Selection, ways: Sequence[str], why: str, who: str, ask: Ask = agreed
) -> tuple[PackageRecord, ...]:
    """Let packages go by other ways of their job. A held one stays held.

    Returns:
        The packages as they are now; none where the answer was no.

    Raises:
        RunError: something of one was handed over, it was changed by hand, or its data are no longer the same.
        JobError: the job has no such way, or cannot be read.
        GonnetError: as for `decide`.
    """
    remaker = Remaker(run, tools, [package.key for package in selected(run, tools, which)], ways)
    said = ", ".join(ways)
    what = f"way changed to {said} by {who}" + (f": {why}" if why else "")
    return decide(run, tools, which, lambda package: [remaker.change(package, what, f"it goes by {said}")], ask)


class Remaker:
    """Makes packages of one run again, otherwise than lists and rules say.

    Args:
        run: The run.
        tools: The tools.
        keys: The packages.
        ways: The ways by which they go; none as they do.
        people: Key → list and line of the contact who gets it; nothing for those whom the list chose.
    """

    def __init__(
        self,
        run: RunRecord,
        tools: Tools,
        keys: Sequence[str],
        ways: Sequence[str] = (),
        people: Mapping[str, tuple[str, int]] = MappingProxyType({}),
    ) -> None:
        self._run, self._tools, self._keys = run, tools, keys
        self._ways, self._people = tuple(ways), people
        self._anew: dict[str, _Anew] | None = None
        self._as_is: dict[str, _Anew] = {}

    def change(self, package: PackageRecord, what: str, how: str) -> Rewriting:
        """What becomes of a package.

        Args:
            package: The package.
            what: What is changed, by whom and why, for the record.
            how: What is otherwise, in a few words.

        Raises:
            RunError: it cannot be made so.
        """
        _require_untouched(self._run, package, is_made=not self._people)
        if self._anew is None:
            self._as_is = self._made({}, {})
            self._anew = self._made(dict.fromkeys(self._keys, self._ways) if self._ways else {}, self._people)
        before, now = self._as_is.get(package.key), self._anew.get(package.key)
        again = f"Make it anew: `{typed('prepare', self._run.job, '--only', package.key)}`"
        if before is None or now is None or not is_same(package, now.plan) or _is_of_other_data(package, before.made):
            gone = f"the data or the list are no longer those that package {package.key} was made of"
            raise RunError(gone, fix=again)
        if not self._is_as_made(package, before):
            raise RunError(f"package {package.key} was changed by hand, which would be lost", fix=again)
        if _shown(before.share) != _shown(now.share):
            raise RunError(f"package {package.key} would show other rows: {how}", fix=again)
        made = _usable(now, package, how)
        state, reason = package.state, package.reason
        if reason == NO_ADDRESS and now.plan.decision.outcome is Outcome.READY:
            reason = f"the list has no address; {how} now, so it can be released"
        elif state is State.SKIPPED:
            reason = f"{how} by hand, so it can be released"
        return Rewriting(
            package=package,
            what=what,
            messages=made.messages,
            leaving=made.hand_overs,
            documents=made.documents,
            seal=self._tools.seals.of(package, state, made.documents, made.messages, made.hand_overs),
            state=state,
            reason=reason,
            is_whole=True,
        )

    def _made(self, ways: Mapping[str, tuple[str, ...]], people: Mapping[str, tuple[str, int]]) -> dict[str, _Anew]:
        """Key → the package as it is made now; by the usual ways, and for the usual people, where none are given."""
        run, tools = self._run, self._tools
        job = load_job(tools.workspace, run.job)
        known = [way.called for way in job.file.deliver]
        if unknown := [name for name in self._ways if name not in known]:
            fix = meant(unknown[0], known, noun="way")
            raise RunError(f"the job '{run.job}' has no way '{unknown[0]}'", where="--way", fix=fix)
        request = Request(
            as_of=run.as_of,
            asked=dict(run.parameters),
            only=tuple(self._keys),
            guarded=False,
            ways=ways,
            people=people,
        )
        senders = senders_of(job, tools)
        found = survey(job, tools, request)
        with closing(found.engine):
            books, anew = RowBooks(found), {}
            for plan, made in batches.make(tools, found, senders, watch_of(job, found), no_progress):
                anew[plan.key] = _Anew(plan, made, books.enter(plan, made, State.READY))
            tools.store.flush()
        return anew

    def _is_as_made(self, package: PackageRecord, before: _Anew) -> bool:
        """Whether a package is what it was made to be, or made again by a person who said its way before."""
        if _is_alike(package, before.made, self._tools):
            return True
        ways = dict.fromkeys(part.way for part in package.hand_overs if part.purpose is not Purpose.TRIAL)
        said = self._made({package.key: tuple(ways)}, {}).get(package.key) if ways and all(ways) else None
        return said is not None and _is_alike(package, said.made, self._tools)


def _require_untouched(run: RunRecord, package: PackageRecord, *, is_made: bool) -> None:
    """See that nothing of a package was handed over.

    Raises:
        RunError: something was, or it is in a state in which nothing of it is changed.
    """
    if package.state not in (State.READY, State.HELD) and (is_made or package.state is not State.SKIPPED):
        raise RunError(f"package {package.key} is {package.state}, so nothing of it can be changed")
    regular = (part for part in package.hand_overs if part.purpose is not Purpose.TRIAL)
    if any(part.state is not HandOverState.WAITING for part in regular):
        fix = f"`{typed('show', run.id, package.key)}` tells what"
        raise RunError(f"something of package {package.key} was handed over", fix=fix)


def _is_alike(package: PackageRecord, made: Made | None, tools: Tools) -> bool:
    """Whether a package is what was made, the Message-IDs apart."""
    if made is None:
        return not package.messages and not package.documents
    files = [[(part.name, part.content) for part in one.documents] for one in (package, made)]
    messages = [list(map(_plain, one.messages)) for one in (package, made)]
    if files[0] != files[1] or messages[0] != messages[1]:
        return False
    pairs = zip(package.messages, made.messages, strict=True)
    return all(_words(one, tools) == _words(other, tools) for one, other in pairs)


def _is_of_other_data(package: PackageRecord, made: Made | None) -> bool:
    """Whether a file of it has other contents now."""
    now = {part.name: part.content for part in made.documents} if made is not None else {}
    return any(now.get(part.name, part.content) != part.content for part in package.documents)


def _plain(message: MessageRecord) -> tuple[object, ...]:
    return message.called, message.subject, message.to, message.cc, message.bcc, message.files


def _words(message: MessageRecord, tools: Tools) -> list[str]:
    """What a message says, as text and as a page."""
    found = message_from_bytes(tools.store.get(message.sha256), policy=default)
    parts = (found.get_body((kind,)) for kind in ("plain", "html"))
    return [str(part.get_content()) for part in parts if part is not None]


def _shown(share: Mapping[str, Mapping[str, object]]) -> dict[str, object]:
    return {name: (mine["rows"], mine["sums"]) for name, mine in share.items()}


def _usable(now: _Anew, package: PackageRecord, how: str) -> Made:
    """What was made otherwise.

    Raises:
        RunError: it must not leave so, or nothing was made.
    """
    decision, made = now.plan.decision, now.made
    if made is not None and made.held is not None:
        raise RunError(f"package {package.key} cannot leave if {how}: {made.held[1]}", fix="Nothing was changed")
    if made is None or (package.state is State.READY and decision.outcome is not Outcome.READY):
        raise RunError(f"package {package.key} cannot leave if {how}: {decision.reason}", fix="Nothing was changed")
    return made
