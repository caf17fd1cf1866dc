"""Which encoding a text file has: UTF-8, UTF-16, or the one-byte encoding that alone makes words of its bytes.

Where two encodings would both make words, but different ones, none is chosen: a wrong guess changes names without a
sign.
"""

from __future__ import annotations

import codecs
import re
import unicodedata
from collections.abc import Iterable
from itertools import pairwise
from pathlib import Path
from typing import BinaryIO

from gonnet.data.types.target import Target
from gonnet.errors import DataError

_ONE_BYTE = ("cp1252", "cp1250", "cp1257", "cp1254", "cp1251", "cp1253")
_SHOWN = ("cp1252", "cp1250", "cp1253", "cp1251")
_BLOCK = 1 << 20  # bytes
_MARKS = frozenset("’‘“”„‚–—…€°§«»·²³½¼£ºª\u00a0")
_WORD = re.compile(rb"[A-Za-z]*[\x80-\xff][A-Za-z\x80-\xff]*")


def encoding_of(path: Path, target: Target) -> str:
    """The encoding of the file.

    Raises:
        DataError: it cannot be known; names the first line in question and shows it in the usual encodings.
    """
    with path.open("rb") as file:
        if file.read(2) in (b"\xff\xfe", b"\xfe\xff"):
            return "utf-16"
        file.seek(0)
        if _is_utf8(file):
            return "utf-8"
        file.seek(0)
        first: tuple[int, bytes] | None = None
        words: set[bytes] = set()
        for number, line in enumerate(file, 1):
            try:
                line.decode("utf-8")
            except UnicodeDecodeError as error:
                first = first or (number, line[max(0, error.start - 12) : error.start + 12].strip())
            if not line.isascii():
                words.update(_WORD.findall(line))
    found = only_reading(words)
    if found is None:
        assert first is not None
        raise _unknown(path, target, *first)
    return found


def _is_utf8(file: BinaryIO) -> bool:
    decoder = codecs.getincrementaldecoder("utf-8")()
    try:
        while block := file.read(_BLOCK):
            decoder.decode(block)
        decoder.decode(b"", final=True)
    except UnicodeDecodeError:
        return False
    return True


def only_reading(words: Iterable[bytes]) -> str | None:
    """The one-byte encoding in which all of `words` are words, if every other such encoding reads them alike."""
    readings: dict[tuple[str, ...], str] = {}
    ordered = sorted(words)
    for encoding in _ONE_BYTE:
        try:
            texts = tuple(word.decode(encoding) for word in ordered)
        except UnicodeDecodeError:
            continue
        if all(_is_word(text) for text in texts):
            readings.setdefault(texts, encoding)
    return next(iter(readings.values())) if len(readings) == 1 else None


def _is_word(text: str) -> bool:
    """Letters of one script, no capital after a small letter, and otherwise only the usual signs."""
    letters = [sign for sign in text if sign not in _MARKS]
    if not all(sign.isalpha() for sign in letters):
        return False
    scripts = {unicodedata.name(sign, "?").split()[0] for sign in letters}
    turns = any(before.islower() and after.isupper() for before, after in pairwise(letters))
    return len(scripts) <= 1 and not turns


def _unknown(path: Path, target: Target, line: int, around: bytes) -> DataError:
    shown = ", ".join(f"as {name} '{around.decode(name, 'replace')}'" for name in _SHOWN)
    return DataError(
        f"{path.name}, line {line} is not UTF-8 text, and more than one encoding could be meant",
        where=target.where,
        fix=f"Save it as UTF-8, or say which `encoding:` it has: {shown}",
    )
