"""Real mail servers from the system's packages, each in a folder of its own; they need root to run."""

from __future__ import annotations

import os
import shutil
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import pytest
import trustme

from support import free_port, listening, wait_for

DRAFTS = "Entwürfe & Co"
_NOBODY = 65534

_DOVECOT = """\
protocols = imap
listen = 127.0.0.1
base_dir = {folder}/run
state_dir = {folder}/state
log_path = {folder}/log
mail_location = maildir:{folder}/mail/%u
default_login_user = nobody
default_internal_user = nobody
default_internal_group = nogroup
first_valid_uid = 1
ssl = required
ssl_cert = <{folder}/server.pem
ssl_key = <{folder}/server.key
disable_plaintext_auth = yes
service imap-login {{
  chroot =
  inet_listener imap {{
    port = {port}
  }}
  inet_listener imaps {{
    port = {tls_port}
  }}
}}
service anvil {{
  chroot =
}}
service stats {{
  chroot =
}}
passdb {{
  driver = static
  args = password=right
}}
userdb {{
  driver = static
  args = uid=nobody gid=nogroup home={folder}/mail/%u
}}
namespace inbox {{
  inbox = yes
  mailbox "{drafts}" {{
    special_use = \\Drafts
    auto = create
  }}
}}
{more}
"""


@dataclass
class Imap:
    """A mailbox server that runs.

    Attributes:
        port: For STARTTLS.
        tls_port: For TLS.
        issuer: The certificate to trust.
        folder: Where everything of it is.
    """

    port: int
    tls_port: int
    issuer: Path
    folder: Path

    def drafts(self, user: str = "maren") -> list[bytes]:
        """What lies in the drafts of a user."""
        found = sorted((self.folder / "mail" / user).glob(".Entw*/cur/*")) + sorted(
            (self.folder / "mail" / user).glob(".Entw*/new/*")
        )
        return [path.read_bytes().replace(b"\n", b"\r\n") for path in found]  # a Maildir has its own ends of lines

    def flags(self, user: str = "maren") -> list[str]:
        return [path.name.partition(":2,")[2] for path in (self.folder / "mail" / user).glob(".Entw*/cur/*")]


def require(program: str) -> None:
    """Skip on a user's machine without it; fail in CI."""
    if os.getuid() != 0 and "CI" not in os.environ:
        pytest.skip("a mail server can only be started by root")
    if shutil.which(program) is None and "CI" not in os.environ:
        pytest.skip(f"there is no {program} here")


def certificate(folder: Path) -> Path:
    """A server's certificate and key in a folder; the certificate of its issuer."""
    issuer = trustme.CA()
    found = issuer.issue_cert("127.0.0.1")
    found.cert_chain_pems[0].write_to_path(str(folder / "server.pem"))
    found.private_key_pem.write_to_path(str(folder / "server.key"))
    issuer.cert_pem.write_to_path(str(folder / "issuer.pem"))
    return folder / "issuer.pem"


@contextmanager
def dovecot(folder: Path, more: str = "") -> Iterator[Imap]:
    """Run Dovecot; every user's password is `right`."""
    require("dovecot")
    (folder / "mail").mkdir(parents=True)
    issuer = certificate(folder)
    folder.chmod(0o755)
    os.chown(folder / "mail", _NOBODY, _NOBODY)
    port, tls_port = free_port(), free_port()
    text = _DOVECOT.format(folder=folder, port=port, tls_port=tls_port, drafts=DRAFTS, more=more)
    (folder / "dovecot.conf").write_text(text, "utf-8")
    process = subprocess.Popen(["dovecot", "-F", "-c", str(folder / "dovecot.conf")])
    try:
        wait_for(lambda: listening(port) and listening(tls_port))
        yield Imap(port, tls_port, issuer, folder)
    finally:
        process.terminate()
        process.wait(timeout=20)


_MASTER = """\
{port} inet n - n - - smtpd
cleanup unix n - n - 0 cleanup
qmgr unix n - n 300 1 qmgr
tlsmgr unix - - n 1000? 1 tlsmgr
rewrite unix - - n - - trivial-rewrite
bounce unix - - n - 0 bounce
defer unix - - n - 0 bounce
trace unix - - n - 0 bounce
verify unix - - n - 1 verify
proxymap unix - - n - - proxymap
error unix - - n - - error
retry unix - - n - - error
anvil unix - - n - 1 anvil
virtual unix - n n - - virtual
postlog unix-dgram n - n - 1 postlogd
"""
_MAIN = """\
compatibility_level = 3.6
queue_directory = {folder}/spool
data_directory = {folder}/data
maillog_file = {folder}/maillog
maillog_file_prefixes = /tmp, /var
command_directory = /usr/sbin
daemon_directory = /usr/lib/postfix/sbin
myhostname = relay.tarnvale.example
inet_interfaces = 127.0.0.1
inet_protocols = ipv4
mydestination =
message_size_limit = 200000
virtual_mailbox_domains = tarnvale.example, members.tarnvale.example
virtual_mailbox_base = {folder}/kept
virtual_mailbox_maps = regexp:{folder}/people
virtual_uid_maps = static:65534
virtual_gid_maps = static:65534
smtpd_tls_cert_file = {folder}/server.pem
smtpd_tls_key_file = {folder}/server.key
smtpd_tls_security_level = encrypt
smtpd_sasl_auth_enable = yes
smtpd_sasl_type = dovecot
smtpd_sasl_path = inet:127.0.0.1:{auth}
smtpd_relay_restrictions = permit_sasl_authenticated, reject
smtpd_recipient_restrictions = permit_sasl_authenticated, reject
smtpd_reject_unlisted_recipient = yes
"""
_AUTH = """\
service auth {{
  inet_listener {{
    address = 127.0.0.1
    port = {auth}
  }}
}}
auth_mechanisms = plain login
"""


@dataclass
class Relay:
    """A mail server that runs.

    Attributes:
        port: For STARTTLS; the password of `reports` is `right`.
        issuer: The certificate to trust.
        folder: Where everything of it is.
    """

    port: int
    issuer: Path
    folder: Path

    def kept(self) -> list[bytes]:
        """Every message that it delivered."""
        return [path.read_bytes() for path in sorted((self.folder / "kept").glob("all/new/*"))]


@contextmanager
def postfix(folder: Path) -> Iterator[Relay]:
    """Run Postfix, which asks Dovecot about logins, takes what is for the dairy, and knows nobody called `gone`."""
    require("postfix")
    auth, port = free_port(), free_port()
    folder.chmod(0o755)
    with dovecot(folder / "dovecot", _AUTH.format(auth=auth)):
        etc = folder / "etc"
        for name in ("etc", "spool", "data", "kept"):
            (folder / name).mkdir()
        issuer = certificate(folder)
        os.chown(folder / "kept", _NOBODY, _NOBODY)
        shutil.chown(folder / "data", "postfix")
        (folder / "people").write_text("if !/^gone@/\n/./ all/\nendif\n")
        (etc / "main.cf").write_text(_MAIN.format(folder=folder, auth=auth))
        (etc / "master.cf").write_text(_MASTER.format(port=port))
        subprocess.run(["postfix", "-c", str(etc), "start"], check=True, capture_output=True)
        try:
            wait_for(lambda: listening(port))
            yield Relay(port, issuer, folder)
        finally:
            subprocess.run(["postfix", "-c", str(etc), "stop"], check=False, capture_output=True)
