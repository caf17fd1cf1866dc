"""The store of rendered files in a bucket of a server that speaks the protocol of S3.

An object is under the SHA-256 of its bytes, so whoever writes it again writes the same. The server takes it whole or
not at all.
"""

from __future__ import annotations

import hashlib
import os
import re
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from gonnet.errors import GonnetError, SealError, StorageError, UnreachableError
from gonnet.jobs.record_places import Bucket
from gonnet.jobs.secrets import Secrets

_MOST = 32 * 2**20  # bytes that wait to be written together
_DIGEST = re.compile("[0-9a-f]{64}")
_WHERE = "gonnet.yaml, ledger.store"
_INSTALL = "Install it: pip install 'gonnet[s3]'"


class BucketStore:
    """A bucket, or what of one begins with a path.

    It is handed to processes that draw, each of which finds the passwords for itself.

    Args:
        spec: Which.
        folder: The workspace, beside whose `gonnet.yaml` passwords may be.
    """

    def __init__(self, spec: Bucket, folder: Path) -> None:
        self._spec, self._folder = spec, folder
        self._root = spec.url.removeprefix("s3://").strip("/")
        self._begin()

    def _begin(self) -> None:
        self._files: Any = None
        self._process = 0
        self._waiting: dict[str, bytes] = {}
        self._depth, self._lock = 0, threading.RLock()

    def __getstate__(self) -> tuple[Bucket, Path, str]:
        return self._spec, self._folder, self._root

    def __setstate__(self, state: tuple[Bucket, Path, str]) -> None:
        self._spec, self._folder, self._root = state
        self._begin()

    def put(self, data: bytes) -> str:
        """Keep `data`; returns its SHA-256.

        Raises:
            StorageError: the bucket does not take it.
            UnreachableError: the server cannot be reached.
        """
        digest = hashlib.sha256(data).hexdigest()
        with self._lock:
            self._waiting[digest] = data
            if not self._depth or sum(map(len, self._waiting.values())) > _MOST:
                self._write()
        return digest

    def get(self, digest: str) -> bytes:
        """The bytes kept under `digest`, checked against it.

        Raises:
            SealError: they are gone or are no longer what was put.
            UnreachableError: the server cannot be reached.
        """
        with self._lock:
            if digest in self._waiting:
                return self._waiting[digest]
        where = self._place(digest)
        with self._asked() as files:
            try:
                data = bytes(files.cat_file(where))
            except FileNotFoundError as error:
                raise SealError(f"the stored file {digest[:12]}… is gone", where=where) from error
        if hashlib.sha256(data).hexdigest() != digest:
            raise SealError(f"the stored file {digest[:12]}… was changed after the review", where=where)
        return data

    def has(self, digest: str) -> bool:
        """Whether something is kept under `digest`."""
        with self._asked() as files:
            return bool(files.exists(self._place(digest)))

    def digests(self) -> Iterator[tuple[str, int, float]]:
        """Every file that is kept: its digest, its bytes, and when it was last put, in seconds since 1970."""
        bucket, _, path = self._root.partition("/")
        page: dict[str, str] = {}
        while True:  # a page at a time, however many there are
            with self._asked() as files:
                found = files.call_s3("list_objects_v2", Bucket=bucket, Prefix=f"{path}/" if path else "", **page)
            for about in found.get("Contents", ()):
                name = str(about["Key"]).rpartition("/")[2]
                if _DIGEST.fullmatch(name):
                    yield name, int(about["Size"]), about["LastModified"].timestamp()
            if not found.get("IsTruncated"):
                return
            page = {"ContinuationToken": found["NextContinuationToken"]}

    def remove(self, digest: str, since: float | None = None) -> None:
        """Remove a file, unless it was put after `since`, in seconds since 1970."""
        with self._asked() as files:
            try:
                if since is None or files.info(self._place(digest), refresh=True)["LastModified"].timestamp() <= since:
                    files.rm_file(self._place(digest))
            except FileNotFoundError:
                return

    def make_room(self, packages: int) -> None:
        """A bucket has room, and no folders."""

    @contextmanager
    def together(self) -> Iterator[None]:
        """Within it, what is put is written together with other files; at its end all of it is."""
        with self._lock:
            self._depth += 1
        try:
            yield
        finally:
            with self._lock:
                self._depth -= 1
        self.flush()

    def flush(self) -> None:
        """Write what waits; the server has then all of it.

        Raises:
            StorageError: the bucket does not take it.
            UnreachableError: the server cannot be reached.
        """
        with self._lock:
            self._write()

    def _write(self) -> None:
        if self._waiting:
            with self._asked() as files:
                files.pipe({self._place(digest): data for digest, data in self._waiting.items()})
            self._waiting = {}

    def _place(self, digest: str) -> str:
        return f"{self._root}/{digest[:2]}/{digest}"

    @contextmanager
    def _asked(self) -> Iterator[Any]:
        """The bucket's files; what goes wrong, in words."""
        try:
            from botocore.exceptions import BotoCoreError
        except ImportError as error:
            raise StorageError("the library that speaks to buckets is not installed", fix=_INSTALL) from error
        try:
            yield self._connected()
        except (FileNotFoundError, GonnetError) as error:
            if isinstance(error, GonnetError):
                raise
            what = f"there is no bucket {self._root.partition('/')[0]}"
            raise StorageError(what, where=_WHERE, fix="Make it, or correct the URL") from error
        except PermissionError as error:
            what = f"{self._spec.url} cannot be used: {error}"
            raise StorageError(what, where=_WHERE, fix="Check the keys and what they may do") from error
        except (OSError, BotoCoreError) as error:
            what = f"{self._spec.url} cannot be reached: {error}"
            raise UnreachableError(what, fix="Nothing is lost; run it again when it is there") from error

    def _connected(self) -> Any:  # noqa: ANN401  fsspec has no types
        if self._files is None or self._process != os.getpid():
            from s3fs import S3FileSystem

            spec, secrets = self._spec, Secrets.of(self._folder)
            keys = {name: secrets.resolve(text, _WHERE) for name, text in spec.keys.items()}
            more = {"region_name": spec.region} if spec.region else {}
            self._files = S3FileSystem(
                **keys, endpoint_url=spec.endpoint, client_kwargs=more, use_listings_cache=False,
                skip_instance_cache=True,
            )  # fmt: skip
            self._process = os.getpid()
        return self._files
