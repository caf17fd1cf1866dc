"""The right to be forgotten: one recipient's documents and values go; the record of what was done stays, and holds."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import ExitStack
from dataclasses import dataclass

from gonnet.data.files.kept import READINGS, Kept
from gonnet.errors import RunError, typed
from gonnet.ledger import PackageRecord, State
from gonnet.ledger.forgetting import Remembered
from gonnet.ledger.states import OVER
from gonnet.pipeline.tools import Tools
from gonnet.recipients.corrections import forget_key


@dataclass(frozen=True, slots=True, kw_only=True)
class Forgotten:
    """What would be removed of a recipient, and what is not Gonnet's to remove.

    Attributes:
        known: What the ledger has.
        messages: How many messages of it there are.
        digests: The files of the store that nobody else needs.
        readings: How many data files were read and kept, which go too.
        elsewhere: Where else it may stand, in words.
    """

    known: Remembered
    messages: int
    digests: tuple[str, ...]
    readings: int
    elsewhere: tuple[str, ...]


def look_for(tools: Tools, key: str) -> Forgotten:
    """What there is of a recipient; nothing is removed.

    Raises:
        RunError: no run has a package of it, or one may still leave or is in doubt.
    """
    known = tools.ledger.forgetting.find(key)
    if not known.packages:
        raise RunError(f"no run has a package for key '{key}'", fix="`gonnet show RUN` lists the keys of a run")
    for run, packages in known.packages.items():
        for package in packages:
            if package.state is not State.SKIPPED and any(part.state not in OVER for part in package.hand_overs):
                fix = f"`{typed('show', run, package.key)}` tells what; skip or settle it first"
                raise RunError(f"package {package.key} of run {run} may still leave, or is in doubt", fix=fix)
    own = {digest for package in known.all for digest in _files(package)}
    return Forgotten(
        known=known,
        messages=sum(len(package.messages) for package in known.all),
        digests=tuple(sorted(own - tools.ledger.forgetting.files_of_others(known, own))),
        readings=sum(1 for _ in Kept(tools.workspace.kept / READINGS).all()),
        elsewhere=tuple(_elsewhere(tools, known)),
    )


def forget(found: Forgotten, tools: Tools) -> None:
    """Remove it, while nobody sends or changes a run that it is of.

    Raises:
        RunError: something of it was changed since it was found.
        BusyError: another process sends or changes such a run.
        StorageError: the ledger or a file cannot be written.
    """
    with ExitStack() as stack:
        held = {(run.job, run.cycle): run for run in (tools.ledger.run(str(one)) for one in found.known.packages)}
        for run in held.values():
            stack.enter_context(tools.ledger.rights.alone(run))
        if look_for(tools, found.known.key).known != found.known:
            raise RunError(
                f"something of {found.known.key} was changed meanwhile", fix="Nothing was removed; look again"
            )
        tools.ledger.forgetting.forget(found.known, lambda package: tools.seals.of(package, package.state), tools.who)
    for digest in found.digests:
        tools.store.remove(digest)
    for reading in Kept(tools.workspace.kept / READINGS).all():
        reading.unlink(missing_ok=True)
    forget_key(tools.workspace.folder, found.known.key)


def _files(package: PackageRecord) -> Iterator[str]:
    for parts in (package.documents, package.messages, package.hand_overs):
        yield from (part.sha256 for part in parts if part.sha256)


def _elsewhere(tools: Tools, known: Remembered) -> Iterator[str]:
    folder = tools.workspace.folder
    for run, keys in known.bundles.items():
        yield f"run {run}: bundles that show its rows to others ({', '.join(keys[:3])}{' …' if len(keys) > 3 else ''})"
    yield "the data and the lists that jobs read"
    placed = {part.target.name for package in known.all for part in package.placed}
    if placed:
        yield f"what was put into {', '.join(sorted(placed))}"
    if tools.workspace.file.log and (folder / tools.workspace.file.log).is_file():
        yield f"the log {tools.workspace.file.log}"
    for old in sorted(tools.workspace.kept.glob("ledger-form-*.db")):
        yield f"{old.name}, the ledger as an earlier version left it"
    yield "copies and backups of this workspace, and what recipients have"
