"""What is known of a run when its packages are assembled."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from gonnet.jobs.secrets import Secrets
from gonnet.jobs.targets import TargetKind
from gonnet.jobs.workspace import FolderRoot
from gonnet.packages.own_files import Shelf
from gonnet.packages.plans import Reading
from gonnet.recipients import Recipient
from gonnet.rules import Evaluated


@dataclass(frozen=True, slots=True, kw_only=True)
class Known:
    """What is known of a run when its packages are assembled.

    Attributes:
        readings: Locale → the job in it; the first is that of the house.
        evaluated: Key or bundle → its figures and conditions.
        fields: Key → the columns of the line that describes it.
        called: Key → how it is called.
        past: Package → what its texts may say of what it was last sent.
        secrets: What passwords are resolved with.
        shelf: The files from which recipients get their own.
        files: Arrival that is a folder → key → its files.
        shortest_password: How many characters a password has at least.
        encrypts: Tells of ways whether messages by them may be encrypted.
        lets_files_open: Tells of ways and contacts whether nobody gets the files but encrypted.
        roots: Way of the job, by number → the folder, mailbox or printer that it puts files into.
    """

    readings: Mapping[str, Reading]
    evaluated: Mapping[str, Evaluated]
    fields: Mapping[str, Mapping[str, object]]
    called: Mapping[str, str]
    past: Mapping[str, Mapping[str, object]]
    secrets: Secrets
    shelf: Shelf
    files: Mapping[str, Mapping[str, Sequence[str]]]
    shortest_password: int = 1
    encrypts: Callable[[Sequence[int]], bool] = lambda _ways: False
    lets_files_open: Callable[[Sequence[int], Sequence[Recipient]], bool] = lambda _ways, _people: False
    roots: Mapping[int, tuple[tuple[TargetKind, str], FolderRoot]] = field(default_factory=dict)
