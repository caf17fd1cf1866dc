"""The seal: what was reviewed is what is sent."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence

_CANONICAL = json.JSONEncoder(ensure_ascii=True, separators=(",", ":"), sort_keys=True)


def seal_of(
    key: str,
    documents: Sequence[tuple[str, str]],
    messages: Sequence[tuple[str, str, Sequence[str], Sequence[str]]],
    filings: Sequence[tuple[str, str, str]] = (),
) -> str:
    """One SHA-256 (hexadecimal) over all that leaves with a package.

    Args:
        key: The package's key.
        documents: File name and SHA-256 of each document, in order.
        messages: Message-ID, SHA-256, envelope addresses and attached files of each message, in order.
        filings: Folder, place below it and SHA-256 of each file that is put into one.
    """
    canonical = _CANONICAL.encode(
        {
            "key": key,
            "documents": [list(document) for document in documents],
            "messages": [[name, digest, list(envelope), list(files)] for name, digest, envelope, files in messages],
            "filings": [list(filing) for filing in filings],
        }
    )
    return hashlib.sha256(canonical.encode("ascii")).hexdigest()
