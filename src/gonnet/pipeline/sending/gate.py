"""What the workspace allows to leave, whatever a job says: domains, numbers of messages, hours, and nothing twice."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence

from gonnet.errors import RunError
from gonnet.jobs.workspace import Limits
from gonnet.ledger import PackageRecord, RunRecord
from gonnet.pipeline.sending.composing import waiting_in
from gonnet.pipeline.tools import Tools
from gonnet.recipients import Address

_SHOWN = 3


def strangers(addresses: Sequence[str], limits: Limits) -> list[str]:
    """The addresses whose domain is not allowed; a domain allows those below it too."""
    if not limits.domains:
        return []
    allowed = [domain.casefold().lstrip("@.") for domain in limits.domains]
    found = []
    for address in dict.fromkeys(addresses):
        domain = Address(mailbox=address).domain
        if not any(domain == name or domain.endswith(f".{name}") for name in allowed):
            found.append(address)
    return found


def told_of_strangers(addresses: Sequence[str]) -> str:
    """Why a package with such addresses is held."""
    return f"gonnet.yaml does not allow mail to {', '.join(addresses)}"


def require_within_limits(packages: Sequence[PackageRecord], tools: Tools) -> None:
    """Refuse a send that would go beyond what the workspace allows; nothing has left then.

    Raises:
        RunError: there are more messages than a run may have, more to one address, or it is a quiet hour.
    """
    limits = tools.workspace.file.limits
    waiting = Counter(address.casefold() for package in packages for _, _, address in waiting_in(package))
    count = sum(waiting.values())
    if limits.messages is not None and count > limits.messages:
        what = f"{count} messages would leave, and gonnet.yaml allows {limits.messages} at a time"
        raise RunError(what, fix="Send some with --only, or raise `limits: {messages: …}`")
    if limits.per_address is not None and waiting:
        address, most = waiting.most_common(1)[0]
        if most > limits.per_address:
            what = f"{most} messages would go to {address}, and gonnet.yaml allows {limits.per_address}"
            raise RunError(what, fix="Bundle them, or raise `limits: {per_address: …}`")
    now = tools.clock().astimezone(tools.workspace.zone).time()
    if limits.quiet is not None and waiting and is_within(now, limits.quiet):
        begin, end = limits.quiet
        what = f"it is {now:%H:%M}, and gonnet.yaml lets nothing leave from {begin:%H:%M} to {end:%H:%M}"
        raise RunError(what, fix="Send it later")


def is_within(now: dt.time, span: tuple[dt.time, dt.time]) -> bool:
    """Whether a time of the day lies in a span that may go over midnight; its end does not belong to it."""
    begin, end = span
    return begin <= now < end if begin <= end else now >= begin or now < end


def sent_before(run: RunRecord, packages: Sequence[PackageRecord], tools: Tools) -> dict[str, int]:
    """Key → the run in which it was sent this job's packages for the same period already."""
    earlier = tools.ledger.sent_elsewhere(run)
    return {package.key: earlier[package.key] for package in packages if package.key in earlier}


def told_of_earlier(found: Mapping[str, int]) -> Iterator[str]:
    """In words, run by run."""
    for number in sorted(set(found.values())):
        keys = [key for key, at in found.items() if at == number]
        shown = ", ".join(keys[:_SHOWN]) + (" …" if len(keys) > _SHOWN else "")
        many = f"{len(keys)} package{'s were' if len(keys) > 1 else ' was'}"
        yield f"{many} sent in run {number} for the same period already ({shown})"
