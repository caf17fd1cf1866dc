"""What a server's answer means for one delivery (RFC 5321, 4.2.1 and 4.5.3.1.10)."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum


class Phase(Enum):
    """How far the conversation about one message had come."""

    BEFORE_BODY = "before the body"  # MAIL, RCPT, DATA: surely not sent
    ANSWERED = "answered"  # the server answered the final dot


class Meaning(Enum):
    """The outcome of one delivery."""

    ACCEPTED = "accepted"
    LATER = "refused for now"
    REFUSED = "refused for good"
    IN_DOUBT = "in doubt"


@dataclass(frozen=True, slots=True, kw_only=True)
class Reply:
    """The outcome of one delivery, and what the server said.

    Attributes:
        meaning: What it means.
        refused: What was refused: `sender`, `recipient`, `size` or `message`; empty where nothing was.
        code: The reply code, or None where there was no answer.
        text: What the server said, or what happened.
    """

    meaning: Meaning
    code: int | None
    text: str
    refused: str = ""


def refused_part(step: str, code: int, text: str) -> str:
    """What a server refuses that answers `code` and `text` to a step (RFC 5321, 4.2.3; RFC 3463, 3.4: x.3.4 is size).

    Args:
        step: The command that it answers; empty for the answer to the body.
        code: Its reply code.
        text: What it says.
    """
    if step.startswith("RCPT"):
        return "recipient"
    if code == 552 or " 5.3.4 " in f" {text} ":
        return "size"
    return "sender" if step.startswith("MAIL") else "message"


def judged(code: int, phase: Phase, *, at_recipient: bool = False) -> Meaning:
    """What the reply `code` means in `phase`.

    552 in answer to a recipient means "too many recipients for now" (RFC 5321, 4.5.3.1.10), elsewhere "too big".
    What is no reply code at all leaves a message whose body was sent in doubt.
    """
    match phase:
        case Phase.ANSWERED if not 200 <= code < 600:
            return Meaning.IN_DOUBT
        case Phase.ANSWERED if 200 <= code < 300:
            return Meaning.ACCEPTED
        case _ if 500 <= code < 600 and not (code == 552 and at_recipient):
            return Meaning.REFUSED
        case _:
            return Meaning.LATER
