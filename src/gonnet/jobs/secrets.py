"""Passwords: from the environment, a `.env` file that nobody else can read, or a keyring. Never from a job file.

A reference is `${NAME}` or `${keyring:SERVICE/USER}`.
"""

from __future__ import annotations

import os
import re
import stat
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from urllib.parse import quote

from gonnet.errors import JobError

_REFERENCE = re.compile(r"\$\{(?:keyring:(?P<service>[^/}]+)/(?P<user>[^}]+)|(?P<name>[A-Za-z_][A-Za-z0-9_]*))\}")
_LINE = re.compile(r"^(?:export\s+)?(?P<name>[A-Za-z_][A-Za-z0-9_]*)\s*=\s*(?P<value>.*)$")


def is_reference(text: str) -> bool:
    """Whether the whole of `text` refers to a secret."""
    return bool(_REFERENCE.fullmatch(text))


def required(value: str | None) -> str | None:
    """`value`, where it is none or a reference.

    Raises:
        ValueError: it is a password that stands in the file.
    """
    if value is not None and not is_reference(value):
        raise ValueError("a password does not stand in a file: write ${NAME} and set NAME in the environment")
    return value


@dataclass(frozen=True, slots=True, kw_only=True)
class Secrets:
    """What references are resolved with; shows nothing of it."""

    known: Mapping[str, str] = field(repr=False)
    given: set[str] = field(default_factory=set, repr=False)

    @classmethod
    def of(cls, folder: Path, environment: Mapping[str, str] | None = None) -> Secrets:
        """The environment, and what it does not hold from `.env` in `folder`.

        Raises:
            JobError: others can read the `.env` file.
        """
        return cls(known={**_from_file(folder / ".env"), **(os.environ if environment is None else environment)})

    def resolve(self, text: str, where: str, *, in_url: bool = False) -> str:
        """`text` with every reference replaced; inside a URL, the values are quoted for it.

        Raises:
            JobError: a secret is not there.
        """

        def value(found: re.Match[str]) -> str:
            secret = (
                self._from_keyring(found, where) if found["service"] else self._from_environment(found["name"], where)
            )
            self.given.add(secret)
            return quote(secret, safe="") if in_url else secret

        return _REFERENCE.sub(value, text)

    def hidden(self, text: str) -> str:
        """`text` without any secret that was given out."""
        for secret in sorted(self.given, key=len, reverse=True):
            if secret:
                text = text.replace(secret, "***").replace(quote(secret, safe=""), "***")
        return text

    def _from_environment(self, name: str, where: str) -> str:
        if name not in self.known:
            fix = f"Set it, for instance `export {name}=…`, or write it into .env beside gonnet.yaml"
            raise JobError(f"the environment variable {name} is not set", where=where, fix=fix)
        return self.known[name]

    @staticmethod
    def _from_keyring(found: re.Match[str], where: str) -> str:
        try:
            import keyring
            from keyring.errors import KeyringError
        except ModuleNotFoundError as error:
            fix = "Install it: pip install 'gonnet[keyring]'"
            raise JobError("the keyring is not installed", where=where, fix=fix) from error
        try:
            secret = keyring.get_password(found["service"], found["user"])
        except KeyringError as error:
            raise JobError(
                f"the keyring cannot be read: {error}", where=where, fix="Unlock it, or use ${NAME}"
            ) from error
        if secret is None:
            fix = f"Put it there: `keyring set {found['service']} {found['user']}`"
            raise JobError(f"the keyring has no entry {found['service']}/{found['user']}", where=where, fix=fix)
        return secret


def _from_file(path: Path) -> dict[str, str]:
    if not path.is_file():
        return {}
    if os.name == "posix" and stat.S_IMODE(path.stat().st_mode) & 0o077:
        raise JobError("others can read the file .env", where=str(path), fix="Run `chmod 600 .env`")
    found = {}
    for number, line in enumerate(path.read_text("utf-8").splitlines(), 1):
        if not line.strip() or line.lstrip().startswith("#"):
            continue
        parts = _LINE.match(line.strip())
        if parts is None:
            raise JobError("this line is not NAME=VALUE", where=f".env:{number}", fix="Write one entry on each line")
        value = parts["value"].strip()
        quotes = value[:1] in "'\"" and value[:1] == value[-1:] and len(value) > 1
        found[parts["name"]] = value[1:-1] if quotes else value
    return found
