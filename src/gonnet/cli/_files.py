"""Copying documents of a run out of the store, into a folder that the user names."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from gonnet import private
from gonnet.errors import RunError

if TYPE_CHECKING:
    from gonnet.ledger import DocumentRecord, PackageRecord
    from gonnet.pipeline.tools import Tools


def copied(tools: Tools, packages: Sequence[PackageRecord], folder: Path, *, over: bool) -> list[Path]:
    """Copy the documents of packages, each checked against its digest; returns where they are.

    Bundles have documents of others again, and two files put in by hand may be called the same: then each package has
    a folder of its own.

    Raises:
        RunError: `over` is not said, and there is another file already; nothing was copied.
        SealError: a document is not what was made.
    """
    wanted = list(_places(packages, folder))
    if not over:
        for target, document in wanted:
            if target.exists() and target.read_bytes() != tools.store.get(document.sha256):
                raise RunError(f"{target} is there already, and is another file", fix="Name another folder")
    private.folder(folder)
    for target, document in wanted:
        private.folder(target.parent)
        private.write(target, tools.store.get(document.sha256))
    return [target for target, _ in wanted]


def _places(packages: Sequence[PackageRecord], folder: Path) -> Iterator[tuple[Path, DocumentRecord]]:
    from gonnet.packages import Names, safe_name

    named = defaultdict(set)
    for package in packages:
        for document in package.documents:
            named[document.name.casefold()].add(document.sha256)
    apart = any(len(digests) > 1 for digests in named.values())
    names = Names()
    for package in packages:
        home = folder / names.unique(safe_name(package.key)) if apart or package.keys else folder
        yield from ((home / document.name, document) for document in package.documents)
