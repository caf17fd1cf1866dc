"""Approval: people say yes to exactly the packages of a run, before anything of it leaves."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import NamedTuple

from gonnet.errors import RunError, typed
from gonnet.jobs.approval import MESSAGES, Approval
from gonnet.ledger import RunRecord
from gonnet.ledger.approvals import ApprovalRecord, Sign, statement
from gonnet.ledger.reading import those
from gonnet.ledger.states import Purpose, State
from gonnet.pipeline.reviewing.comparison import number
from gonnet.pipeline.sending.choosing import require_prepared
from gonnet.pipeline.tools import Tools
from gonnet.signing import is_signed


@dataclass(frozen=True, slots=True, kw_only=True)
class Lacking:
    """What an approval that is needed still lacks.

    Attributes:
        count: How many people.
        of: Who of them may.
        given: Who said yes already.
    """

    count: int
    of: tuple[str, ...]
    given: tuple[str, ...]

    def __str__(self) -> str:
        """The same in words."""
        there = f"; {', '.join(self.given)} did" if self.given else ""
        who = f"one of {', '.join(self.of)}" if self.count == 1 else f"{self.count} of {', '.join(self.of)}"
        return f"it needs the approval of {who}{there}"


class Needed:
    """Which approvals a run needs, asked once for a send: as it was prepared, and as the workspace says now."""

    def __init__(self, run: RunRecord, tools: Tools) -> None:
        self._run, self._tools = run, tools
        own = [Approval.model_validate(one, strict=False) for one in run.approval]
        house = tools.workspace.file.approval
        every = [*own, *([house] if house is not None and house not in own else [])]
        self.specs = tuple(spec for spec in every if self._is_above(spec)) if every else ()
        self._digest = tools.ledger.approvals.digest(run.id) if self.specs else ""

    def lacking(self) -> Lacking | None:
        """What is lacking; None where nothing is."""
        if not self.specs:
            return None
        given = self._tools.ledger.approvals.of(self._run.id)
        for spec in self.specs:
            yes = _valid(self._run, spec, given, self._digest)
            if len(yes) < spec.by:
                others = tuple(name for name in spec.of if name not in yes and name != self._run.prepared_by)
                return Lacking(count=spec.by - len(yes), of=others, given=yes)
        return None

    def _is_above(self, spec: Approval) -> bool:
        return not spec.above or any(self._size(name) > least for name, least in spec.above.items())

    def _size(self, name: str) -> Decimal:
        """The number of messages, or the sum of a figure; endless for one that the run does not have."""
        packages = those(self._tools.ledger.packages(self._run.id), lambda one: one.state is not State.SKIPPED)
        if name == MESSAGES:
            parts = (part for package in packages for part in package.mailed)
            return Decimal(sum(part.purpose is Purpose.REGULAR for part in parts))
        if packages and not any(name in package.figures for package in packages):
            return Decimal("Infinity")
        values = (number(package.figures.get(name, "")) for package in packages)
        return sum((abs(value) for value in values if value is not None), Decimal())


def _valid(run: RunRecord, spec: Approval, given: Sequence[ApprovalRecord], digest: str) -> tuple[str, ...]:
    """Who said yes so that it counts: to these packages, and did not prepare them."""
    counting = (one for one in given if one.voided is None and one.digest == digest and one.who in spec.of)
    counting = (one for one in counting if one.who not in spec.keys or is_by_key(run.id, one, spec.keys[one.who]))
    return tuple(dict.fromkeys(one.who for one in counting if one.who != run.prepared_by))


def is_by_key(run_id: int, one: ApprovalRecord, public: str) -> bool:
    """Whether an approval says what its signer signed.

    Raises:
        JobError: the library that tells is not installed.
    """
    at = one.at.isoformat(timespec="milliseconds")
    return is_signed(public, one.signature, statement(run_id, one.who, at, one.why, one.digest))


@dataclass(frozen=True, slots=True, kw_only=True)
class Offered:
    """What somebody is asked to approve.

    Attributes:
        run: The run.
        digest: SHA-256 over the seals of all packages.
        messages: How many messages it has.
        lacking: What is lacking before their yes.
    """

    run: RunRecord
    digest: str
    messages: int
    lacking: Lacking


class Hand(NamedTuple):
    """By what somebody says yes: their public key, and what signs with the private one."""

    public: str
    sign: Sign


def approve(
    run: RunRecord, tools: Tools, why: str, ask: Callable[[Offered], bool], hand: Hand | None = None
) -> Lacking | None:
    """Say yes to a run as it is now: under the name of the user whose process this is, or of whose key it is.

    Returns:
        What is still lacking afterwards; None where nothing is, or nobody agreed.

    Raises:
        RunError: it needs no approval or was not reviewed, this user may not approve it, or it was changed meanwhile.
    """
    require_prepared(run)
    needed = Needed(run, tools)
    lacking = needed.lacking()
    if lacking is None:
        what = "has all approvals that it needs" if needed.specs else "needs no approval"
        raise RunError(f"run {run.id} {what}", fix=f"`{typed('send', run.id)}` hands it over")
    who = _who(run, needed, tools, hand)
    if who == run.prepared_by:
        raise RunError(f"{who} prepared run {run.id}, and cannot approve it", fix=f"Ask {' or '.join(lacking.of)}")
    if not any(who in spec.of for spec in needed.specs):
        raise RunError(f"{who} may not approve run {run.id}", fix=f"Ask {' or '.join(lacking.of)}")
    if who in lacking.given:
        raise RunError(f"{who} approved run {run.id} already", fix=f"Ask {' or '.join(lacking.of)}")
    if run.reviewed is None:
        raise RunError(f"run {run.id} was not reviewed yet", fix=f"Look at it: `{typed('review', run.id)}`")
    digest = tools.ledger.approvals.digest(run.id)
    packages = tools.ledger.packages(run.id)
    messages = sum(len(package.mailed) for package in packages if package.state is not State.SKIPPED)
    if not ask(Offered(run=run, digest=digest, messages=messages, lacking=lacking)):
        return None
    with tools.ledger.rights.alone(run):
        if not tools.ledger.approvals.give(run.id, who, why, digest, hand.sign if hand is not None else None):
            raise RunError(f"run {run.id} was changed meanwhile", fix="Nothing was approved; look at it again")
    tools.log.say("approved", run=run.id, digest=digest)
    return Needed(run, tools).lacking()


def _who(run: RunRecord, needed: Needed, tools: Tools, hand: Hand | None) -> str:
    """Who says yes.

    Raises:
        RunError: nobody who may has this key, or they have one and do not use it.
    """
    keys = {public: name for spec in needed.specs for name, public in spec.keys.items()}
    if hand is not None:
        if hand.public not in keys:
            fix = f"Its public key is {hand.public}: write it under `approval: {{keys: …}}`, before the run is prepared"
            raise RunError(f"nobody who may approve run {run.id} has this key", where="--key", fix=fix)
        return keys[hand.public]
    if tools.who in keys.values():
        fix = f"`{typed('approve', run.id, '--key', 'FILE')}`"
        raise RunError(f"{tools.who} approves with a key of their own", fix=fix)
    return tools.who
