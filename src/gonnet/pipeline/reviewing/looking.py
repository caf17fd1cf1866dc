"""What counts as a review of a run."""

from __future__ import annotations

from gonnet.ledger import RunRecord
from gonnet.ledger.states import RunState
from gonnet.pipeline.tools import Tools


def note_review(run: RunRecord, tools: Tools, *, is_whole: bool) -> None:
    """Write down that a person looked at a run; to look at some of its packages is no review of it.

    Args:
        run: The run.
        tools: The tools; a ledger that cannot be written stays as it is.
        is_whole: Whether all packages were shown.
    """
    if is_whole and run.state is RunState.PREPARED and tools.ledger.is_writable:
        tools.ledger.mark_reviewed(run.id)
