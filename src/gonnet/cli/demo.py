"""`gonnet demo`."""

from __future__ import annotations

import contextlib
import os
import shlex
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import click

from gonnet.cli import _exit
from gonnet.errors import typed

_STEPS = (
    ("The job and its data, before anything is made:", ("check", "statements")),
    ("Every farm's package is made. This contacts nobody:", ("prepare", "statements")),
    ("The whole list, before anything leaves:", ("review", "last", "--quiet")),
    ("Now it is sent, here to a stand-in server that keeps everything:", ("send", "last", "--yes")),
    ("What arrived for one farm:", ("mailbox", "list", "--to", "farm00079@members.tarnvale.example")),
)


@click.command(short_help="Make a made-up cooperative and walk one run through it.")
@click.argument("folder", type=click.Path(path_type=Path), default=Path("tarnvale"))
def demo(folder: Path) -> int:
    """Write the workspace of the made-up Tarnvale dairy cooperative into FOLDER (`tarnvale` when left out) and walk
    one month's milk statements through it, from the check to the mailbox.

    \b
    Example:  gonnet demo
    """
    from gonnet.cli import _show
    from gonnet.demo.workspace_files import write_workspace

    if (folder / "gonnet.yaml").exists():
        return _already_there(folder)
    port = write_workspace(folder)
    _show.line(f"The Tarnvale dairy cooperative is in {folder}: 48 farms, one month of milk collections.", "bold")
    with _mail_server(folder, port):
        for purpose, words in _STEPS:
            _show.line()
            _show.line(purpose)
            _show.line(f"$ gonnet {' '.join(words)}", "bold cyan")
            code = _gonnet(folder, words)
            if code not in (_exit.DONE, _exit.ATTENTION):
                return code
    _farewell(folder)
    return _exit.DONE


def _gonnet(folder: Path, words: tuple[str, ...]) -> int:
    """Run a command in the workspace as if it were typed there; its exit code."""
    from gonnet.cli import gonnet

    with contextlib.chdir(folder):
        try:
            _exit.run(gonnet, words)
        except SystemExit as ended:
            return ended.code if isinstance(ended.code, int) else _exit.DEFECT


@contextmanager
def _mail_server(folder: Path, port: int) -> Iterator[None]:
    """The stand-in server, in a process of its own, while the demo runs."""
    from gonnet.errors import UnreachableError

    server = subprocess.Popen(
        [sys.executable, "-m", "gonnet", "mailbox", "serve", "--port", str(port)],
        cwd=folder,
        stdout=subprocess.DEVNULL,
        env={**os.environ, "PYTHONUNBUFFERED": "1"},
    )
    try:
        for _ in range(100):
            with socket.socket() as probe:
                if probe.connect_ex(("127.0.0.1", port)) == 0:
                    break
            if server.poll() is not None:
                raise UnreachableError("the stand-in mail server did not start", fix="Try again")
            time.sleep(0.1)
        yield
    finally:
        server.terminate()
        server.wait(timeout=10)


def _already_there(folder: Path) -> int:
    from gonnet.cli import _show

    other = next(name for n in range(2, 1000) if not (name := folder.with_name(f"{folder.name}-{n}")).exists())
    _show.line(f"There is a workspace in {folder} already; nothing was changed.")
    _show.next_steps(
        (f"cd {shlex.quote(str(folder))} && gonnet runs", "go on with it"), (typed("demo", other), "make a fresh one")
    )
    return _exit.WRONG


def _farewell(folder: Path) -> None:
    from gonnet.cli import _show

    _show.line()
    _show.line("That was a whole run. The stand-in server has stopped; its mailbox stays.", "bold")
    _show.next_steps(
        (f"cd {folder}", "go into the workspace"),
        ("gonnet review", "the whole list again, one line a farm, with what was held and why"),
        ("gonnet show last 00079", "one farm's package, its message and its history"),
        ("gonnet review --into look", "the PDFs and workbooks, in the folder `look`"),
        ("gonnet mailbox list", "every message that arrived"),
        ("jobs/statements.yaml", "the job: change it, then `gonnet check statements`"),
        ("gonnet mailbox serve", "the stand-in server, to send once more"),
    )
