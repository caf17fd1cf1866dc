"""Whether something of a run wants a person: the one place that says so, for every command and every exit code."""

from __future__ import annotations

from collections.abc import Sequence

from gonnet.findings import Weight
from gonnet.ledger import RunRecord, State
from gonnet.pipeline.surveying.picking import picked_of
from gonnet.pipeline.tools import Tools

WANTING = (State.UNSURE, State.FAILED, State.HELD)
"""The states in which a package wants a decision, the most urgent first."""


def wants_attention(run: RunRecord) -> bool:
    """Whether something of a run is held, failed or unsure, or a finding says so."""
    return not run.counts.keys().isdisjoint(WANTING) or any(weight == Weight.ATTENTION for weight, _ in run.findings)


def chosen_want_attention(run: RunRecord, tools: Tools, only: Sequence[str]) -> bool:
    """The same of the packages that somebody chose; of the whole run where nobody did."""
    if not only:
        return wants_attention(run)
    return any(package.state in WANTING for package in tools.ledger.packages(run.id, picked_of(run, tools, only)))
