"""The stand-in mail server keeps what it gets, with its envelope and in order, and reaches nobody."""

from __future__ import annotations

import smtplib
from contextlib import contextmanager
from typing import TYPE_CHECKING

import pytest

from gonnet.demo.mailserver import kept, serve
from gonnet.errors import StorageError, UnreachableError
from support import free_port

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path


@contextmanager
def serving(folder: Path) -> Iterator[int]:
    port = free_port()
    controller = serve(folder, "127.0.0.1", port)
    try:
        yield port
    finally:
        controller.stop()


def test_messages_are_kept_with_their_envelope_in_the_order_of_arrival(tmp_path: Path) -> None:
    with serving(tmp_path / "mailbox") as port, smtplib.SMTP("127.0.0.1", port) as smtp:
        for number in range(12):
            text = f"Subject: number {number}\r\nTo: shown@x.example\r\n\r\n.dot\r\nLine {number}\r\n"
            smtp.sendmail("from@x.example", [f"a{number}@x.example", "b@x.example"], text)
    found = kept(tmp_path / "mailbox")
    assert [message.message["Subject"] for message in found[::2]] == [f"number {number}" for number in range(12)]
    assert [message.delivered_to for message in found[:3]] == ["a0@x.example", "b@x.example", "a1@x.example"]
    assert [message.number for message in found] == list(range(1, 25))
    assert found[0].message["Return-Path"] == "<from@x.example>"
    assert found[0].text() == ".dot\nLine 0\n"


def test_a_port_that_is_taken_and_a_mailbox_that_is_not_there_are_told(tmp_path: Path) -> None:
    with (
        serving(tmp_path / "one") as port,
        pytest.raises(UnreachableError, match=f"no server can listen at 127.0.0.1:{port}"),
    ):
        serve(tmp_path / "two", "127.0.0.1", port)
    with pytest.raises(StorageError, match="there is no mailbox here"):
        kept(tmp_path / "nothing")
