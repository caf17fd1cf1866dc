"""A mail server that takes every message and keeps none: `python benchmarks/sink.py PORT [SECONDS]`.

Before every answer it waits so many seconds. It speaks as little of RFC 5321 as a client needs.
"""

from __future__ import annotations

import asyncio
import sys

_DELAY = float(sys.argv[2]) if len(sys.argv) > 2 else 0.0


async def _converse(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
    writer.write(b"220 sink.test\r\n")
    while line := await reader.readline():
        if _DELAY:
            await asyncio.sleep(_DELAY)
        verb = line[:4].upper()
        if verb == b"EHLO":
            writer.write(b"250-sink.test\r\n250 SIZE 50000000\r\n")
        elif verb == b"DATA":
            writer.write(b"354 go on\r\n")
            await reader.readuntil(b"\r\n.\r\n")
            if _DELAY:
                await asyncio.sleep(_DELAY)
            writer.write(b"250 taken\r\n")
        elif verb == b"QUIT":
            writer.write(b"221 bye\r\n")
            break
        else:
            writer.write(b"250 ok\r\n")
    writer.close()


async def _serve(port: int) -> None:
    server = await asyncio.start_server(_converse, "127.0.0.1", port, limit=100_000_000)
    await server.serve_forever()


if __name__ == "__main__":
    asyncio.run(_serve(int(sys.argv[1])))
