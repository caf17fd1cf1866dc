"""The program, loaded once: each command is a process of its own, forked from one that has imported everything.

A command takes a second or two to import what it needs, and the tests run hundreds of them. A forked process has its
own arguments, environment, folder, streams and exit code, as one that is begun anew; where a test is about the process
itself (signals, terminals, encodings, the first start), it begins a new one.
"""

from __future__ import annotations

import array
import atexit
import functools
import gc
import importlib
import json
import os
import pkgutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path

from babel import Locale


def run_loaded(
    words: Sequence[str], folder: Path, text_in: str | None, env: dict[str, str], seconds: float
) -> subprocess.CompletedProcess[str]:
    """Run one command to its end."""
    with tempfile.TemporaryFile() as entered, tempfile.TemporaryFile() as out, tempfile.TemporaryFile() as err:
        entered.write((text_in or "").encode("utf-8"))
        entered.seek(0)
        code = _ask(words, folder, env, [entered.fileno(), out.fileno(), err.fileno()], seconds)
        texts = []
        for stream in (out, err):
            stream.seek(0)
            texts.append(stream.read().decode("utf-8").replace("\r\n", "\n"))
    return subprocess.CompletedProcess(["gonnet", *words], code, *texts)


def _ask(words: Sequence[str], folder: Path, env: dict[str, str], streams: list[int], seconds: float) -> int:
    process = Begun(words, folder, env, streams)
    try:
        return process.wait(seconds)
    except subprocess.TimeoutExpired:
        process.kill()
        process.wait()
        raise


class Begun:
    """A command that was begun and goes on by itself, as `subprocess.Popen` has it.

    Args:
        words: The command.
        folder: Where it runs.
        env: Its environment.
        streams: Its standard input, output and error.
    """

    def __init__(self, words: Sequence[str], folder: Path, env: dict[str, str], streams: list[int]) -> None:
        self.args = ["gonnet", *words]
        self.returncode: int | None = None
        self._line = socket.socket(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        self._line.connect(_loaded())
        wish = json.dumps({"words": list(words), "folder": str(folder), "env": env}).encode("utf-8")
        self._line.sendmsg([wish], [(socket.SOL_SOCKET, socket.SCM_RIGHTS, array.array("i", streams))])
        self.pid = int(self._line.recv(64))

    def wait(self, timeout: float | None = None) -> int:
        """The exit code, when it has ended."""
        if self.returncode is None:
            self._line.settimeout(timeout)
            try:
                self.returncode = int(self._line.recv(64))
            except (TimeoutError, BlockingIOError):
                raise subprocess.TimeoutExpired(self.args, timeout or 0) from None
            self._line.close()
        return self.returncode

    def poll(self) -> int | None:
        """The exit code; None while it runs."""
        try:
            return self.wait(0)
        except subprocess.TimeoutExpired:
            return None

    def send_signal(self, number: int) -> None:
        """Send it a signal, if it still runs."""
        if self.poll() is None:
            os.kill(self.pid, number)

    def terminate(self) -> None:
        """Ask it to end."""
        self.send_signal(signal.SIGTERM)

    def kill(self) -> None:
        """End it."""
        self.send_signal(signal.SIGKILL)


def begin_loaded(words: Sequence[str], folder: Path) -> Begun:
    """Begin a command that nobody listens to, with the environment of the tests."""
    with Path(os.devnull).open("r+b") as nothing:
        return Begun(words, folder, dict(os.environ), [nothing.fileno()] * 3)


@functools.cache
def _loaded() -> str:
    """The socket of the process that has everything imported; it ends with the tests."""
    folder = tempfile.mkdtemp(prefix="gonnet-loaded-")
    place = f"{folder}/asked"
    keeper = subprocess.Popen([sys.executable, __file__, place], stdin=subprocess.DEVNULL)
    atexit.register(keeper.kill)
    end = time.monotonic() + 60
    while not Path(place).exists():
        assert keeper.poll() is None, "the program could not be loaded"
        assert time.monotonic() < end, "the program could not be loaded in time"
        time.sleep(0.02)
    return place


def _serve(place: str) -> None:
    """Fork a process for each command that is asked for; returns in such a process alone, to run the command."""
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)  # nobody waits for those that wait
    with socket.socket(socket.AF_UNIX, socket.SOCK_SEQPACKET) as door:
        door.bind(place + ".new")
        door.listen(16)
        Path(place + ".new").rename(place)
        while True:
            line, _ = door.accept()
            if os.fork() == 0:
                door.close()
                signal.signal(signal.SIGCHLD, signal.SIG_DFL)
                _begin(line)
                return
            line.close()


def _begin(line: socket.socket) -> None:
    """Fork once more: one process waits and tells the exit code, the other goes on as the command."""
    wish, streams, _, _ = socket.recv_fds(line, 1 << 20, 3)
    pid = os.fork()
    if pid:
        line.send(str(pid).encode())
        _, status = os.waitpid(pid, 0)
        line.send(str(os.waitstatus_to_exitcode(status)).encode())
        os._exit(0)
    line.close()
    for number, stream in enumerate(streams):
        os.dup2(stream, number)
        os.close(stream)
    told = json.loads(wish)
    os.environ.clear()
    os.environ.update(told["env"])
    os.chdir(told["folder"])
    sys.argv = ["gonnet", *told["words"]]


def _import_all() -> None:
    import gonnet
    from gonnet.jobs.models import JobFile
    from gonnet.jobs.workspace import WorkspaceFile
    from gonnet.reports.fonts import family

    for module in pkgutil.walk_packages(gonnet.__path__, "gonnet."):
        if ".migrations" not in module.name and not module.name.endswith("__main__"):
            importlib.import_module(module.name)
    for name in ("alembic.command", "sqlalchemy.dialects.sqlite", "rich.progress", "rich.live", "duckdb"):
        importlib.import_module(name)
    assert Locale.parse("en_IE").currencies  # a large file
    for model in (JobFile, WorkspaceFile):
        model.model_rebuild()
    family()  # the faces that every PDF is drawn with
    gc.freeze()  # what is there by now is shared, and is not looked through again


if __name__ == "__main__":
    _import_all()
    _serve(sys.argv[1])
    from gonnet.cli import main

    main()
