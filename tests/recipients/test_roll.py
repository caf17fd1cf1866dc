"""The recipient list as it is read: lines, names, several addresses in a cell, and what is wrong with a line."""

from __future__ import annotations

from contextlib import closing

from gonnet.data import Engine
from gonnet.jobs.people import RecipientList
from gonnet.recipients import Recipient, read
from gonnet.recipients.roll import lines_without_key

LIST = """
create table members as select * from (values
  (' 117 ', 'Łąka', 'a@x.example; b@x.example', 'c@x.example', null),
  ('118',   null,   'Ann Bell <ann@x.example>', '',            'spy@x.example'),
  ('119',   'Idle', 'nothing',                  null,          'also nothing'),
  ('',      'None', 'n@x.example',              null,          null)
) v(farm_no, farm_name, email, adviser, hidden)
"""
SPEC = RecipientList(rows="members", key=("farm_no",), name="farm_name", to="email", cc=("adviser",), bcc=("hidden",))


def roll() -> tuple[tuple[Recipient, ...], int]:
    with closing(Engine()) as engine:
        engine.query(LIST)
        return read(engine, "members", SPEC, "en_IE"), lines_without_key(engine, "members", SPEC)


def test_a_line_has_its_key_name_and_addresses() -> None:
    (first, second, third), without = roll()
    assert (first.key, first.name, first.line, first.obstacle) == ("117", "Łąka", 1, None)
    assert [address.mailbox for address in first.to] == ["a@x.example", "b@x.example"]
    assert [address.display for address in first.to] == ["Łąka", "Łąka"]
    assert (second.name, second.to[0].display) == ("118", "Ann Bell")
    assert [address.mailbox for address in second.bcc] == ["spy@x.example"]
    assert third.to == ()
    assert without == 1


def test_everything_that_is_wrong_with_a_line_is_told() -> None:
    (_, _, third), _ = roll()
    assert third.unaddressed == (
        "'nothing' is not an address: there is no @ in it; 'also nothing' is not an address: there is no @ in it"
    )


def test_texts_see_every_column_and_the_key_as_it_is_matched() -> None:
    (first, *_), _ = roll()
    assert first.fields == {
        "farm_no": "117",
        "farm_name": "Łąka",
        "email": "a@x.example; b@x.example",
        "adviser": "c@x.example",
        "hidden": None,
    }
