"""What the pages of a PDF show, told without looking at the pages (pikepdf, which is qpdf)."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Sequence
from typing import Any

import pikepdf

_DEEP = 20  # forms within forms


class Showing:
    """What the pages of one document show; its faces are looked at once."""

    def __init__(self) -> None:
        self._faces: dict[tuple[int, int], list[bytes]] = {}

    def of(self, page: pikepdf.Page) -> bytes:
        """A digest of all that a page shows: its content, that of the forms and patterns it uses, what its faces say.

        Two pages with the same one say the same to whoever reads them. What is deflated alike in both files is taken as
        it lies there.
        """
        digest = hashlib.blake2b(b"\n".join(map(_as_it_lies, contents(page))), digest_size=32)
        for part in sorted(self._streams(page.obj.get("/Resources"), 0)):
            digest.update(part)
        return digest.digest()

    def _streams(self, resources: Any, depth: int) -> Iterator[bytes]:  # noqa: ANN401
        """A digest of each stream by which a page says something, of what its resources name."""
        if not isinstance(resources, pikepdf.Dictionary) or depth > _DEEP:
            return
        for name, face in entries(resources, "/Font"):
            own, *others = self._face(face, depth)
            yield name.encode() + own
            yield from others
        for kind in ("/XObject", "/Pattern"):
            for name, part in entries(resources, kind):
                yield name.encode() + (_digest([part]) if is_form(part) or kind == "/Pattern" else b"")
                yield from self._streams(part.get("/Resources"), depth + 1)

    def _face(self, face: Any, depth: int) -> list[bytes]:  # noqa: ANN401
        """What a face says, and what the resources of its drawings name."""
        found = self._faces.get(face.objgen)
        if found is None:
            own = _digest([face.get("/ToUnicode"), *glyphs(face)])
            found = [own, *self._streams(face.get("/Resources"), depth + 1)]
            if face.is_indirect:  # else it has no number by which it is known
                self._faces[face.objgen] = found
        return found


def contents(page: pikepdf.Page) -> list[Any]:
    """The streams that are the content of a page, one after the other (ISO 32000-1, 7.8.2)."""
    found = page.obj.get("/Contents")
    return list(found) if isinstance(found, pikepdf.Array) else [found] if found is not None else []


def content(page: pikepdf.Page) -> bytes:
    """The content of a page."""
    return b"\n".join(map(data_of, contents(page)))


def entries(resources: Any, kind: str) -> list[tuple[str, Any]]:  # noqa: ANN401
    """What resources name of a kind."""
    found = resources.get(kind)
    return list(found.items()) if isinstance(found, pikepdf.Dictionary) else []


def is_form(part: Any) -> bool:  # noqa: ANN401
    """Whether it is a form: content that stands in that of a page (8.10)."""
    return isinstance(part, pikepdf.Stream) and part.get("/Subtype") == "/Form"


def glyphs(face: Any) -> list[Any]:  # noqa: ANN401
    """The drawings of the signs of a face of type 3 (9.6.5)."""
    found = face.get("/CharProcs")
    return [glyph for _, glyph in found.items()] if isinstance(found, pikepdf.Dictionary) else []


def data_of(stream: Any) -> bytes:  # noqa: ANN401
    """What a stream holds; nothing of what is none."""
    return bytes(stream.read_bytes()) if isinstance(stream, pikepdf.Stream) else b""


def is_deflated(stream: Any) -> bool:  # noqa: ANN401
    """Whether a stream is kept as parts of runs keep theirs, which are copied as they lie there."""
    if not isinstance(stream, pikepdf.Stream):
        return False
    return stream.get("/Filter") == "/FlateDecode" and "/DecodeParms" not in stream


def _as_it_lies(stream: Any) -> bytes:  # noqa: ANN401
    """What tells a stream of content from others: the same bytes, deflated, hold the same."""
    return b"deflated " + stream.read_raw_bytes() if is_deflated(stream) else data_of(stream)


def _digest(streams: Sequence[Any]) -> bytes:
    raw = [stream.read_raw_bytes() for stream in streams if isinstance(stream, pikepdf.Stream)]
    return hashlib.blake2b(b"".join(raw), digest_size=32).digest()
