"""The state that its deliveries give a package."""

from __future__ import annotations

from sqlalchemy import Connection

from gonnet.ledger import statements
from gonnet.ledger.records import HandOver, State, package_state


def settle_package(work: Connection, package_id: int) -> tuple[State, dict[tuple[str, int], str]]:
    """Give a package the state that its deliveries give it.

    Returns:
        The state; and kind (`mail`, `folder`) and number of each delivery → where it goes.
    """
    rows = work.execute(statements.DELIVERIES_OF, {"package": package_id}).all()
    filings = work.execute(statements.FILINGS_OF, {"package": package_id}).all()
    parts = [(("mail", row.id), row.address, row.state, row.reply) for row in rows]
    parts += [(("folder", row.id), f"{row.root}: {row.place}", row.state, row.reply) for row in filings]
    mine = package_state([HandOver(state) for _, _, state, _ in parts]) or State.READY
    reasons = [f"{to}: {said}" for _, to, state, said in parts if state not in (HandOver.SENT, HandOver.WAITING)]
    work.execute(statements.SETTLE, {"package": package_id, "settled": mine, "why": "; ".join(reasons)})
    return mine, {place: to for place, to, _, _ in parts}
