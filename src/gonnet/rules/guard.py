"""Whether a whole run looks too different from the last one to leave without a person's word."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from decimal import Decimal, InvalidOperation

from gonnet.data import Engine
from gonnet.jobs.rules import Guard


@dataclass(frozen=True, slots=True, kw_only=True)
class Measured:
    """What a guard looks at.

    Attributes:
        run: The number of the run; None for the one that is being made.
        recipients: Keys that have rows.
        totals: Figure → its value over all rows, as text.
        rows: Data set that comes from a file or a database → its rows.
    """

    recipients: int
    totals: Mapping[str, str]
    rows: Mapping[str, int] = field(default_factory=dict)
    run: int | None = None


def measured(engine: Engine, rows: Mapping[str, int]) -> Measured:
    """The measures of the run that is being made, after its rules were evaluated."""
    names = [column.name for column in engine.columns("gonnet_whole")]
    values = engine.query("select * from gonnet_whole")[0]
    recipients = engine.query("select recipients from gonnet_run")[0][0]
    totals = {name: str(value) for name, value in zip(names, values, strict=True) if value is not None}
    return Measured(recipients=int(str(recipients)), totals=totals, rows=rows)


def alarms(guard: Guard, now: Measured, last: Measured | None, held: int, ready: int) -> Iterator[str]:
    """Yield what is out of bounds, in words.

    Args:
        guard: The bounds.
        now: This run.
        last: The last one of which something was sent; None where there is none.
        held: Packages that are held.
        ready: Packages that are ready.
    """
    if last is not None:
        if guard.recipients is not None:
            yield from _moved("recipients", Decimal(now.recipients), Decimal(last.recipients), guard.recipients, last)
        for name, share in guard.totals.items():
            values = _number(now.totals.get(name)), _number(last.totals.get(name))
            if values[0] is None or values[1] is None:
                continue
            yield from _moved(name, values[0], values[1], share, last)
    if guard.held is not None and held > guard.held * (held + ready) / 100:
        yield f"{held} of {held + ready} packages are held, more than {guard.held.normalize():f} %"


def _moved(name: str, now: Decimal, before: Decimal, share: Decimal, last: Measured) -> Iterator[str]:
    if abs(now - before) * 100 > share * abs(before):
        moved = (
            f"{abs(now - before) * 100 / abs(before):.0f} % {'more' if now > before else 'less'}" if before else "more"
        )
        yield f"{name}: {now:,f}, and {before:,f} in run {last.run} ({moved})"


def _number(text: str | None) -> Decimal | None:
    try:
        value = Decimal(text) if text else None
    except InvalidOperation:
        return None
    return value if value is not None and value.is_finite() else None
