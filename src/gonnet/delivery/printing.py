"""Handing a file to the program that prints: no shell, a time limit, and a clear answer what came of it."""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from gonnet.errors import UnreachableError
from gonnet.jobs.services import PrinterSpec

_MOST = 300  # characters of what the program says that are kept


class NotPrintedError(Exception):
    """The program refused a file; its text says why."""


class PrintDoubtError(Exception):
    """The program did not come to its end: the file may be printed or not."""


class Printer:
    """One printer of the workspace; takes one file at a time, in the order in which they come.

    Args:
        name: How the workspace calls it.
        spec: The program, and how long it may take.
        folder: Where the program runs.
    """

    def __init__(self, name: str, spec: PrinterSpec, folder: Path) -> None:
        self._name, self._spec, self._folder = name, spec, folder
        self._turn = threading.Lock()

    def open(self) -> None:
        """See that there is such a program.

        Raises:
            UnreachableError: there is none that may be run.
        """
        program = self._spec.command[0]
        is_path = Path(program).parent != Path()
        if shutil.which(self._folder / program if is_path else program) is None:
            raise UnreachableError(
                f"the program '{program}' of the printer '{self._name}' is not there, or may not be run",
                where="gonnet.yaml, printers",
                fix="Install it, or give its full path",
            )

    def put(self, title: str, data: bytes) -> None:
        """Print a file.

        Args:
            title: What the print job is called.
            data: A PDF.

        Raises:
            NotPrintedError: the program ended with another code than 0; nothing is taken to be printed.
            PrintDoubtError: it was stopped, at its time limit or by somebody.
        """
        with self._turn, self._words(title, data) as words:
            code, said = self._run(words, None if self._spec.by_file else data)
        if code < 0:
            raise PrintDoubtError(f"{words[0]} was stopped by signal {-code}{said}")
        if code:
            raise NotPrintedError(f"{words[0]} ended with {code}{said}")

    @contextmanager
    def _words(self, title: str, data: bytes) -> Iterator[list[str]]:
        """The command with what stands in for `{title}` and `{file}`; the file is there as long as it is needed."""
        # A name that begins with a dash would be an option of the program.
        called = title.lstrip("-") or "print"
        words = [word.replace("{title}", called) for word in self._spec.command]
        if not self._spec.by_file:
            yield words
            return
        handle, name = tempfile.mkstemp(suffix=".pdf")  # only its owner may read it
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(data)
            yield [word.replace("{file}", name) for word in words]
        finally:
            Path(name).unlink(missing_ok=True)

    def _run(self, words: list[str], data: bytes | None) -> tuple[int, str]:
        """Exit code and what was said; in a session of its own, so that Ctrl-C does not cut a page off."""
        try:
            ran = subprocess.run(
                words,
                cwd=self._folder,
                input=data or b"",
                stdout=subprocess.PIPE,
                stderr=subprocess.STDOUT,
                timeout=self._spec.seconds,
                start_new_session=True,
                check=False,
            )
        except subprocess.TimeoutExpired as error:
            what = f"{words[0]} did not end within {self._spec.seconds} seconds"
            raise PrintDoubtError(what) from error
        except OSError as error:
            raise NotPrintedError(f"{words[0]} cannot be run: {error.strerror}") from error
        said = " ".join(ran.stdout.decode("utf-8", "replace").split())[-_MOST:]
        return ran.returncode, f": {said}" if said else ""
