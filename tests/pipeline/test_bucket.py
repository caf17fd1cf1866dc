"""Rendered files in a bucket of a server: everything is as with a folder, and its password goes nowhere."""

from __future__ import annotations

import pickle
import socket
import subprocess
import sys
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import boto3
import pytest

from gonnet.errors import SealError, StorageError
from gonnet.jobs.record_places import Bucket
from gonnet.ledger.bucket import BucketStore
from gonnet.pipeline.record.verify import verify
from gonnet.pipeline.tidy import look_round
from lived import lived_through
from support import SETTINGS, Dairy, wait_for

SECRET = "a long and secret word"


@dataclass
class Server:
    """A server with buckets, and one of them."""

    port: int

    @property
    def spec(self) -> Bucket:
        at = f"http://127.0.0.1:{self.port}"
        found = {"url": "s3://tarnvale/milk", "endpoint": at, "region": "eu-west-1", "access_key": "gonnet"}
        return Bucket.model_validate({**found, "secret_key": "${BUCKET_KEY}"})

    @property
    def bucket(self) -> Any:  # noqa: ANN401  the library has no types
        at = f"http://127.0.0.1:{self.port}"
        keys = {"aws_access_key_id": "x", "aws_secret_access_key": "y", "region_name": "eu-west-1"}
        return boto3.resource("s3", endpoint_url=at, **keys).Bucket("tarnvale")

    def names(self) -> list[str]:
        return [about.key for about in self.bucket.objects.all()]


@pytest.fixture(scope="module")
def running() -> Iterator[int]:
    with socket.create_server(("127.0.0.1", 0)) as probe:
        port = int(probe.getsockname()[1])
    words = [sys.executable, "-c", f"from moto.server import main; main(['-H', '127.0.0.1', '-p', '{port}'])"]
    server = subprocess.Popen(words, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)

    def answers() -> bool:
        with suppress(OSError), socket.create_connection(("127.0.0.1", port)):
            return True
        return False

    try:
        wait_for(answers)
        yield port
    finally:
        server.kill()
        server.wait()


@pytest.fixture
def server(running: int, monkeypatch: pytest.MonkeyPatch) -> Iterator[Server]:
    monkeypatch.setenv("BUCKET_KEY", SECRET)
    found = Server(running)
    found.bucket.create(CreateBucketConfiguration={"LocationConstraint": "eu-west-1"})
    yield found
    found.bucket.objects.all().delete()
    found.bucket.delete()


@pytest.fixture
def stored(dairy: Dairy, server: Server) -> Dairy:
    at = f"endpoint: 'http://127.0.0.1:{server.port}', region: eu-west-1, access_key: gonnet"
    place = f"ledger: {{store: {{url: s3://tarnvale/milk, {at}, secret_key: '${{BUCKET_KEY}}'}}}}\n"
    rule = "approval: {by: 1, of: [ann, bert], above: {messages: 4}}\n"
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + place + rule)
    return dairy


def test_what_is_put_is_there_once_and_what_was_changed_is_not_given(server: Server, tmp_path: Path) -> None:
    store = BucketStore(server.spec, tmp_path)
    first = store.put(b"milk")
    assert (store.put(b"milk"), store.get(first), store.has(first)) == (first, b"milk", True)
    with store.together():
        late = store.put(b"cream")
        assert store.get(late) == b"cream"
        assert len(server.names()) == 1, "it is written with others"
    assert sorted(name for name, _, _ in store.digests()) == sorted((first, late))
    other = pickle.loads(pickle.dumps(store))
    assert other.get(late) == b"cream"
    assert SECRET.encode() not in pickle.dumps(store)
    put = {name: at for name, _, at in store.digests()}[late]
    store.remove(late, put - 1)
    assert store.has(late)
    store.remove(late, put)
    store.remove(late)
    assert not store.has(late)
    server.bucket.Object(server.names()[0]).put(Body=b"water")
    for digest, said in ((first, "was changed after the review"), (late, "is gone")):
        with pytest.raises(SealError, match=said):
            store.get(digest)


def test_a_bucket_that_is_not_there_and_a_server_that_is_down(server: Server, stored: Dairy, tmp_path: Path) -> None:
    nowhere = server.spec.model_copy(update={"url": "s3://nowhere"})
    with pytest.raises(StorageError, match="there is no bucket nowhere"):
        BucketStore(nowhere, tmp_path).put(b"milk")
    stored.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=None)
    text = (stored.folder / "gonnet.yaml").read_text("utf-8")
    stored.write("gonnet.yaml", text.replace(f"127.0.0.1:{server.port}", "127.0.0.1:1").replace("approval", "# "))
    said = stored.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=4).stderr
    assert "s3://tarnvale/milk cannot be reached" in said
    assert "Nothing is lost" in said
    assert [run["state"] for run in stored.json("runs", code=None)["runs"]] == ["aborted", "prepared"]


def test_everything_is_as_with_a_folder(stored: Dairy, server: Server, tmp_path: Path) -> None:
    lived_through(stored)
    assert not (stored.folder / ".gonnet/store").exists()
    with stored.tools() as tools:
        assert verify(tools).faults == ()
        assert not look_round(tools).digests
    stored.gonnet("settle", "2", "117", "--closed", "--why", "left us")
    before = len(server.names())
    stored.gonnet("tidy", "--recipient", "117", "--yes")
    assert len(server.names()) < before
    assert "The record is whole" in stored.gonnet("verify").stdout
    copied = tmp_path / "copy"
    assert "take `folder` and `store` of `ledger` out" in stored.gonnet("verify", "--copy", str(copied)).stdout
    assert any((copied / ".gonnet/store").glob("??/*"))
    assert SECRET not in "".join(path.read_text("latin-1") for path in stored.folder.rglob("*") if path.is_file())
