"""Programs of the workspace: no shell, a time limit, the output kept."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from gonnet.errors import DataError
from gonnet.jobs.workspace import Program

_MOST = 20_000  # characters of output that are kept


@dataclass(frozen=True, slots=True, kw_only=True)
class Ran:
    """A program that ran.

    Attributes:
        words: What was run.
        code: Its exit code; None where it was stopped at its time limit.
        output: The end of what it printed.
    """

    words: tuple[str, ...]
    code: int | None
    output: str

    @property
    def is_well(self) -> bool:
        """Whether it did what it should."""
        return self.code == 0

    @property
    def text(self) -> str:
        """What happened, for the record."""
        how = "was stopped at its time limit" if self.code is None else f"ended with {self.code}"
        return f"`{' '.join(self.words)}` {how}" + (f": {self.output}" if self.output else "")


def run(program: Program, folder: Path, where: str, env: Mapping[str, str], text_in: str) -> Ran:
    """Run a program in `folder`.

    Args:
        program: The program.
        folder: Where it runs.
        where: What to name in an error.
        env: What is in its environment besides that of this process.
        text_in: What it reads from its standard input.

    Raises:
        DataError: there is no such program.
    """
    try:
        found = subprocess.run(
            program.run,
            cwd=folder,
            input=text_in.encode("utf-8"),
            env={**os.environ, **env},
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            timeout=program.seconds,
            check=False,
        )
    except subprocess.TimeoutExpired as error:
        return Ran(words=program.run, code=None, output=_end(error.output))
    except OSError as error:
        what = f"the program '{program.run[0]}' cannot be run: {error.strerror}"
        raise DataError(what, where=where, fix="Give its full path, and check that it may be run") from error
    return Ran(words=program.run, code=found.returncode, output=_end(found.stdout))


def _end(output: bytes | None) -> str:
    return (output or b"").decode("utf-8", "replace").strip()[-_MOST:]
