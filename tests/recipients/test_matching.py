"""Slices meet recipients, and what does not meet is told."""

from __future__ import annotations

import pytest

from gonnet.recipients import Address, Recipient, match
from gonnet.recipients.matching import Unmatched, near_misses


def person(key: str, *mailboxes: str, line: int = 1) -> Recipient:
    to = tuple(Address(mailbox=mailbox) for mailbox in mailboxes)
    name = f"Farm {key}"
    return Recipient(key=key, line=line, name=name, to=to, cc=(), bcc=(), problem=None, fields={}, language="en")


def test_every_key_of_the_data_and_of_the_list_is_there_once() -> None:
    found = match({"2": 3, "1": 1}, [person("1", "a@x.example"), person("3", "c@x.example")])
    assert [(part.key, part.rows, len(part.contacts)) for part in found] == [("1", 1, 1), ("2", 3, 0), ("3", 0, 1)]


def test_two_contacts_stay_two_and_the_same_address_twice_counts_once() -> None:
    people = [person("1", "a@x.example"), person("1", "b@x.example"), person("1", "A@x.example")]
    (found,) = match({"1": 1}, people)
    assert [contact.to[0].mailbox for contact in found.contacts] == ["a@x.example", "b@x.example"]
    assert "the list has the same address 2 times for this key; it counts once" in found.odd


def test_an_address_that_several_keys_share_is_told() -> None:
    found = match({"1": 1, "2": 1}, [person("1", "a@x.example"), person("2", "a@x.example")])
    assert all("a@x.example also stands for 1 other key" in part.odd for part in found)


def test_unmatched_keys_are_told_near_misses_first() -> None:
    addressed = match({"042": 2, "zz": 1}, [person("42", "a@x.example")])
    found = Unmatched()
    for part in addressed:
        found.see(part)
    texts = [finding.text for finding in found.findings(lambda: [part.key for part in addressed if part.contacts])]
    assert texts == [
        "nobody on the list has key '042' (2 rows); the list has '42': is that meant?",
        "nobody on the list has key 'zz' (1 row)",
        "Farm 42 (42) is on the list, but has no rows",
    ]


@pytest.mark.parametrize(
    ("unknown", "known", "near"),
    [
        ("b105", "B105", True),
        ("00042", "42", True),
        ("A 12", "A12", True),
        ("a-12", "A.12", True),
        ("Zoe\u0308", "Zoë", True),
        ("43", "42", False),
    ],
)
def test_a_near_miss_differs_by_case_blanks_separators_or_leading_zeros(unknown: str, known: str, near: bool) -> None:
    assert list(near_misses([unknown], [known])) == ([(unknown, known)] if near else [])
