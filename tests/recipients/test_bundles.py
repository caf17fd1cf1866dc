"""What a line of a list may see is what it says: its keys, its groups, everything where that is allowed; never more."""

from __future__ import annotations

from contextlib import closing

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gonnet.data import Engine
from gonnet.jobs.people import Bundle, RecipientList
from gonnet.recipients import Address, Addressed, Recipient, Sight, bundles, sight, without_rows

KEYS = [f"{number:03}" for number in range(1, 9)]


def line(sees: str, mailbox: str = "ines@tarnvale.example", number: int = 1) -> Recipient:
    to = (Address(mailbox=mailbox),) if mailbox else ()
    return Recipient(
        key=sees,
        line=number,
        name="Ines",
        to=to,
        cc=(),
        bcc=(),
        problem=None,
        fields={},
        language="en",
        source="advisers",
    )


def listed(*, everything: bool = False) -> RecipientList:
    return RecipientList(rows="advisers", keys="farms", to="email", everything=everything)


def seen_by(found: tuple[Addressed, ...]) -> dict[str, tuple[str, ...]]:
    return {part.key: part.keys for part in found}


@given(
    st.lists(st.tuples(st.sampled_from("abcd"), st.sets(st.sampled_from([*KEYS, "999"]), min_size=1)), max_size=8),
    st.sets(st.sampled_from(KEYS)),
)
@settings(max_examples=60)
def test_an_address_sees_the_keys_that_its_lines_name_and_that_have_rows(
    lines: list[tuple[str, set[str]]], present: set[str]
) -> None:
    people = [line(" ;".join(sorted(keys)), f"{who}@tarnvale.example", at) for at, (who, keys) in enumerate(lines, 1)]
    counts = dict.fromkeys(sorted(present), 2)
    found = bundles(people, listed(), Sight(counts=counts), set())
    wanted: dict[str, set[str]] = {}
    for who, keys in lines:
        wanted.setdefault(f"{who}@tarnvale.example", set()).update(keys & present)
    assert {key: set(keys) for key, keys in seen_by(found).items()} == wanted
    assert all(part.rows == 2 * len(part.keys) for part in found)


@pytest.mark.parametrize(("everything", "keys"), [(True, ("001", "002")), (False, ())])
def test_everything_is_seen_only_where_the_job_allows_it(*, everything: bool, keys: tuple[str, ...]) -> None:
    (found,) = bundles([line("*")], listed(everything=everything), Sight(counts={"001": 1, "002": 5}), set())
    assert found.keys == keys
    assert (found.contacts[0].problem is None) is everything


def test_a_key_of_two_groups_or_of_none_is_seen_by_no_group() -> None:
    with closing(Engine()) as engine:
        engine.query("""create table gonnet_rows as select * from (values
            ('001', 'north'), ('001', 'north'), ('002', 'north'), ('002', 'south'), ('003', null), ('003', 'south'),
            ('004', ' south'), (null, 'south')) v(gonnet_key, route)""")
        spec = RecipientList(rows="routes", group="route", to="email")
        found = sight(engine, spec, {"001": 2, "002": 2, "003": 2, "004": 1})
    assert found.groups == {"north": ["001"], "south": ["004"]}
    assert [finding.text for finding in found.findings] == [
        "2 keys have rows with more than one 'route', or none (002, 003): nobody sees them by it"
    ]
    people = [line("north"), line("south"), line("North ", "other@tarnvale.example", 3)]
    assert seen_by(bundles(people, spec, found, set())) == {
        "ines@tarnvale.example": ("001", "004"),
        "other@tarnvale.example": (),
    }
    assert [finding.text for finding in without_rows(people, spec, found)] == [
        "line 3 of advisers names group 'North ', which has no rows; the data have 'north': is that meant?"
    ]


def test_bundles_are_called_by_their_address_unless_that_is_taken() -> None:
    taken = {"ines@tarnvale.example"}
    people = [line("001"), line("002", "")]
    found = bundles(people, listed(), Sight(counts={"001": 1, "002": 1}), taken)
    assert [part.key for part in found] == ["ines@tarnvale.example (advisers)", "advisers, line 1"]
    assert [part.bundle for part in found] == [Bundle(), Bundle()]


def test_keys_that_the_data_do_not_have_are_told_near_misses_first() -> None:
    people = [line("7; 1, 002\n*")]
    told = [finding.text for finding in without_rows(people, listed(), Sight(counts={"001": 1, "002": 1}))]
    assert told == [
        "line 1 of advisers names key '1', which has no rows; the data have '001': is that meant?",
        "line 1 of advisers names key '7', which has no rows",
    ]
