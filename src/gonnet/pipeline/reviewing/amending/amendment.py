"""What is to be otherwise about a package."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from gonnet.jobs.braces import has_field


@dataclass(frozen=True, slots=True, kw_only=True)
class Amendment:
    """What is to be otherwise; None leaves it as it is.

    Attributes:
        to: Addresses.
        cc: Addresses in copy.
        bcc: Addresses in blind copy.
        contact: Another contact of its key, by name, role or address: it is written to, in words for it.
        message: Another message of the job.
        subject: The subject.
        text: The body, in CommonMark.
        enclose: Files that go with it too.
        keep: Whether later runs of the job write to `to` as well, until the list has another address.
    """

    to: str | None = None
    cc: str | None = None
    bcc: str | None = None
    contact: str | None = None
    message: str | None = None
    subject: str | None = None
    text: str | None = None
    enclose: tuple[Path, ...] = ()
    keep: bool = False

    @property
    def is_reworded(self) -> bool:
        """Whether something is merged into its words, so that the data are needed."""
        if self.contact is not None or self.message is not None:
            return True
        return any(has_field(text) for text in (self.subject, self.text) if text)

    def words(self) -> Iterator[str]:
        """What is changed, for the record."""
        if self.contact is not None:
            yield f"contact changed to '{self.contact}'"
        for name in ("to", "cc", "bcc"):
            if (text := getattr(self, name)) is not None:
                kept = ", for later runs too" if name == "to" and self.keep else ""
                yield f"{name} changed to {text or 'nobody'}{kept}"
        if self.message is not None:
            yield f"message changed to '{self.message}'"
        if self.subject is not None:
            yield f"subject changed to '{self.subject}'"
        if self.text is not None:
            yield "text of the message changed"
        if self.enclose:
            yield f"enclosed {', '.join(path.name for path in self.enclose)}"
