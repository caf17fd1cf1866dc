"""Where links lead: addresses of the web and of mail, as files and pages may have them."""

from __future__ import annotations

from typing import NamedTuple
from urllib.parse import quote, urlsplit, urlunsplit

import idna

SCHEMES = ("https://", "http://", "mailto:")
_LONGEST = 2_000  # characters; workbooks hold no more than 2,080
_KEPT = "!#$%&'()*+,/:;=?@[]~"  # what has a meaning in an address (RFC 3986, 2.2), and what is encoded already


class Link(NamedTuple):
    """A link with its values merged in.

    Attributes:
        address: Where it leads; empty where it leads nowhere.
        values: What was merged in.
        trouble: Why it leads nowhere; empty where that is meant.
    """

    address: str
    values: tuple[str, ...] = ()
    trouble: str = ""


def link_of(text: str, values: tuple[str, ...]) -> Link:
    """The link that a text is after `values` were merged in.

    A value that is empty makes it lead to another place than the one that is meant, so that it is none.
    """
    if any(not value.strip() for value in values):
        return Link("", values, "a value in it is empty")
    if not text.strip():
        return Link("", values)
    address = _address(text.strip())
    if not address:
        return Link("", values, f"'{text.strip()[:80]}' is no address of the web")
    return Link(address, values)


def _address(text: str) -> str:
    """A text as an address of ASCII signs alone (RFC 3987, 3.1); empty where it is none."""
    if not text.startswith(SCHEMES) or len(text) > _LONGEST or " " in text or not text.isprintable():
        return ""
    try:
        parts = urlsplit(text)
        if parts.scheme == "mailto":
            return quote(text, safe=_KEPT) if "@" in parts.path.strip("@") else ""
        host = idna.encode(parts.hostname or "", uts46=True).decode("ascii")
        port = f":{parts.port}" if parts.port else ""
    except ValueError:  # also a host that cannot be written so
        return ""
    if not host or parts.username is not None:  # what stands before an @ looks like the host, and is not
        return ""
    place = f"[{host}]" if ":" in host else host
    rest = (quote(part, safe=_KEPT) for part in (parts.path, parts.query, parts.fragment))
    return urlunsplit((parts.scheme, place + port, *rest))
