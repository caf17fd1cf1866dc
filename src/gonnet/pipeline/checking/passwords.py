"""Whether passwords are as strong as they look: what `check` says of short ones, and of those that many share."""

from __future__ import annotations

from collections.abc import Iterator

from gonnet.findings import Finding, Weight
from gonnet.packages import PackagePlan
from gonnet.remembering import SeenTexts

_SHORT = 8
"""Characters below which a machine tries all passwords in hours."""


class Passwords:
    """Looks at the passwords of packages; keeps none of them."""

    def __init__(self) -> None:
        self._short = self._with = 0
        self._seen = SeenTexts()

    def see(self, plan: PackagePlan) -> None:
        """Those of one package."""
        found = {part.lock.open for part in plan.documents if part.lock is not None}
        if plan.attachments is not None:
            found.add(plan.attachments.password)
        found.discard("")
        if found:
            self._with += 1
            self._short += any(len(password) < _SHORT for password in found)
            for password in found:
                self._seen.add(password)

    def findings(self) -> Iterator[Finding]:
        """A finding for short passwords, and for one that everybody has."""
        if self._short:
            who = f"{self._short} of {self._with} packages with a password have" if self._with > 1 else "a package has"
            cure = f"`limits: {{shortest_password: {_SHORT}}}` in gonnet.yaml would hold them"
            text = f"{who} one of fewer than {_SHORT} characters, which a machine finds by trying; {cure}"
            yield Finding(weight=Weight.NOTE, text=text)
        if self._with > 1 and len(self._seen) == 1:
            text = f"all {self._with} packages have the same password: whoever has one opens those of the others"
            yield Finding(weight=Weight.NOTE, text=text)
