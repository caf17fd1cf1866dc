"""A mail server that misbehaves as it is told: at each step it answers, stays silent, or hangs up."""

from __future__ import annotations

import socket
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field

HANG_UP = "hang up"
SILENT = "silent"


@dataclass
class Script:
    """What the server does.

    Attributes:
        answers: Step (`banner`, `EHLO`, `MAIL`, `RCPT`, `DATA`, `dot`) or `RCPT:<address>` → its answers, one after
            the other; the last one stays. What is not named is answered well.
        store_before_answer: Whether a message counts as stored even if the answer to the dot never comes.
    """

    answers: dict[str, list[str]] = field(default_factory=dict)
    store_before_answer: bool = True
    stored: list[tuple[str, bytes]] = field(default_factory=list)
    seen: list[str] = field(default_factory=list)
    connections: int = 0

    def answer(self, step: str, usual: str) -> str:
        for name in (step, step.partition(":")[0]):
            waiting = self.answers.get(name)
            if waiting:
                return waiting.pop(0) if len(waiting) > 1 else waiting[0]
        return usual


@contextmanager
def serving(script: Script, port: int = 0) -> Iterator[int]:
    """Serve by `script` on a port of this machine; yields the port."""
    listener = socket.create_server(("127.0.0.1", port))
    listener.settimeout(0.1)
    stop = threading.Event()

    def accept() -> None:
        while not stop.is_set():
            with suppress(TimeoutError):
                connection, _ = listener.accept()
                threading.Thread(target=_talk, args=(connection, script), daemon=True).start()

    thread = threading.Thread(target=accept)
    thread.start()
    try:
        yield listener.getsockname()[1]
    finally:
        stop.set()
        thread.join()
        listener.close()


def _talk(connection: socket.socket, script: Script) -> None:
    script.connections += 1
    with suppress(OSError), connection, connection.makefile("rb") as lines:
        if not _say(connection, script.answer("banner", "220 ready")):
            return
        address, taken = "", True
        for raw in lines:
            line = raw.decode("utf-8", "replace").strip()
            verb = line.partition(" ")[0].upper()
            script.seen.append(line)
            if verb == "QUIT":
                _say(connection, "221 bye")
                return
            if verb == "RCPT":
                address = line.partition("<")[2].partition(">")[0]
            step = f"RCPT:{address}" if verb == "RCPT" else verb
            wants = "354 go on" if taken else "554 nobody to take it"
            usual = {"DATA": wants, "EHLO": "250-here\r\n250 SIZE 1000000"}.get(verb, "250 ok")
            answer = script.answer(step, usual)
            taken = answer.startswith("250") if verb in ("MAIL", "RCPT") else taken
            if not _say(connection, answer):
                return
            if verb == "DATA" and answer.startswith("354") and not _body(connection, lines, script, address):
                return


def _body(connection: socket.socket, lines: object, script: Script, address: str) -> bool:
    if script.answer("body", "") == HANG_UP:
        return False
    body = b""
    for raw in lines:  # type: ignore[attr-defined]
        if raw == b".\r\n":
            break
        body += raw[1:] if raw.startswith(b"..") else raw
    else:
        return False
    answer = script.answer("dot", "250 taken")
    if answer.startswith("250") or (answer in (HANG_UP, SILENT) and script.store_before_answer):
        script.stored.append((address, body))
    return _say(connection, answer)


def _say(connection: socket.socket, answer: str) -> bool:
    """Whether the conversation goes on."""
    if answer == HANG_UP:
        return False
    if answer != SILENT:
        connection.sendall(answer.encode("ascii") + b"\r\n")
    return not answer.startswith("421")
