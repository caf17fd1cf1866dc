"""Where the record of runs and the rendered files are kept, and with what accounts of runs are signed."""

from __future__ import annotations

from typing import Annotated

from pydantic import field_validator

from gonnet.jobs import secrets
from gonnet.jobs.sections import LooksLike, Name, Section
from gonnet.jobs.values import Days


class SigningKey(Section):
    """The key with which accounts of runs are signed.

    Attributes:
        key: Its file: an Ed25519 key in PEM; relative to the workspace unless it is absolute.
        password: What opens it: `${NAME}` from the environment, or from a keyring.
    """

    key: str
    password: str | None = None

    @field_validator("password")
    @classmethod
    def _is_named(cls, value: str | None) -> str | None:
        return secrets.required(value)


_Server = Annotated[str, LooksLike("https?://.*", "is not the address of a server; begin with https://")]


class Bucket(Section):
    """A bucket on a server that speaks the protocol of S3.

    Attributes:
        url: The bucket, and a path in it: `s3://BUCKET/PATH`.
        endpoint: The server, where it is not the usual one.
        region: The region of the bucket, where the server has some.
        access_key: Who uses it; as the environment says when left out.
        secret_key: Their password: `${NAME}`.
    """

    url: Annotated[str, LooksLike(r"s3://[^/\s]+.*", "is not a bucket; write one such as s3://tarnvale/gonnet")]
    endpoint: _Server | None = None
    region: str | None = None
    access_key: str | None = None
    secret_key: str | None = None

    @field_validator("secret_key")
    @classmethod
    def _is_named(cls, value: str | None) -> str | None:
        return secrets.required(value)

    @property
    def keys(self) -> dict[str, str]:
        """Who uses it, as the library calls it; empty where the environment says so."""
        found = {"key": self.access_key, "secret": self.secret_key}
        return {name: value for name, value in found.items() if value is not None}


class LedgerPlace(Section):
    """Where the record of runs and the rendered files are kept.

    Attributes:
        folder: The folder; relative to the workspace unless it is absolute.
        database: The name of a database under `databases` that has the record instead, for several people and machines:
            PostgreSQL. The rendered files are in the folder, which all of them see, or in a bucket.
        store: A bucket in which the rendered files are instead.
        keep: How long the files are, of jobs that do not say; for ever when left out. The record always is.
        sign: The key with which `gonnet verify --export` signs the account of a run.
    """

    folder: str = ".gonnet"
    database: Name | None = None
    store: Bucket | None = None
    keep: Days | None = None
    sign: SigningKey | None = None
