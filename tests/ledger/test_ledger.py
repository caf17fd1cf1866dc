"""The ledger tells what happened, and the store gives back what it was given."""

from __future__ import annotations

import datetime as dt
import stat
from itertools import product
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import text

from gonnet.errors import RunError, SealError, StorageError
from gonnet.jobs.targets import Target, TargetKind
from gonnet.ledger import FolderStore, HandOverRecord, Ledger, State
from gonnet.ledger.changes import Settlement
from gonnet.ledger.hand_overs import Allowance, Outcome
from gonnet.ledger.states import DONE, MOVES, HandOverKind, HandOverState, Purpose, RunState, is_in_doubt, package_state
from recorded import LATER, NOON, SENT, begun, package, written


def test_what_is_written_is_read_back(ledger: Ledger) -> None:
    mine = package("00042", "a@x.example", "b@x.example")
    number = written(ledger, mine, package("117"))
    run = ledger.run("last")
    assert (run.id, run.state, run.seconds, run.as_of) == (number, RunState.PREPARED, 1.25, dt.date(2026, 11, 5))
    assert (run.parameters, run.account, run.findings) == (
        {"period": "2026-10"},
        {"read": 4, "sent": 0},
        (("note", "a finding"),),
    )
    assert run.counts == {State.READY: 2}
    found = ledger.packages(number, ["00042"])[0]
    assert (found.figures, found.odd, found.documents, found.to) == (
        mine.figures,
        mine.odd,
        mine.documents,
        ("a@x.example",),
    )
    assert [part.target.name for part in found.hand_overs] == ["a@x.example", "b@x.example"]


def test_everybodys_figures_are_the_owners_alone(tmp_path: Path) -> None:
    Ledger(tmp_path / "kept", lambda: NOON).close()
    assert stat.S_IMODE((tmp_path / "kept").stat().st_mode) == 0o700


def test_every_change_of_state_is_an_event_with_its_time(ledger: Ledger) -> None:
    number = written(ledger, package("00042", "a@x.example"))
    found = ledger.packages(number)[0]
    (part,) = found.hand_overs
    for outcome, state in ((LATER, State.FAILED), (SENT, State.SENT)):
        assert begun(ledger, number, found, part)
        assert ledger.hand_overs.answered(number, found.id, part, outcome) is state
    assert ledger.history(number, found.id) == tuple(
        (NOON.isoformat(timespec="milliseconds"), what)
        for what in (
            "ready",
            "a@x.example: deferred (recipient refused for now: 450 busy)",
            "a@x.example: sent (250 ok)",
        )
    )
    (again,) = ledger.packages(number)[0].hand_overs
    assert (again.attempts, again.state, again.at, again.refused) == (2, HandOverState.SENT, NOON, "")


def test_from_intent_to_answer_the_package_is_in_doubt_for_everybody_who_looks(ledger: Ledger) -> None:
    number = written(ledger, package("00042", "a@x.example"), package("117", "b@x.example"))
    found = ledger.packages(number)[0]
    assert begun(ledger, number, found, found.hand_overs[0])
    assert not begun(ledger, number, found, found.hand_overs[0]), "an intent is written once"
    for _ in range(2):
        assert [each.state for each in ledger.packages(number)] == [State.UNSURE, State.READY]
        assert ledger.run("last").counts == {State.READY: 1, State.UNSURE: 1}
        ledger.hand_overs.doubt_begun(number)
    assert ledger.packages(number)[0].reason == "a@x.example: cut off before the answer"


def test_a_trial_and_a_summary_under_way_are_nobodys_doubt(ledger: Ledger) -> None:
    number = written(ledger, package("00042", "a@x.example"))
    found = ledger.packages(number)[0]
    for purpose, of in ((Purpose.TRIAL, found.id), (Purpose.SUMMARY, None)):
        part = HandOverRecord(
            kind=HandOverKind.MESSAGE, target=Target(TargetKind.ADDRESS, "me@x.example"), purpose=purpose
        )
        part = ledger.hand_overs.add(number, of, None, part)
        assert ledger.hand_overs.begin(number, of, part, "2026-11-05", Allowance())
        assert ledger.hand_overs.doubt_begun(number) == 0
        ledger.hand_overs.answered(number, of, part, Outcome(state=HandOverState.SENT))
    assert ledger.packages(number)[0].state is State.READY


HAND_OVERS = st.tuples(st.sampled_from(list(TargetKind)), st.sampled_from(list(HandOverState)))


@given(st.lists(HAND_OVERS, min_size=1, max_size=5))
def test_a_package_is_sent_only_when_all_of_it_is_and_never_hides_a_doubt(
    parts: list[tuple[TargetKind, HandOverState]],
) -> None:
    found, counting = package_state(parts), [part for part in parts if part[1] is not HandOverState.CLOSED]
    assert (found is State.SKIPPED) == (not counting)
    if counting:
        assert (found is State.SENT) == all(state in DONE.values() for _, state in counting)
        assert (found is State.UNSURE) == any(is_in_doubt(target, state) for target, state in counting)


def test_only_the_moves_of_the_table_are_written(ledger: Ledger) -> None:
    number = written(ledger, package("00042", "a@x.example"))
    for old, new in product(HandOverState, HandOverState):
        with ledger._engine.begin() as work:
            work.execute(text("update hand_overs set state = :old"), {"old": str(old)})
        found = ledger.packages(number)[0]
        part = found.hand_overs[0]
        change = Settlement(package=found, what="decided", decided=[(part, new, "why")])
        if new in MOVES[old]:
            ledger.changes.enter(number, [change])
            assert ledger.packages(number)[0].hand_overs[0].state is new
        else:
            with pytest.raises(RunError, match="is no longer"):
                ledger.changes.enter(number, [change])
            assert ledger.packages(number)[0].hand_overs[0].state is old


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
    with pytest.raises(StorageError, match=r"damaged, or is no ledger: .*not a database.*Put it back from a backup"):
        Ledger(tmp_path, lambda: NOON)


def test_the_store_gives_back_what_it_was_given(tmp_path: Path) -> None:
    store = FolderStore(tmp_path / "store")
    digest = store.put(b"milk")
    assert store.put(b"milk") == digest
    assert store.get(digest) == b"milk"
    assert [path.name for path in (tmp_path / "store").rglob("*") if path.is_file()] == [digest]


def test_the_store_never_gives_back_anything_else(tmp_path: Path) -> None:
    store = FolderStore(tmp_path / "store")
    digest = store.put(b"milk")
    store.path(digest).write_bytes(b"water")
    with pytest.raises(SealError, match="was changed after the review"):
        store.get(digest)
    assert store.put(b"milk") == digest, "putting it again mends it"
    assert store.get(digest) == b"milk"
    store.path(digest).unlink()
    with pytest.raises(SealError, match="cannot be read"):
        store.get(digest)
