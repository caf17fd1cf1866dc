"""The seal covers all that leaves: whoever changes any of it without sealing anew is found out."""

from __future__ import annotations

from dataclasses import replace

import pytest

from gonnet.jobs.targets import Target, TargetKind
from gonnet.ledger import HandOverRecord, PackageRecord
from gonnet.ledger.states import HandOverKind
from gonnet.pipeline.seal import seal_of
from recorded import package

FILE = HandOverRecord(
    kind=HandOverKind.FILE, target=Target(TargetKind.FOLDER, "archive", "2026/a.pdf"), sha256="5" * 64, way="folder"
)


def sealed(found: PackageRecord) -> str:
    return seal_of(found.key, found.documents, found.messages, found.hand_overs)


def whole() -> PackageRecord:
    found = package("00042", "a@x.example", "b@x.example")
    return replace(found, hand_overs=(*found.hand_overs, FILE))


CHANGES = {
    "key": lambda p: replace(p, key="117"),
    "name of a document": lambda p: replace(p, documents=(replace(p.documents[0], name="b.pdf"),)),
    "document": lambda p: replace(p, documents=(replace(p.documents[0], sha256="9" * 64),)),
    "message": lambda p: replace(p, messages=(replace(p.messages[0], sha256="9" * 64),)),
    "attached files": lambda p: replace(p, messages=(replace(p.messages[0], files=()),)),
    "address": lambda p: replace(
        p, hand_overs=(replace(p.hand_overs[0], target=Target(TargetKind.ADDRESS, "evil@x.example")), *p.hand_overs[1:])
    ),
    "one address less": lambda p: replace(p, hand_overs=p.hand_overs[1:]),
    "filed file": lambda p: replace(p, hand_overs=(*p.hand_overs[:2], replace(FILE, sha256="9" * 64))),
    "place of a file": lambda p: replace(
        p, hand_overs=(*p.hand_overs[:2], replace(FILE, target=Target(TargetKind.FOLDER, "archive", "other.pdf")))
    ),
    "folder of a file": lambda p: replace(
        p, hand_overs=(*p.hand_overs[:2], replace(FILE, target=Target(TargetKind.FOLDER, "public", "2026/a.pdf")))
    ),
}


@pytest.mark.parametrize("change", CHANGES.values(), ids=CHANGES)
def test_whatever_is_changed_breaks_the_seal(change: object) -> None:
    assert callable(change)
    assert sealed(change(whole())) != sealed(whole())
