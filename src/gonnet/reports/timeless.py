"""Files of office programs without the moment in which they were made: the same content is the same bytes."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Callable

_MADE = b"2000-01-01T00:00:00Z"
_ZIPPED = (1980, 1, 1, 0, 0, 0)
_KEPT = {"mimetype": zipfile.ZIP_STORED}  # ISO/IEC 26300-2, 3.3: it can be read where the file begins


Change = Callable[[str, bytes], bytes]
"""Gives a part of a file as it is to be, of its name and its bytes."""


def timeless(data: bytes, change: Change = lambda _name, part: part) -> bytes:
    """The same file with one date for all: when it was made is no part of what it says."""
    target = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as source, zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as packed:
        for name in source.namelist():
            part = source.read(name)
            if name == "docProps/core.xml":
                part = re.sub(rb"(<dcterms:\w+[^>]*>)[^<]*(</dcterms:)", rb"\g<1>" + _MADE + rb"\g<2>", part)
            packed.writestr(zipfile.ZipInfo(name, _ZIPPED), change(name, part), _KEPT.get(name, zipfile.ZIP_DEFLATED))
    return target.getvalue()
