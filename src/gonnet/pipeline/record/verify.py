"""Whether the record of a workspace can be believed: its chain of events, its tables, the seals, the stored files."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

from gonnet.errors import SealError
from gonnet.jobs.approval import Approval
from gonnet.ledger import PackageRecord
from gonnet.ledger.keeping import REMOVED
from gonnet.ledger.proving import Fault
from gonnet.pipeline.sending.approving import is_by_key
from gonnet.pipeline.tools import Progress, Tools, no_progress


@dataclass(frozen=True, slots=True, kw_only=True)
class Verdict:
    """What came of looking at everything.

    Attributes:
        faults: What is not as the record says.
        events: How many events the chain has.
        head: The digest of the last one.
        runs: How many runs were compared.
        packages: How many packages were.
        files: How many files of the store were read.
        removed: How many files are gone because they were kept for long enough.
        older: How many packages are older than the chain: no event says what they are made of.
        unsealed: How many packages have a seal whose key is not on this machine.
    """

    faults: tuple[Fault, ...]
    events: int
    head: str
    runs: int
    packages: int
    files: int
    removed: int
    older: int
    unsealed: int


@dataclass(slots=True)
class _Count:
    packages: int = 0
    files: int = 0
    removed: int = 0
    older: int = 0
    unsealed: int = 0
    looked_at: set[str] = field(default_factory=set)


def verify(tools: Tools, progress: Progress = no_progress) -> Verdict:
    """Compare everything; nothing is changed.

    Args:
        tools: The tools.
        progress: Told of every run that was compared.

    Raises:
        StorageError: the ledger cannot be read at all.
    """
    prover, count = tools.ledger.prover, _Count()
    faults = prover.database()
    found = prover.follow(tools.ledger.home.noted_event)
    runs, missing = prover.runs()
    faults += [*found.faults, *missing]
    for done, run_id in enumerate(runs, 1):
        wrong, older = prover.run(run_id)
        faults += wrong
        count.older += older
        faults += _of_approvals(tools, run_id)
        faults += _of_packages(tools, run_id, count)
        progress(done, len(runs))
    return Verdict(
        faults=tuple(faults),
        events=found.events,
        head=found.head,
        runs=len(runs),
        packages=count.packages,
        files=count.files,
        removed=count.removed,
        older=count.older,
        unsealed=count.unsealed,
    )


def _of_approvals(tools: Tools, run_id: int) -> Iterator[Fault]:
    """A fault for each approval that must be signed with a key, and is not."""
    specs = [Approval.model_validate(one, strict=False) for one in tools.ledger.run(str(run_id)).approval]
    keys = {name: public for spec in specs for name, public in spec.keys.items()}
    for one in tools.ledger.approvals.of(run_id) if keys else ():
        if one.who in keys and not is_by_key(run_id, one, keys[one.who]):
            yield Fault(f"run {run_id}", f"the approval of {one.who} is not signed with their key")


def _of_packages(tools: Tools, run_id: int, count: _Count) -> Iterator[Fault]:
    """What is wrong with the seals of a run's packages, and with their files."""
    are_removed = any(what.startswith(REMOVED) for _, what in tools.ledger.history(run_id))
    for packages in tools.ledger.prover.packages(run_id):
        for package in packages:
            where = f"run {run_id}, package {package.key}"
            count.packages += 1
            if not (package.seal or package.documents or package.messages or package.hand_overs):
                continue  # nothing was made of it, so there is nothing to seal
            if not tools.seals.can_check(package):
                count.unsealed += 1
            elif trouble := tools.seals.trouble(package, run_id, leaves=False):
                yield Fault(where, trouble)
            for name, digest in _files(package):
                if digest not in count.looked_at:
                    count.looked_at.add(digest)
                    if trouble := _of_file(tools, digest, count, may_be_gone=are_removed or package.is_forgotten):
                        yield Fault(where, f"{name}: {trouble}")


def _files(package: PackageRecord) -> Iterator[tuple[str, str]]:
    """Name and digest of every file of a package."""
    yield from ((part.name, part.sha256) for part in package.documents)
    yield from ((f"the message '{part.subject}'", part.sha256) for part in package.messages)
    yield from ((f"the file for {part.target}", part.sha256) for part in package.hand_overs if part.sha256)


def _of_file(tools: Tools, digest: str, count: _Count, *, may_be_gone: bool) -> str | None:
    if may_be_gone and not tools.store.has(digest):
        count.removed += 1
        return None
    count.files += 1
    try:
        tools.store.get(digest)
    except SealError as error:
        return error.what
    return None
