"""How values stand in a PDF file (ISO 32000-1, 7.3): text strings, streams, numbers."""

from __future__ import annotations

import zlib
from collections.abc import Iterable
from itertools import accumulate

_ESCAPES = str.maketrans({"(": r"\(", ")": r"\)", "\\": r"\\", "\r": r"\r", "\n": r"\n"})


def text_string(text: str) -> str:
    """A text as a string (7.9.2.2): as it is where all of it is ASCII, else in UTF-16."""
    if text.isascii() and text.isprintable():
        return f"({text.translate(_ESCAPES)})"
    return f"<feff{text.encode('utf-16-be', 'surrogatepass').hex()}>"


def stream(data: bytes, entries: str = "", effort: int = 6) -> bytes:
    """A stream object, deflated with an effort from 1 to 9, with more entries of its dictionary (7.3.8)."""
    return raw_stream(zlib.compress(data, effort), f"/Filter/FlateDecode{entries}")


def packed(objects: Iterable[tuple[int, str]]) -> bytes:
    """Objects with their numbers as one stream object (7.5.7)."""
    numbers, texts = zip(*objects, strict=True)
    written = [text.encode("ascii") for text in texts]
    starts = accumulate((len(one) + 1 for one in written), initial=0)
    head = " ".join([f"{number} {start}" for number, start in zip(numbers, starts, strict=False)]).encode("ascii")
    entries = f"/Type/ObjStm/N {len(written)}/First {len(head) + 1}"
    return stream(b"%s\n%s" % (head, b"\n".join(written)), entries, effort=2)


def raw_stream(data: bytes, entries: str) -> bytes:
    """A stream object of data that need no filter, or are filtered already."""
    return b"<<%s/Length %d>>\nstream\n%s\nendstream" % (entries.encode("ascii"), len(data), data)


def box(*sides: float) -> str:
    """A rectangle, or another array of numbers."""
    return f"[{' '.join(f'{side:.2f}'.rstrip('0').rstrip('.') for side in sides)}]"
