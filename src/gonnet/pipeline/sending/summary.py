"""What administrators hear of a send: the counts, what wants attention, the full list attached."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from gonnet.ledger import PackageRecord, RunRecord
from gonnet.ledger.calendar import Notice
from gonnet.ledger.reading import those
from gonnet.ledger.states import HandOverState
from gonnet.pipeline.attention import WANTING
from gonnet.pipeline.sending.notices import tell_notices
from gonnet.pipeline.tools import Tools

_SHOWN = 20
_NOUNS = {
    HandOverState.SENT: "messages",
    HandOverState.FILED: "files",
    HandOverState.DRAFTED: "drafts",
    HandOverState.PRINTED: "PDFs",
}


def send_summary(run: RunRecord, tools: Tools) -> str | None:
    """Send the summary of a run, where the workspace wants one; why it was not taken, or None.

    Nothing of the run depends on it: a failure is told and recorded, and changes nothing.
    """
    spec = tools.workspace.file.summary
    if spec is None or (spec.when == "when wrong" and run.counts.keys().isdisjoint(WANTING)):
        return None
    tools.ledger.notices.add(summary_of(run, tools), None, tools.clock())
    return next(iter(tell_notices(tools)), None)


def summary_of(run: RunRecord, tools: Tools, *, subject: str = "", first: Sequence[str] = (), tell: str = "") -> Notice:
    """What is to be heard of a run.

    Args:
        run: The run.
        tools: The tools.
        subject: What happened; the counts of its packages when empty.
        first: Paragraphs that come before them.
        tell: Who is to hear it in place of those of the workspace.
    """
    packages = tools.ledger.packages(run.id)
    text = "\n".join([*(f"{plain(part)}\n" for part in first), *_body(run, packages)])
    return Notice(subject=subject or _subject(run), text=text, tell=tell, run=run.id)


def _subject(run: RunRecord) -> str:
    counts = ", ".join(f"{count} {state}" for state, count in run.came.items())
    return f"Run {run.id}, {run.title}: {counts}"


def _body(run: RunRecord, packages: Sequence[PackageRecord]) -> Iterator[str]:
    parameters = ", ".join(f"{name} {value}" for name, value in run.parameters.items())
    yield f"Run {run.id} of the job {plain(run.job)}" + (f", {plain(parameters)}" if parameters else "") + ":"
    yield ""
    for state, count in run.came.items():
        yield f"- {count:,} {state}"
    handed = [f"{count:,} {_NOUNS[state]} {state}" for state, count in run.handed.items()]
    if handed:
        yield ""
        yield f"So far: {', '.join(handed)}."
    wrong = those(packages, lambda package: package.state in WANTING)
    if wrong:
        yield ""
        yield "What wants attention:"
        yield ""
        for package in wrong[:_SHOWN]:
            yield f"- {package.state}: {plain(package.key)} {plain(package.name)}: {plain(package.reason)}"
        if len(wrong) > _SHOWN:
            yield f"- and {len(wrong) - _SHOWN} more"
    yield ""
    yield "The full list is attached."


def plain(text: str) -> str:
    """A value in CommonMark that acts as no markup."""
    return "".join(f"\\{sign}" if sign in "\\`*_{}[]<>()#+-.!|~&" else sign for sign in " ".join(text.split()))
