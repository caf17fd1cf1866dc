"""Where the files of a package are put, and under which links they can be seen."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from typing import Literal, NamedTuple
from urllib.parse import quote

from gonnet.jobs.targets import Target, TargetKind
from gonnet.packages.names import safe_name

_FOLDERS = re.compile(r"\|\s*path\b")
_APART = re.compile(r"/(?![^{]*\}\})")  # not inside a merge field


class PlacePlan(NamedTuple):
    """That the files of a package are put somewhere.

    Attributes:
        way: What the job calls it.
        kind: Whether it is a folder, a mailbox or a printer.
        name: How the workspace calls it.
        paths: Key → folders below it for the documents of that key, with `/`; empty for the folder itself. Under an
            empty key those of everything else.
        existing: What becomes of files that are there already.
        link: The address of the root, or empty.
        what: What is put there: the files; messages, each with its files in it; or pages, of the files that are PDFs.
    """

    way: str
    kind: TargetKind
    name: str
    paths: Mapping[str, str]
    existing: str
    link: str = ""
    what: Literal["files", "messages", "pages"] = "files"

    def place(self, name: str, key: str = "") -> str:
        """Where a file is put, below the root; `key` is whose document it is, where it is of one."""
        path = self.paths[key if key in self.paths else ""]
        return f"{path}/{name}" if path else name

    def target(self, name: str, key: str = "") -> Target:
        """Where a file goes."""
        return Target(self.kind, self.name, self.place(name, key))

    def link_to(self, name: str, key: str = "") -> str:
        """The address of a file."""
        return f"{self.link.rstrip('/')}/{quote(self.place(name, key))}"


def path_of(text: str, filled: Callable[[str], Iterable[str]]) -> str:
    """The path that a text gives: its own `/` part folders, those of merged values only where `path` says so.

    Args:
        text: With merge fields.
        filled: Fills a part of it, which may come to several folders.
    """
    parts = [part for part in _APART.split(text) if part.strip()]
    return "/".join(
        safe_name(name) for part in parts for name in filled(part) if name.strip() or not _FOLDERS.search(part)
    )
