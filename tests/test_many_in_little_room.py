"""What a run of very many keeps in little room: it is what a set, a tuple or a table in memory would be."""

from __future__ import annotations

import itertools
from array import array
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gonnet.data import Engine
from gonnet.jobs.targets import TargetKind
from gonnet.ledger import FolderStore, store
from gonnet.ledger.past import Earlier, TakenElsewhere, known_as
from gonnet.ledger.reading import Packages, those
from gonnet.remembering import SeenTexts
from recorded import package


@given(st.lists(st.text(max_size=3)), st.lists(st.text(max_size=3)))
def test_texts_are_seen_once(texts: list[str], others: list[str]) -> None:
    seen, expected = SeenTexts(), set[str]()
    for text in (*texts, *map(str, range(70))):
        assert seen.add(text) == (text not in expected)
        expected.add(text)
    assert len(seen) == len(expected)
    assert [text in seen for text in others] == [text in expected for text in others]
    more = SeenTexts()
    for text in others:
        more.add(text)
    assert more.is_within(seen) == (set(others) <= expected)


@given(st.permutations(range(7)), st.slices(7))
def test_packages_are_read_when_they_are_looked_at(order: list[int], part: slice) -> None:
    every = [replace(package(f"f{at}", "a@x.example"), id=at) for at in range(7)]
    many = Packages(array("q", order), lambda numbers: [one for one in every if one.id in numbers])
    expected = [every[at] for at in order]
    assert list(many) == expected
    assert list(many[part]) == expected[part]
    assert [many[at] for at in range(-7, 7)] == [expected[at] for at in range(-7, 7)]
    assert list(those(many, lambda one: one.id % 2 == 0)) == [one for one in expected if one.id % 2 == 0]


ADDRESSES = ["a@x.example", "b@x.example"]


@given(st.lists(st.tuples(st.sampled_from("fg"), st.booleans(), st.sets(st.sampled_from(ADDRESSES)))))
def test_what_left_elsewhere_is_what_the_newest_run_says(runs: list[tuple[str, bool, set[str]]]) -> None:
    taken, numbered = TakenElsewhere(), [(len(runs) - at, *said) for at, said in enumerate(runs)]
    for number, key, is_whole, addresses in numbered:
        targets = frozenset((TargetKind.ADDRESS, address, "") for address in addresses)
        taken.add(known_as(key, ""), Earlier(number, is_whole, targets))
    for key, address in itertools.product("fg", ADDRESSES):
        one = package(key, address)
        ways = (number for number, of, whole, to in numbered if of == key and to and (whole or address in to))
        assert taken.of(one, one.hand_overs[0]) == next(ways, None)
    assert bool(taken) == any(addresses for _, _, addresses in runs)


def test_tables_that_have_no_room_in_memory_are_on_the_disk_meanwhile(tmp_path: Path) -> None:
    with closing(Engine(megabytes=100, work=tmp_path)) as engine:
        engine.lock()
        engine.create("rows", "select range as n, 'key number ' || range as key, random() as x from range(6000000)")
        assert any(file.is_file() and file.stat().st_size for file in tmp_path.rglob("duckdb_temp*"))
        assert engine.query("select sum(n), max(key) from rows") == [(17999997000000, "key number 999999")]
    assert not any(path.is_dir() for path in tmp_path.iterdir())


def test_a_store_of_very_many_files_has_folders_in_folders(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    kept, data = FolderStore(tmp_path / "store"), [b"%d" % at for at in range(9)]
    before = [kept.put(one) for one in data[:5]]
    kept.make_room(store._MANY)
    assert kept.path(kept.put(b"few")).parent.parent == kept.folder
    monkeypatch.setattr(store, "_MANY", 0)
    kept.make_room(1)
    every = [kept.put(one) for one in data]
    assert [len(kept.path(one).relative_to(kept.folder).parts) for one in every] == [2] * 5 + [3] * 4
    assert every[:5] == before
    assert [kept.get(one) for one in every] == data
    kept.remove(every[0])
    kept.remove(every[-1])
    assert sorted(one for one, _, _ in kept.digests()) == sorted([*every[1:-1], kept.put(b"few")])
    assert [kept.has(one) for one in (every[0], every[1], every[-1])] == [False, True, False]
