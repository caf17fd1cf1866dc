"""Several processes over one ledger: each has its part, and what was thought dead may still be heard of."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack, suppress
from pathlib import Path

import pytest

from gonnet.errors import BusyError
from gonnet.ledger import Ledger, State
from gonnet.ledger.changes import Settlement
from gonnet.ledger.hand_overs import Allowance, AllowanceUsedError, Outcome
from gonnet.ledger.states import HandOverState
from recorded import LATER, NOON, TODAY, begun, package, written
from servers import Place

Another = Callable[[], Ledger]


@pytest.fixture
def another(postgresql: Place, tmp_path: Path) -> Iterator[Another]:
    """Opens one ledger on a server again and again, as machines do."""
    with ExitStack() as stack:

        def opened() -> Ledger:
            found = Ledger(tmp_path, lambda: NOON, postgresql.engine())
            stack.callback(found.close)
            return found

        yield opened


def test_all_who_send_a_run_share_it_with_nobody_else(another: Another) -> None:
    one, two, three = another(), another(), another()
    first, second = (one.run(str(written(one, package(key, "a@x.example")))) for key in ("00042", "117"))
    with ExitStack() as of_one, ExitStack() as of_two:
        mine, other = of_one.enter_context(one.rights.sharing(first)), of_two.enter_context(two.rights.sharing(first))
        assert set(mine.claim([1, 2, 3])) == {1, 2, 3}
        assert set(other.claim([2, 3, 4])) == {4}
        mine.give_back([3])
        assert set(other.claim([2, 3])) == {3}
        for wish in (three.rights.alone(first), three.rights.alone(second), three.rights.sharing(second)):
            with pytest.raises(BusyError, match="is being sent or changed"), wish:
                pass
        assert not mine.outstays()
        assert other.outstays()
        of_one.close()
        assert set(other.claim([1, 2])) == {1, 2}, "what one had that is gone is free"
        with pytest.raises(BusyError), one.rights.sharing(first):
            pass
    with three.rights.alone(second), pytest.raises(BusyError), one.rights.sharing(first):
        pass
    with one.rights.sharing(second):
        pass


def test_a_file_is_sent_from_by_one(tmp_path: Path) -> None:
    found = [Ledger(tmp_path, lambda: NOON) for _ in range(2)]
    run = found[0].run(str(written(found[0], package("00042", "a@x.example"))))
    with found[0].rights.sharing(run) as share, pytest.raises(BusyError), found[1].rights.sharing(run):
        pass
    assert share.outstays()
    for each in found:
        each.close()


def test_turns_are_taken_over_all_who_take_them(ledger: Ledger, another: Another) -> None:
    ledgers = [ledger, ledger] if ledger.file else [another(), another()]
    with ThreadPoolExecutor(4) as threads:
        waits = sorted(threads.map(lambda at: ledgers[at % 2].hand_overs.turns.take("office", 60), range(6)))
    assert [round(wait / 60, 1) for wait in waits] == [0, 1, 2, 3, 4, 5]
    assert ledger.hand_overs.turns.take("another", 60) == 0
    assert ledgers[0].hand_overs.turns.take("office", 0.001) == 0, "a clock was wrong: nobody waits for ages"


def test_no_more_may_leave_than_is_allowed_however_many_send(another: Another) -> None:
    senders, many = [another() for _ in range(4)], 12
    number = written(senders[0], *(package(f"{at:03}", f"f{at}@x.example") for at in range(many)))
    packages = senders[0].packages(number)

    def begin(at: int) -> bool:
        found, sender = packages[at], senders[at % 4]
        with suppress(AllowanceUsedError):
            return sender.hand_overs.begin(number, found.id, found.hand_overs[0], TODAY, Allowance(of_day=5))
        return False

    with ThreadPoolExecutor(many) as threads:
        assert sum(threads.map(begin, range(many))) == 5
    assert senders[0].hand_overs.left_on(TODAY) == 5


def test_the_answer_of_one_that_was_held_for_dead_counts_unless_somebody_decided(ledger: Ledger) -> None:
    number = written(ledger, package("00042", "a@x.example"), package("117", "b@x.example"))
    for found in ledger.packages(number):
        assert begun(ledger, number, found, found.hand_overs[0])
    assert ledger.hand_overs.doubt_begun(number) == 2
    first, second = ledger.packages(number)
    decided = [(second.hand_overs[0], HandOverState.CLOSED, "left us")]
    ledger.changes.enter(number, [Settlement(package=second, what="closed", decided=decided)])
    for found in (first, second):
        ledger.hand_overs.answered(number, found.id, found.hand_overs[0], LATER)
    assert [(one.state, one.hand_overs[0].state) for one in ledger.packages(number)] == [
        (State.FAILED, HandOverState.DEFERRED),
        (State.SKIPPED, HandOverState.CLOSED),
    ]
    assert "known only after somebody had settled it" in ledger.history(number, second.id)[-1][1]
    assert (
        ledger.hand_overs.answered(number, second.id, second.hand_overs[0], Outcome(state=HandOverState.SENT)) is None
    )
