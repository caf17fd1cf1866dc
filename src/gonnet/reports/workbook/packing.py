"""Zip files of which most parts are the same in every one of them.

A workbook of forty rows is a dozen parts, and only its sheet is its own. The standard library compresses every part
anew and cannot take one that is compressed already; so the file is put together here (APPNOTE.TXT 6.3.10, 4.3).
"""

from __future__ import annotations

import struct
import zlib
from collections.abc import Iterable
from functools import lru_cache
from typing import NamedTuple

_VERSION, _DEFLATED = 20, 8
_DAY = (1 << 5) | 1  # 1980-01-01, the first day there is: the same input gives the same bytes
_LOCAL, _CENTRAL, _END = struct.Struct("<4s5H3L2H"), struct.Struct("<4s6H3L5H2L"), struct.Struct("<4s4H2LH")


class _Entry(NamedTuple):
    crc: int
    size: int
    data: bytes


def zipped(parts: Iterable[tuple[str, bytes, bool]]) -> bytes:
    """A zip file.

    Args:
        parts: Name, bytes, and whether other files have the same part, in order. Names are ASCII.
    """
    written, listed, at = [], [], 0
    for name, data, is_common in parts:
        part = _common(data) if is_common else _compressed(data)
        path = name.encode("ascii")
        about = (_DEFLATED, 0, _DAY, part.crc, len(part.data), part.size, len(path))
        written += [_LOCAL.pack(b"PK\3\4", _VERSION, 0, *about, 0), path, part.data]
        listed += [_CENTRAL.pack(b"PK\1\2", _VERSION, _VERSION, 0, *about, 0, 0, 0, 0, 0, at), path]
        at += _LOCAL.size + len(path) + len(part.data)
    directory = b"".join(listed)
    count = len(listed) // 2
    return b"".join((*written, directory, _END.pack(b"PK\5\6", 0, 0, count, count, len(directory), at, 0)))


def _compressed(data: bytes) -> _Entry:
    packer = zlib.compressobj(wbits=-zlib.MAX_WBITS)
    return _Entry(zlib.crc32(data), len(data), packer.compress(data) + packer.flush())


_common = lru_cache(maxsize=64)(_compressed)
