"""A mail server that takes every message and keeps none: `python benchmarks/sink.py PORT [SECONDS]`.

Before every answer it waits so many seconds. It speaks as little of RFC 5321 as a client needs.
`sink()` runs it as a process of its own.
"""

from __future__ import annotations

import asyncio
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from functools import partial


@contextmanager
def sink(delay: float = 0.0) -> Iterator[int]:
    """Run the server; gives its port. Before every answer it waits `delay` seconds."""
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        port = int(one.getsockname()[1])
    process = subprocess.Popen([sys.executable, __file__, str(port), str(delay)])
    try:
        time.sleep(0.7)
        yield port
    finally:
        process.terminate()
        process.wait()


async def _converse(delay: float, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
    writer.write(b"220 sink.test\r\n")
    while line := await reader.readline():
        if delay:
            await asyncio.sleep(delay)
        verb = line[:4].upper()
        if verb == b"EHLO":
            writer.write(b"250-sink.test\r\n250-PIPELINING\r\n250 SIZE 50000000\r\n")
        elif verb == b"DATA":
            writer.write(b"354 go on\r\n")
            await reader.readuntil(b"\r\n.\r\n")
            if delay:
                await asyncio.sleep(delay)
            writer.write(b"250 taken\r\n")
        elif verb == b"QUIT":
            writer.write(b"221 bye\r\n")
            break
        else:
            writer.write(b"250 ok\r\n")
    writer.close()


async def _serve(port: int, delay: float) -> None:
    server = await asyncio.start_server(partial(_converse, delay), "127.0.0.1", port, limit=100_000_000)
    await server.serve_forever()


if __name__ == "__main__":
    asyncio.run(_serve(int(sys.argv[1]), float(sys.argv[2]) if len(sys.argv) > 2 else 0.0))
