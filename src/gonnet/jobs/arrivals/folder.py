"""What a job says of a folder of files that another system made: which they are, and whose each of them is."""

from __future__ import annotations

from typing import ClassVar, Literal

from gonnet.jobs.arrivals.common import FILE, Coming, OnPictures, Pattern, Value
from gonnet.jobs.sections import Name, Section


class KeyInPath(Section):
    """What says whose a file is.

    Attributes:
        path: A regular expression for the path of the file in the workspace, with `/` between folders, whose group
            `key`, or only group, is the key.
    """

    path: Pattern


class InPath(Value):
    """A value that paths say.

    Attributes:
        path: A regular expression for the path of a file, whose group `value`, or only group, is the value.
    """

    path: Pattern


class Folder(Coming):
    """Files that another system made, of any kind: each is somebody's, with the key that its path says.

    Attributes:
        files: The files, in the workspace; `*` and `?` stand for any signs of a name, `**` for any folders.
        key: What says whose a file is; a file that the job encloses for everybody needs none.
        unmarked: Whether a file whose path says no key is a mistake, or is left out.
        again: Whether a second file of a key is a mistake, or all of them go together.
        leave_out: Regular expressions: files whose path has one of them are nobody's.
        read: Values that the paths of a key say, by name; they are figures.
        pictures: What becomes of files that nobody can search, such as scanned pages: held, or accepted.
    """

    formats: ClassVar[tuple[str, ...]] = ("file", "pdf")

    files: str
    key: KeyInPath
    unmarked: Literal["refuse", "leave out"] = "refuse"
    again: Literal["refuse", "together"] = "together"
    read: dict[Name, InPath] = {}
    pictures: OnPictures = "hold"

    @property
    def unit(self) -> str:
        """A file."""
        return "file"

    @property
    def places(self) -> tuple[str, ...]:
        """Its path."""
        return (FILE,)
