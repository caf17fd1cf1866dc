"""Signing and encrypting what leaves by mail, as the mail server that it leaves by is to have it.

The gate asks here why a message must not leave; it is made here, at the last moment, and each address gets one that
only it can read.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from functools import cached_property, lru_cache
from typing import TYPE_CHECKING

from gonnet.delivery import signers
from gonnet.delivery.pdf_signatures import require
from gonnet.delivery.smime import SigningKey, encrypted, signed
from gonnet.errors import JobError, meant
from gonnet.jobs import Job, Workspace
from gonnet.jobs.services import MailServer
from gonnet.ledger import ContactRecord, MessageRecord, PackageRecord
from gonnet.packages.protection import is_locked
from gonnet.recipients import Recipient, certificates
from gonnet.recipients.certificates import Certificate, Known

if TYPE_CHECKING:
    from gonnet.pipeline.tools import Clock

Files = Callable[[str], bytes]
"""Gives the bytes of a file by its digest."""

_FIX = "Put a certificate of theirs into the folder, or take them out"


class Protection:
    """What a workspace signs and encrypts messages with.

    Args:
        workspace: It.
        clock: Gives the time, by which certificates hold.
    """

    def __init__(self, workspace: Workspace, clock: Clock) -> None:
        self._workspace, self._clock = workspace, clock

    @cached_property
    def known(self) -> Known:
        """The certificates of recipients in the folder.

        Raises:
            JobError: there is no such folder, or the library that reads certificates is not installed.
        """
        folder = self._workspace.file.smime.certificates
        return Known(self._workspace.folder / folder if folder is not None else None)

    @cached_property
    def signers(self) -> dict[str, SigningKey]:
        """Name → key, of all who sign.

        Raises:
            JobError: a key or a certificate cannot be read, or the two do not belong together.
        """
        secrets, folder = self._workspace.secrets, self._workspace.folder
        specs = self._workspace.file.smime.signers.items()
        return {name: signers.read(spec, secrets, folder, f"gonnet.yaml, smime.signers.{name}") for name, spec in specs}

    def require_ready(self, servers: Iterable[MailServer]) -> None:
        """Tell before the first message what keeps every message from leaving by some servers.

        Raises:
            JobError: a key cannot be read, a certificate of ours does not hold, or the folder is not there.
        """
        for server in servers:
            if server.encrypt != "never":
                _ = self.known
            for_mail = ((name, key) for name, key in self.signers.items() if key.certificate.addresses)
            for name, key in for_mail if server.sign else ():
                if (why := key.certificate.trouble(self._clock(), "sign")) is not None:
                    what = f"the certificate of the signer '{name}' {why}"
                    raise JobError(what, where="gonnet.yaml, smime.signers", fix="Get a new one, and name it there")

    def require_signers(self, job: Job) -> None:
        """Tell before anything is made what keeps the documents of a job from being signed.

        Raises:
            JobError: there is no such signer, or its key or its certificate cannot be used.
        """
        for name, where in signing(job).items():
            require(where)
            if name not in self._workspace.file.smime.signers:
                fix = meant(name, sorted(self._workspace.file.smime.signers), noun="signer")
                raise JobError(f"gonnet.yaml has no signer '{name}'", where=where, fix=fix)
            why = self.signers[name].certificate.trouble(self._clock(), "sign documents")
            if why is not None:
                raise JobError(f"the certificate of the signer '{name}' {why}", where=where, fix="Get a new one")

    def signer_of(self, sender: str) -> SigningKey | None:
        """Who signs for a sender's address; None where nobody can now."""
        now = self._clock()
        own = (key for key in self.signers.values() if sender.casefold() in key.certificate.addresses)
        usable = (key for key in own if key.certificate.trouble(now, "sign") is None)
        return max(usable, key=lambda key: key.certificate.ends, default=None)

    def to(self, address: str, texts: Sequence[str] = ()) -> Certificate | None:
        """The certificate with which a message to an address is encrypted; None where there is none that can be used.

        Args:
            address: The address.
            texts: Certificates on its lines of the list.
        """
        return certificates.chosen(self.known.of(address, listed(texts)), self._clock())

    def encrypts(self, server: str) -> bool:
        """Whether messages by a server may be encrypted."""
        return self._server(server).encrypt != "never"

    def lacking(self, server: str, addresses: Iterable[str], texts: Sequence[str]) -> str | None:
        """Why a message by a server that lets only encrypted ones leave cannot be encrypted to some addresses."""
        if not server or self._server(server).encrypt != "always":
            return None
        return next((self._why_not(server, one, texts) for one in addresses if self.to(one, texts) is None), None)

    def lets_files_open(self, server: str, addresses: Sequence[str], texts: Sequence[str]) -> bool:
        """Whether files need no password of their own, since all who get them get them encrypted."""
        by_password = bool(server) and self._server(server).encrypt == "or password"
        return by_password and all(self.to(one, texts) is not None for one in addresses)

    def refusal(
        self, server: str, address: str, package: PackageRecord | None, message: MessageRecord | None, files: Files
    ) -> str | None:
        """Why a message must not leave to an address as it is; None where it may."""
        if not server:
            return None
        spec = self._server(server)
        if spec.sign and message is not None and self.signer_of(message.sender) is None:
            return f"no certificate under `smime.signers` that holds is for the sender {message.sender}"
        texts = of_contacts(package.contacts, address) if package is not None else ()
        if spec.encrypt in ("never", "where possible") or self.to(address, texts) is not None:
            return None
        if spec.encrypt == "or password" and package is not None and message is not None:
            open_one = _open_file(package, message, files)
            return f"{address} has no certificate, and {open_one} has no password" if open_one else None
        return self._why_not(server, address, texts)

    def made(self, server: str, sender: str, address: str, message: bytes, texts: Sequence[str]) -> bytes:
        """A whole message as an address gets it by a server.

        Raises:
            JobError: it is to be signed or encrypted and cannot be.
        """
        spec, where = self._server(server), f"gonnet.yaml, mail server '{server}'"
        if spec.sign:
            signer = self.signer_of(sender)
            if signer is None:
                raise JobError(f"nobody signs for {sender}", where=where, fix="Name its certificate: `smime.signers`")
            message = signed(message, signer)
        if spec.encrypt == "never":
            return message
        certificate = self.to(address, texts)
        if certificate is not None:
            return encrypted(message, certificate.x509)
        if spec.encrypt == "always":
            raise JobError(self._why_not(server, address, texts), where=where, fix=_FIX)
        return message

    def _server(self, name: str) -> MailServer:
        return self._workspace.server(name, "gonnet.yaml")[1]

    def _why_not(self, server: str, address: str, texts: Sequence[str]) -> str:
        why = certificates.why_none(address, self.known.of(address, listed(texts)), self._clock())
        return f"{why}, and mail server '{server}' encrypts every message"


def signing(job: Job) -> dict[str, str]:
    """Signer of documents of a job, by name → where the job says it first."""
    named = ((document.sign, at) for at, document in enumerate(job.file.package.documents) if document.sign)
    found: dict[str, str] = {}
    for name, at in named:
        found.setdefault(name, job.at("package", "documents", at, "sign"))
    return found


class OfJob:
    """The same for the packages of a job, before anything of them is made.

    Args:
        job: The job.
        workspace: The workspace.
        protection: What messages are signed and encrypted with.
    """

    def __init__(self, job: Job, workspace: Workspace, protection: Protection) -> None:
        self._protection = protection
        self._servers = {
            at: workspace.server(way.email.server, job.at("deliver", at, "email"))[0]
            for at, way in enumerate(job.file.deliver)
            if way.email is not None and job.file.messages
        }

    def encrypts(self, ways: Sequence[int]) -> bool:
        """Whether messages by some ways may be encrypted."""
        return any(self._protection.encrypts(self._servers[at]) for at in ways if at in self._servers)

    def why_held(self, ways: Sequence[int], people: Sequence[Recipient]) -> str | None:
        """Why a package that goes by some ways would not leave, or None."""
        server = next((self._servers[at] for at in ways if at in self._servers), "")
        return self._protection.lacking(server, _addresses_of(people), _texts_of(people))

    def lets_files_open(self, ways: Sequence[int], people: Sequence[Recipient]) -> bool:
        """Whether the files of a package need no password, since nobody gets them but encrypted."""
        servers = {self._servers.get(at, "") for at in ways}
        addresses, texts = _addresses_of(people), _texts_of(people)
        return len(servers) == 1 and all(
            self._protection.lets_files_open(server, addresses, texts) for server in servers
        )


def _addresses_of(people: Sequence[Recipient]) -> list[str]:
    return [a.mailbox for person in people for a in (*person.to, *person.cc, *person.bcc)]


def _texts_of(people: Sequence[Recipient]) -> tuple[str, ...]:
    return tuple(text for person in people for text in person.certificates)


def of_contacts(contacts: Iterable[ContactRecord], address: str) -> tuple[str, ...]:
    """The certificates on the lines of a list that have an address."""
    mine = address.casefold()
    return tuple(
        one.certificate for one in contacts if one.certificate and mine in {name.casefold() for name in one.to}
    )


@lru_cache(maxsize=64)
def listed(texts: Sequence[str]) -> tuple[Certificate, ...]:
    """The certificates that stand on lines of a list; they were read when the list was."""
    return tuple(one for text in texts for one in certificates.certificates_in(text.encode("ascii"), "the list"))


def _open_file(package: PackageRecord, message: MessageRecord, files: Files) -> str:
    """The first file of a message that opens without a password, as its bytes say; empty where there is none."""
    attached = (document for document in package.documents if document.name in message.files)
    return next((one.name for one in attached if not is_locked(files(one.sha256))), "")
