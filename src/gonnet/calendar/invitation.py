"""Due dates as a calendar file for people's own calendars: iCalendar (RFC 5545)."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

_MOST = 75  # octets of a line (RFC 5545, 3.1)


@dataclass(frozen=True, slots=True, kw_only=True)
class Event:
    """One entry of a calendar file.

    Attributes:
        id: What tells it from all others, the same in each file.
        moment: When it is, in UTC.
        title: What is shown.
        text: What more is said.
    """

    id: str
    moment: dt.datetime
    title: str
    text: str


def icalendar(events: Iterable[Event], name: str, made: dt.datetime) -> str:
    """The text of a calendar file.

    Args:
        events: What is in it.
        name: How it is called.
        made: When it is made.
    """
    lines = ["BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//Gonnet//Gonnet//EN", f"X-WR-CALNAME:{_text(name)}"]
    for event in events:
        lines += ["BEGIN:VEVENT", f"UID:{_text(event.id)}", f"DTSTAMP:{_utc(made)}", f"DTSTART:{_utc(event.moment)}"]
        lines += ["DURATION:PT15M", f"SUMMARY:{_text(event.title)}", f"DESCRIPTION:{_text(event.text)}"]
        lines += ["TRANSP:TRANSPARENT", "END:VEVENT"]
    lines.append("END:VCALENDAR")
    return "".join(f"{part}\r\n" for line in lines for part in _folded(line))


def _utc(moment: dt.datetime) -> str:
    return f"{moment.astimezone(dt.UTC):%Y%m%dT%H%M%SZ}"


def _text(value: str) -> str:
    """A text (RFC 5545, 3.3.11)."""
    for sign in "\\;,":
        value = value.replace(sign, f"\\{sign}")
    return "\\n".join(value.splitlines())


def _folded(line: str) -> Iterator[str]:
    """A line in pieces of 75 octets at most, the further ones after a blank (RFC 5545, 3.1)."""
    piece, size = "", 0
    for sign in line:
        width = len(sign.encode("utf-8"))
        if size + width > _MOST:
            yield piece
            piece, size = " ", 1
        piece, size = piece + sign, size + width
    yield piece
