"""The ledger tells what happened, and the store gives back what it was given."""

from __future__ import annotations

import datetime as dt
import stat
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gonnet.errors import RunError, SealError, StorageError
from gonnet.ledger import DeliveryRecord, DocumentRecord, Ledger, MessageRecord, PackageRecord, State, Store
from gonnet.ledger.records import HandOver, RunState, package_state

NOON = dt.datetime(2026, 11, 5, 12, 0, tzinfo=dt.UTC)
RUN = {
    "job": "statements",
    "title": "Milk",
    "job_sha256": "0" * 64,
    "as_of": "2026-11-05",
    "parameters": {"period": "2026-10"},
    "period": "period 2026-10",
}


def package(key: str, *addresses: str, state: State = State.READY) -> PackageRecord:
    message = MessageRecord(
        message_id=f"<{key}@tarnvale.example>",
        called="standard",
        subject="Milk",
        sender="statements@tarnvale.example",
        to=addresses[:1],
        cc=addresses[1:],
        bcc=(),
        files=(f"{key}.pdf",),
        server="office",
        sha256="1" * 64,
        deliveries=tuple(DeliveryRecord(address=address) for address in addresses),
    )
    document = DocumentRecord(
        name=f"{key}.pdf", report="statement", format="pdf", sha256="2" * 64, bytes=9, pages=1, rows=2, content="4" * 64
    )
    return PackageRecord(
        key=key,
        name=f"Farm {key}",
        state=state,
        reason="",
        rows=2,
        figures={"rows": "2", "payable": "1.50"},
        odd=("odd",),
        seal="3" * 64,
        documents=(document,),
        messages=(message,) if addresses else (),
    )


@pytest.fixture
def ledger(tmp_path: Path) -> Ledger:
    return Ledger(tmp_path / "kept", lambda: NOON)


def written(ledger: Ledger, *packages: PackageRecord) -> int:
    with ledger.writing(**RUN) as run:
        run.add(packages)
        run.close(seconds=1.25, account={"read": 4}, findings=[("note", "a finding")])
    return run.id


def test_what_is_written_is_read_back(ledger: Ledger) -> None:
    mine = package("00042", "a@x.example", "b@x.example")
    number = written(ledger, mine, package("117"))
    run = ledger.run("last")
    assert (run.id, run.state, run.seconds, run.as_of) == (number, RunState.PREPARED, 1.25, dt.date(2026, 11, 5))
    assert (run.parameters, run.account, run.findings) == ({"period": "2026-10"}, {"read": 4}, (("note", "a finding"),))
    assert run.counts == {State.READY: 2}
    found = ledger.packages(number, ["00042"])[0]
    assert (found.figures, found.odd, found.documents, found.to) == (
        mine.figures,
        mine.odd,
        mine.documents,
        ("a@x.example",),
    )
    assert [part.address for part in found.deliveries()] == ["a@x.example", "b@x.example"]


def test_everybodys_figures_are_the_owners_alone(ledger: Ledger) -> None:
    assert stat.S_IMODE(ledger.place.parent.stat().st_mode) == 0o700


def test_every_change_of_state_is_an_event_with_its_time(ledger: Ledger) -> None:
    number = written(ledger, package("00042", "a@x.example"))
    found = ledger.packages(number)[0]
    (delivery,) = found.deliveries()
    assert ledger.deliveries.hand_over(delivery.id)
    assert ledger.deliveries.answered(number, found.id, delivery.id, HandOver.LATER, 450, "busy") is State.FAILED
    assert ledger.deliveries.hand_over(delivery.id)
    assert ledger.deliveries.answered(number, found.id, delivery.id, HandOver.SENT, 250, "ok") is State.SENT
    assert ledger.history(number, found.id) == tuple(
        (NOON.isoformat(timespec="milliseconds"), what)
        for what in ("ready", "a@x.example: later (450 busy)", "a@x.example: sent (250 ok)")
    )
    again = next(ledger.packages(number)[0].deliveries())
    assert (again.attempts, again.state, again.at) == (2, HandOver.SENT, NOON)


def test_an_open_hand_over_is_called_unsure_once(ledger: Ledger) -> None:
    number = written(ledger, package("00042", "a@x.example"), package("117", "b@x.example"))
    assert ledger.deliveries.hand_over(next(ledger.packages(number)[0].deliveries()).id)
    assert ledger.deliveries.doubt_open(number) == 1
    assert ledger.deliveries.doubt_open(number) == 0
    assert [found.state for found in ledger.packages(number)] == [State.UNSURE, State.READY]
    assert ledger.run("last").counts == {State.READY: 1, State.UNSURE: 1}


@given(st.lists(st.sampled_from(list(HandOver)), min_size=1, max_size=5))
def test_a_package_is_sent_only_when_all_of_it_is_and_never_hides_a_doubt(states: list[HandOver]) -> None:
    found = package_state(states)
    assert (found is State.SENT) == (set(states) == {HandOver.SENT})
    assert (found is State.UNSURE) == bool({HandOver.UNSURE, HandOver.HANDING} & set(states))
    assert (found is None) == (set(states) == {HandOver.WAITING})


def test_runs_are_found_by_number_or_last(ledger: Ledger) -> None:
    with pytest.raises(RunError, match="there is no run yet"):
        ledger.run("last")
    first, second = written(ledger, package("1")), written(ledger, package("1"))
    assert [run.id for run in ledger.all_runs()] == [second, first]
    assert ledger.run(str(first)).id == first
    with pytest.raises(RunError, match="there is no run 9"):
        ledger.run("9")
    with pytest.raises(RunError, match="no package for key '2'"):
        ledger.packages(first, ["2"])


def test_a_ledger_that_cannot_be_read_is_told(tmp_path: Path) -> None:
    (tmp_path / "ledger.db").write_bytes(b"this is no database, but it is long enough to be looked at " * 20)
    with pytest.raises(StorageError, match="not a database"):
        Ledger(tmp_path, lambda: NOON)


def test_the_store_gives_back_what_it_was_given(tmp_path: Path) -> None:
    store = Store(tmp_path / "store")
    digest = store.put(b"milk")
    assert store.put(b"milk") == digest
    assert store.get(digest) == b"milk"
    assert [path.name for path in (tmp_path / "store").rglob("*") if path.is_file()] == [digest]


def test_the_store_never_gives_back_anything_else(tmp_path: Path) -> None:
    store = Store(tmp_path / "store")
    digest = store.put(b"milk")
    store.path(digest).write_bytes(b"water")
    with pytest.raises(SealError, match="no longer what was reviewed"):
        store.get(digest)
    assert store.put(b"milk") == digest, "putting it again mends it"
    assert store.get(digest) == b"milk"
    store.path(digest).unlink()
    with pytest.raises(SealError, match="cannot be read"):
        store.get(digest)
