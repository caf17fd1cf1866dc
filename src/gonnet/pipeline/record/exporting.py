"""Writing the account of a run to a file, signed where there is a key."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from gonnet import private
from gonnet.errors import DataError, StorageError
from gonnet.ledger import RunRecord
from gonnet.pipeline.record.account import account_of, as_json
from gonnet.pipeline.record.signing import signature
from gonnet.pipeline.record.verify import Verdict
from gonnet.pipeline.tools import Tools

_FORMS = (".pdf", ".json")


@dataclass(frozen=True, slots=True, kw_only=True)
class Exported:
    """What was written.

    Attributes:
        account: The file.
        signature: The file with its signature, or None where the workspace has no key.
    """

    account: Path
    signature: Path | None


def require_form(place: Path) -> None:
    """See that an account can be written so, before anything is compared.

    Raises:
        DataError: the name ends neither in .pdf nor in .json.
    """
    if place.suffix.casefold() not in _FORMS:
        raise DataError(f"an account is not written as '{place.suffix}'", where=str(place), fix="Name it .pdf or .json")


def export(run: RunRecord, tools: Tools, verdict: Verdict, place: Path) -> Exported:
    """Write the account of a run; only its owner can read it.

    Raises:
        DataError: as for `require_form`.
        JobError: the key cannot be used.
        StorageError: the file cannot be written.
    """
    require_form(place)
    account = account_of(run, tools, verdict)
    if place.suffix.casefold() == ".json":
        data = as_json(account)
    else:
        from gonnet.pipeline.record.pages import as_pdf  # drawing is loaded only where something is drawn

        data = as_pdf(account, tools)
    signed = signature(data, tools)
    sealed = place.with_name(f"{place.name}.sig")
    _written(lambda: private.write(place, data))
    if signed is not None:
        _written(lambda: private.write(sealed, signed))
    return Exported(account=place, signature=sealed if signed is not None else None)


def _written(write: Callable[[], object]) -> None:
    try:
        write()
    except OSError as error:
        raise StorageError(
            f"the account cannot be written: {error.strerror}", where=str(error.filename), fix="Choose another place"
        ) from error
