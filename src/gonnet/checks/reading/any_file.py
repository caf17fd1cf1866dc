"""Reading a file that Gonnet did not draw: whatever in it says something to a person or a program.

What kind it is, its first bytes say rather than its name. A file inside another one is read like it, to a bounded
depth and size. What cannot be read is told with the reason.
"""

from __future__ import annotations

import csv
import importlib.util
import io
import json
import zipfile
from collections.abc import Iterator
from contextlib import suppress
from functools import lru_cache
from pathlib import PurePosixPath

from gonnet.checks.reading.models import ReadBack
from gonnet.checks.reading.own_files import paragraphs
from gonnet.checks.reading.packed import Room, member
from gonnet.checks.reading.pages import page_texts
from gonnet.checks.reading.rich_text import rich_texts
from gonnet.checks.reading.xml_texts import IN_XML, xml_texts
from gonnet.errors import DataError

Parts = list[tuple[str, tuple[str, ...]]]

_PICTURES = {
    b"\x89PNG": "PNG",
    b"\xff\xd8\xff": "JPEG",
    b"GIF8": "GIF",
    b"II*\0": "TIFF",
    b"MM\0*": "TIFF",
    b"BM": "BMP",
}
_OLD_OFFICE = b"\xd0\xcf\x11\xe0"  # a compound file: office programs before 2007, and locked files of later ones
_CODED = {b"\xef\xbb\xbf": "utf-8-sig", b"\xff\xfe": "utf-16", b"\xfe\xff": "utf-16"}
_LISTS = {".csv": ",", ".tsv": "\t", ".tab": "\t"}
_WHITE = frozenset(b"\t\n\r\x0b\x0c\x1b")
_OFFICE = (".xlsx", ".xlsm", ".docx", ".docm", ".pptx", ".odt", ".ods", ".odp")
_PACKED = (".gz", ".bz2", ".xz", ".7z", ".rar", ".tar", ".tgz", ".zst")


def read_any(data: bytes, name: str, room: Room | None = None) -> ReadBack:
    """All texts of a file.

    Args:
        data: Its bytes.
        name: Its name, for the places and, where the bytes do not say it, for its kind.
        room: How much more may be read of what is packed in it.

    Raises:
        ValueError: its bytes are not what its name says.
        DataError: the library that reads it is not installed.
    """
    parts: Parts = []
    unsearched: list[str] = []
    _read(data, name, "", room or Room(name), parts, unsearched)
    return ReadBack(parts=tuple(parts), unsearched=tuple(dict.fromkeys(unsearched)))


def _read(data: bytes, name: str, at: str, room: Room, parts: Parts, unsearched: list[str]) -> None:
    """Put the texts of a file to `parts`, at a place that says in which other file it is."""
    called = f"{at} in {room.name}" if at else name
    suffix = PurePosixPath(name).suffix.casefold()
    if data.startswith(b"%PDF"):
        if importlib.util.find_spec("pikepdf") is None:
            what = f"{called} is a PDF, and what reads all of it is not installed"
            raise DataError(what, fix="Install it: pip install 'gonnet[arrivals]'")
        from gonnet.checks.reading.whole_pdf import whole_pdf

        _put(parts, at, whole_pdf(data, unsearched, lambda inner, its: _read(inner, its, its, room, parts, unsearched)))
    elif data.startswith(b"PK\x03\x04"):
        _unpack(data, name, at, room, parts, unsearched)
    elif data.startswith(b"{\\rtf"):
        pictures: list[str] = []
        _put(parts, at, [("", rich_texts(data, pictures))])
        unsearched += [f"{what} in {name}" for what in pictures]
    elif kind := next((kind for sign, kind in _PICTURES.items() if data.startswith(sign)), ""):
        unsearched.append(f"{called}: a picture ({kind})")
    elif data[:4] == b"RIFF" and data[8:12] == b"WEBP":
        unsearched.append(f"{called}: a picture (WebP)")
    elif data.startswith(_OLD_OFFICE):
        unsearched.append(f"{called}: of an old office program, or locked by a password")
    elif suffix == ".pdf":
        raise ValueError("not a PDF")
    elif suffix in _OFFICE or suffix == ".zip":
        raise ValueError(f"not a file of the kind {suffix}")
    elif suffix in _PACKED or (text := _text(data)) is None:
        unsearched.append(f"{called}: of a kind that is not read ({suffix or 'no ending'})")
    elif suffix in (".eml", ".mht", ".mhtml"):
        _read_mail(data, at, room, parts, unsearched)
    else:
        _put(parts, at, [("", _by_kind(text, data, suffix))])


def _put(parts: Parts, at: str, found: Iterator[tuple[str, tuple[str, ...]]] | Parts) -> None:
    parts += [(", ".join(filter(None, (at, place))), texts) for place, texts in found]


def _text(data: bytes) -> str | None:
    """What a file of text says; None where it is none."""
    for sign, coding in _CODED.items():
        if data.startswith(sign):
            return data.decode(coding, errors="replace")
    if any(byte < 32 and byte not in _WHITE for byte in data[:65_536]):
        return None
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError:
        return data.decode("cp1252", errors="replace")


def _by_kind(text: str, data: bytes, suffix: str) -> tuple[str, ...]:
    head = text.lstrip()[:200].casefold()
    if suffix in (".html", ".htm") or head.startswith(("<!doctype html", "<html")):
        return page_texts(text)
    if suffix in IN_XML or head.startswith(("<?xml", "<svg")):
        return (*(xml_texts(data) or ()), text)
    if suffix in (".json", ".geojson", ".jsonl"):
        return (*_of_json(text), *paragraphs(text))
    if suffix in _LISTS:
        sign = _LISTS[suffix]
        if sign == "," and text.partition("\n")[0].count(";") > text.partition("\n")[0].count(","):
            sign = ";"
        rows = csv.reader(io.StringIO(text, newline=""), delimiter=sign)
        return tuple(cell for row in rows for cell in row)
    return paragraphs(text)


def _of_json(text: str) -> Iterator[str]:
    """The texts of JSON, or of lines of JSON; nothing where it is none."""
    for part in (text, *text.splitlines()):
        try:
            waiting = [json.loads(part)]
        except ValueError:
            continue
        while waiting:
            value = waiting.pop()
            if isinstance(value, dict):
                waiting += [*value.keys(), *value.values()]
            elif isinstance(value, list):
                waiting += value
            elif value is not None:
                yield str(value)
        if part is text:
            return


def _unpack(data: bytes, name: str, at: str, room: Room, parts: Parts, unsearched: list[str]) -> None:
    """A zip archive, or a file of an office program, which is one."""
    called = f"{at} in {room.name}" if at else name
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
    except zipfile.BadZipFile as error:
        raise ValueError("not a zip archive") from error
    deeper = room.deeper()
    if deeper is None:
        unsearched.append(f"{called}: packed too deep")
        return
    with archive:
        is_office = "[Content_Types].xml" in archive.namelist() or "mimetype" in archive.namelist()
        if not is_office and PurePosixPath(name).suffix.casefold() in _OFFICE:
            raise ValueError("not a file of an office program")
        for info in archive.infolist():
            inside = f"{at}, {info.filename}" if at else info.filename
            if not is_office:
                parts.append(("names", (info.filename, info.comment.decode("utf-8", errors="replace"))))
            try:
                inner = member(archive, info, room)
            except (RuntimeError, NotImplementedError, zipfile.BadZipFile, OSError, ValueError, EOFError) as error:
                is_locked = bool(info.flag_bits & 1)
                why = "locked by a password" if is_locked else str(error) or "cannot be unpacked"
                unsearched.append(f"{info.filename} in {called}: {why}")
                continue
            if info.is_dir() or not inner:
                continue
            if is_office and PurePosixPath(info.filename).suffix.casefold() in IN_XML:
                found = _xml(inner) if len(inner) > _LARGE else _xml_again(inner)
                parts.append((_room_of(inside), found))
            else:
                try:
                    _read(inner, info.filename, inside, deeper, parts, unsearched)
                except ValueError:
                    unsearched.append(f"{info.filename} in {called}: not what its name says")
        if archive.comment:
            parts.append(("names", (archive.comment.decode("utf-8", errors="replace"),)))


def _xml(data: bytes) -> tuple[str, ...]:
    texts = xml_texts(data)
    return (data.decode("utf-8", errors="replace"),) if texts is None else tuple(texts)


_LARGE = 200_000  # bytes: what is larger is hardly the same in many files
_xml_again = lru_cache(maxsize=64)(_xml)  # styles and themes are the same in all parts of a workbook


def _room_of(inside: str) -> str:
    """The place of a text in an office file, in short."""
    return PurePosixPath(inside).name.removesuffix(".xml")


def _read_mail(data: bytes, at: str, room: Room, parts: Parts, unsearched: list[str]) -> None:
    """A message: its headers, its bodies and all that is attached to it."""
    import email
    import email.policy
    from email.message import EmailMessage

    message = email.message_from_bytes(data, policy=email.policy.default)
    assert isinstance(message, EmailMessage)
    for part in message.walk():
        assert isinstance(part, EmailMessage)
        headers = tuple(str(value) for _, value in part.items())
        _put(parts, at, [("headers", headers)])
        if part.is_multipart():
            continue
        name = part.get_filename() or ""
        content = part.get_payload(decode=True)
        if not isinstance(content, bytes) or not content:
            continue
        kind = ".html" if part.get_content_type() == "text/html" else ".txt"
        if part.get_content_maintype() == "text" and not name:
            coding = part.get_content_charset() or "utf-8"
            with suppress(LookupError, UnicodeDecodeError):
                content = content.decode(coding).encode()
            name = f"body{kind}"
        try:
            _read(content, name or "attachment", f"{at}, {name}" if at else name, room, parts, unsearched)
        except ValueError:
            unsearched.append(f"{name}: not what its name says")
