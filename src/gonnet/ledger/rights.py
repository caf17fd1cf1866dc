"""Who may do what, of those who would at the same time: rights that end with their process, whatever becomes of it."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import AbstractContextManager, ExitStack, contextmanager

from gonnet.errors import BusyError
from gonnet.ledger.bases import Base, Share
from gonnet.ledger.records import RunRecord
from gonnet.locks import HeldError, file_name


class Rights:
    """The rights of one ledger.

    Args:
        base: Where it is.
    """

    def __init__(self, base: Base) -> None:
        self._base = base

    @contextmanager
    def alone(self, run: RunRecord) -> Iterator[None]:
        """Hold the right to change a run's packages, and with it every run of the same job and cycle.

        Raises:
            BusyError: another process holds it, or sends.
        """
        with _or_busy(run), self._base.lock(_sending(run)):
            yield

    @contextmanager
    def sharing(self, run: RunRecord) -> Iterator[Share]:
        """Hold the right to send a run, together with all who send the same run, where the ledger allows several.

        Raises:
            BusyError: another process changes it, or sends another run of the same job and cycle.
        """
        with _or_busy(run), self._base.share(_sending(run), run.id) as share:
            yield share

    @contextmanager
    def alone_with(self, job: str) -> Iterator[bool]:
        """Hold the right to run what is due of a job; False where another process holds it."""
        with ExitStack() as stack:
            try:
                stack.enter_context(self._base.lock(f"due-{file_name(job)}"))
            except HeldError:
                yield False
                return
            yield True

    def telling(self) -> AbstractContextManager[None]:
        """Hold the right to tell notices.

        Raises:
            HeldError: another process holds it.
        """
        return self._base.lock("notices")


@contextmanager
def _or_busy(run: RunRecord) -> Iterator[None]:
    try:
        yield
    except HeldError as error:
        what = f"the job '{run.job}' is being sent or changed by another process, for {run.period}"
        raise BusyError(what, where=f"run {run.id}", fix="Wait until it is done, then look again") from error


def _sending(run: RunRecord) -> str:
    """The lock of whoever sends or changes a run: one for all runs of the same job and cycle."""
    return f"sending-{file_name(run.job, run.cycle)}"
