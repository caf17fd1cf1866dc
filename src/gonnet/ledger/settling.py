"""The state that its deliveries give a package."""

from __future__ import annotations

from typing import NamedTuple

from sqlalchemy import Connection

from gonnet.ledger import statements
from gonnet.ledger.records import HandOver, State, package_state


class Part(NamedTuple):
    """A delivery of a package: kind (`mail`, `folder`) and number, where it goes, its state, and what was answered."""

    place: tuple[str, int]
    to: str
    state: HandOver
    said: str


def settle_package(
    work: Connection, package_id: int, only: Part | None = None
) -> tuple[State, dict[tuple[str, int], str]]:
    """Give a package the state that its deliveries give it.

    Args:
        work: A transaction.
        package_id: The package.
        only: Its delivery as it is now, where it is known to have but one; else they are looked up.

    Returns:
        The state; and kind and number of each delivery → where it goes.
    """
    parts = [only] if only is not None else _parts(work, package_id)
    mine = package_state([part.state for part in parts]) or State.READY
    reasons = [f"{part.to}: {part.said}" for part in parts if part.state not in (HandOver.SENT, HandOver.WAITING)]
    statements.run(work, statements.SETTLE, package=package_id, settled=mine, why="; ".join(reasons))
    return mine, {part.place: part.to for part in parts}


def _parts(work: Connection, package_id: int) -> list[Part]:
    mailed = statements.run(work, statements.DELIVERIES_OF, package=package_id).fetchall()
    filed = statements.run(work, statements.FILINGS_OF, package=package_id).fetchall()
    parts = [Part(("mail", at), address, HandOver(state), reply) for at, state, address, reply in mailed]
    parts += [
        Part(("folder", at), f"{root}: {place}", HandOver(state), reply) for at, state, root, place, reply in filed
    ]
    return parts
