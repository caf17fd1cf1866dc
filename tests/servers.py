"""Real database servers on this machine; a user's machine without them skips, and says so."""

from __future__ import annotations

import os
import secrets
import socket
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import Engine, create_engine, text

SERVERS = {
    "postgresql": "postgresql://postgres@127.0.0.1:5432/test",
    "mariadb": "mysql://root@127.0.0.1:3306/test",
}


@dataclass
class Place:
    """A schema of its own on a server, or a SQLite file."""

    kind: str
    url: str
    name: str

    def run(self, *statements: str, rows: tuple[str, list[dict[str, Any]]] | None = None) -> None:
        engine = self.engine()
        with engine.begin() as work:
            for statement in statements:
                work.execute(text(statement))
            if rows:
                work.execute(text(rows[0]), rows[1])
        engine.dispose()

    def rows(self, query: str) -> list[tuple[Any, ...]]:
        engine = self.engine()
        with engine.connect() as work:
            found = [tuple(row) for row in work.execute(text(query))]
        engine.dispose()
        return found

    def engine(self) -> Engine:
        drivers = {"postgresql": "postgresql+psycopg", "mariadb": "mysql+pymysql", "sqlite": "sqlite"}
        options = {"ssl_disabled": True} if self.kind == "mariadb" else {}  # else each reads all certificates
        url = self.url.replace(self.url.partition(":")[0], drivers[self.kind], 1)
        return create_engine(url, connect_args=options)


def schema_on(kind: str, folder: Path) -> Iterator[Place]:
    name = f"gonnet_{secrets.token_hex(6)}"
    if kind == "sqlite":
        yield Place(kind=kind, url=f"sqlite:///{folder}/pool.sqlite", name="")
        return
    port = 5432 if kind == "postgresql" else 3306
    with socket.socket() as probe:
        if probe.connect_ex(("127.0.0.1", port)) and "CI" not in os.environ:
            pytest.skip(f"no {kind} at 127.0.0.1:{port}")
    server = Place(kind=kind, url=SERVERS[kind], name=name)
    server.run(f"create {'schema' if kind == 'postgresql' else 'database'} {name}")
    option = f"?options=-csearch_path%3D{name}" if kind == "postgresql" else ""
    try:
        yield Place(
            kind=kind,
            url=SERVERS[kind].replace("/test", f"/{name}") if not option else SERVERS[kind] + option,
            name=name,
        )
    finally:
        server.run(f"drop schema {name} cascade" if kind == "postgresql" else f"drop database {name}")


@contextmanager
def falling_silent(port: int, word: bytes) -> Iterator[int]:
    """A way to a server that passes everything on until somebody says `word`, and then nothing; yields its port."""
    listener = socket.create_server(("127.0.0.1", 0))
    silent, lines = threading.Event(), [listener]

    def carry(source: socket.socket, target: socket.socket, *, is_heard: bool) -> None:
        with suppress(OSError):
            while data := source.recv(65_536):
                if is_heard and word in data:
                    silent.set()
                if not silent.is_set():
                    target.sendall(data)

    def accept() -> None:
        with suppress(OSError):
            while True:
                near, _ = listener.accept()
                far = socket.create_connection(("127.0.0.1", port))
                lines.extend((near, far))
                threading.Thread(target=carry, args=(near, far), kwargs={"is_heard": True}, daemon=True).start()
                threading.Thread(target=carry, args=(far, near), kwargs={"is_heard": False}, daemon=True).start()

    threading.Thread(target=accept, daemon=True).start()
    try:
        yield int(listener.getsockname()[1])
    finally:
        for line in lines:
            with suppress(OSError):
                line.shutdown(socket.SHUT_RDWR)
            line.close()
