"""Carrying out what a sheet asks for that came back: all of it in one transaction, or nothing."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from gonnet.errors import DataError, JobError, RunError
from gonnet.ledger import PackageRecord, RunRecord
from gonnet.ledger.changes import Change
from gonnet.pipeline.reviewing.amending.amend import Amender, after
from gonnet.pipeline.reviewing.amending.amendment import Amendment
from gonnet.pipeline.reviewing.by_hand import moving
from gonnet.pipeline.reviewing.decisions import Ask, Intention, carry_out
from gonnet.pipeline.reviewing.sheet.deciding import Decision, Refusal, decisions_of
from gonnet.pipeline.reviewing.sheet.lines import messages_of, table_of
from gonnet.pipeline.reviewing.sheet.reading import read_sheet
from gonnet.pipeline.sending.choosing import require_prepared
from gonnet.pipeline.tools import Tools

_AGAIN = "Correct it and read the sheet again; nothing was done"


def amend_from(run: RunRecord, tools: Tools, path: Path, who: str, ask: Ask) -> tuple[PackageRecord, ...]:
    """Carry out the decisions of a sheet.

    Args:
        run: The run.
        tools: The tools.
        path: The sheet: a workbook, or CSV.
        who: Who decides.
        ask: Asked with all that would be changed; not where that is nothing.

    Returns:
        The packages that were changed, as they are now; none where nothing was to be, or the answer was no.

    Raises:
        DataError: it cannot be read, or a line cannot be used (carries all such lines).
        RunError: the run was not prepared to its end, or a package was changed meanwhile.
        BusyError: the run is being sent.
        GonnetError: the data cannot be read anew for another message.
    """
    require_prepared(run)
    lines = read_sheet(path)
    with tools.ledger.rights.alone(run):
        packages = tools.ledger.packages(run.id)
        decisions, refusals = decisions_of(lines, table_of(run, packages, messages_of(run, tools)), tools)
        changes, more = _planned(run, tools, decisions, packages, who)
    if refused := sorted((*refusals, *more), key=lambda refusal: refusal.line):
        raise DataError.of([_as_error(refusal, path) for refusal in refused])
    intention = Intention(run=run, changes=tuple(changes), left_out=(), is_named=False)
    return carry_out(intention, tools) if changes and ask(intention) else ()


def _as_error(refusal: Refusal, path: Path) -> DataError:
    return DataError(refusal.why, where=f"{path.name}, line {refusal.line}", fix=_AGAIN)


def _require_own_addresses(amender: Amender, package: PackageRecord, wanted: Amendment) -> None:
    """A sheet cannot send to another recipient: it would be held for that and let go by the same line.

    Raises:
        RunError: it is written to one.
    """
    if strange := amender.of_somebody_else(package, wanted):
        raise RunError(f"it would be written to {strange}; do that with `gonnet amend`, and release it then")


def _planned(
    run: RunRecord, tools: Tools, decisions: Sequence[Decision], packages: Sequence[PackageRecord], who: str
) -> tuple[list[Change], list[Refusal]]:
    """What becomes of each package, and the lines that ask for what cannot be."""
    wanted = [(decision.package, decision.wanted) for decision in decisions if decision.wanted is not None]
    amender = Amender(run, tools, who, wanted, packages)
    changes: list[Change] = []
    refusals: list[Refusal] = []
    for decision in decisions:
        package, mine = decision.package, list[Change]()
        try:
            if decision.wanted is not None:
                _require_own_addresses(amender, package, decision.wanted)
                amended = amender.change(package, decision.wanted, decision.why)
                mine.append(amended)
                package = after(amended)
            if decision.to is not None and decision.to is not package.state:
                mine += moving(run, tools, decision.to, decision.why, who)(package)
        except (DataError, JobError, RunError) as error:
            refusals += [Refusal(decision.line, one.what) for one in error.mistakes]
        else:
            changes += mine
    return changes, refusals
