"""Signing and encrypting, before anything leaves: what would not work, what ends soon, who gets open mail."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator

from gonnet.errors import JobError
from gonnet.findings import Finding, Weight
from gonnet.jobs import Job
from gonnet.jobs.services import MailServer
from gonnet.packages import PackagePlan
from gonnet.pipeline.making.message_texts import senders_of
from gonnet.pipeline.sending.protecting import signing as signed_by
from gonnet.pipeline.tools import Tools
from gonnet.recipients.certificates import Certificate

_SOON = dt.timedelta(days=30)
_SHOWN = 3


class Encrypting:
    """Looks at the servers by which a job mails, and at the certificates of those whom it writes to.

    Args:
        job: The job.
        tools: The tools.

    Raises:
        JobError: messages are to be encrypted, and there is no folder with certificates.
    """

    def __init__(self, job: Job, tools: Tools) -> None:
        self._job, self._tools, self._protection = job, tools, tools.protection
        self._senders = {at: sender for at, sender in senders_of(job, tools).items() if sender.server}
        self._servers: dict[str, MailServer] = {
            sender.server: tools.workspace.server(sender.server, "gonnet.yaml")[1] for sender in self._senders.values()
        }
        self._encrypts = any(server.encrypt != "never" for server in self._servers.values())
        _ = self._protection.known if self._encrypts else None  # told before anything is made
        self._ending: dict[str, Certificate] = {}
        self._open = self._all = 0

    def see(self, plan: PackagePlan) -> None:
        """Look at the addresses of a package that is made."""
        if not self._encrypts or not plan.is_made:
            return
        way = next((at for at in plan.decision.effects.ways if at in self._senders), None)
        if way is None or self._servers[self._senders[way].server].encrypt == "never":
            return
        end = self._tools.clock() + _SOON
        for person in plan.addressed.contacts:
            for address in (*person.to, *person.cc, *person.bcc):
                found = self._protection.to(address.mailbox, person.certificates)
                self._all += 1
                self._open += found is None
                if found is not None and found.ends < end:
                    self._ending.setdefault(address.identity, found)

    def findings(self) -> Iterator[Finding]:
        """A finding for whatever keeps messages from leaving, for what ends soon, and for what leaves in the open."""
        try:
            self._protection.require_ready(self._servers.values())
        except JobError as error:
            yield Finding(weight=Weight.ATTENTION, text=f"{error.where}: {error.what}. {error.fix}")
            return
        yield from self._signing()
        for name, server in self._servers.items():
            if server.encrypt == "or password":
                yield from self._without_password(name)
        for line in self._protection.known.unreadable if self._encrypts else ():
            yield Finding(weight=Weight.NOTE, text=f"smime.certificates, {line}")
        if self._open:
            who = "address has" if self._all == 1 else "addresses have"
            text = f"{self._open} of {self._all} {who} no certificate that can be used"
            yield Finding(weight=Weight.NOTE, text=text)
        if self._ending:
            first = sorted(self._ending.items(), key=lambda pair: pair[1].ends)[:_SHOWN]
            shown = ", ".join(f"{address} on {one.ends:%Y-%m-%d}" for address, one in first)
            more = " …" if len(self._ending) > _SHOWN else ""
            many = f"{len(self._ending)} recipients end" if len(self._ending) > 1 else "a recipient ends"
            text = f"certificates of {many} within 30 days: {shown}{more}"
            yield Finding(weight=Weight.NOTE, text=text)

    def _signing(self) -> Iterator[Finding]:
        """A finding for a sender for whom nobody signs, and for a certificate of ours that ends soon."""
        end, signing = self._tools.clock() + _SOON, set[str]()
        for sender in self._senders.values():
            if not self._servers[sender.server].sign:
                continue
            key = self._protection.signer_of(sender.address.mailbox)
            if key is None:
                text = (
                    f"nobody signs for {sender.address.mailbox}, and mail server '{sender.server}' signs every message"
                )
                yield Finding(weight=Weight.ATTENTION, text=f"{text}: name its certificate under `smime.signers`")
            elif key.certificate.ends < end:
                signing.add(
                    f"the certificate with which {sender.address.mailbox} signs ends on {key.certificate.ends:%Y-%m-%d}"
                )
        for name in signed_by(self._job):
            ends = self._protection.signers[name].certificate.ends
            if ends < end:
                signing.add(f"the certificate with which '{name}' signs documents ends on {ends:%Y-%m-%d}")
        for text in sorted(signing):
            yield Finding(weight=Weight.ATTENTION, text=f"{text}: get a new one")

    def _without_password(self, server: str) -> Iterator[Finding]:
        """A finding for what would go open to those who have no certificate, and so would be held."""
        package = self._job.file.package
        open_ones = sorted({one.shows for one in package.documents if one.password is None and one.attach})
        if open_ones and (package.zip is None or package.zip.password is None):
            text = f"{', '.join(open_ones)} has no `password`, and mail server '{server}' lets none leave open"
            yield Finding(weight=Weight.ATTENTION, text=text)
