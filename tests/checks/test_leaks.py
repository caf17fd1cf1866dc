"""The leak check finds what names somebody else, however it is written, and nothing else."""

from __future__ import annotations

import pickle

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

import attacks
from gonnet import checks
from gonnet.checks import Identity, Manner, ReadBack, Watch, described, everyday
from gonnet.checks.book import Book
from gonnet.checks.matching import matches
from gonnet.checks.reading.models import InLines
from gonnet.checks.spelling import plain, runs, squeezed
from gonnet.checks.values import Values

WATCH = Watch(
    [
        Identity(key="00042", values=(("key", "00042"), ("address", "zoe@members.example"), ("farm_name", "Hill"))),
        Identity(key="117", values=(("key", "117"), ("address", "laka@members.example"), ("farm_name", "Hill Top"))),
        Identity(key="118", values=(("key", "118"), ("address", "office@x.example"), ("farm_name", "Łąka Górna"))),
        Identity(
            key="119", values=(("key", "119"), ("address", "office@x.example"), ("farm_name", "The Old Dairy Farm"))
        ),
        Identity(key="7", values=(("key", "7"),)),
        Identity(key="2026", values=(("key", "2026"),)),
        Identity(key="B105", values=(("key", "B105"), ("farm_name", "Twin"))),
        Identity(key="b105", values=(("key", "b105"), ("farm_name", "Twin"))),
        Identity(key="30117", values=(("key", "30117"), ("name", "שלום כהן"))),
        *(Identity(key=f"r{at}", values=(("region", "North"), ("address", "north@x.example"))) for at in range(11)),
    ],
    harmless=["2026"],
    manner=Manner(labels=("farm",)),
)


def hits(key: str, text: str, *own: str) -> list[str]:
    found = WATCH.search((key,), "the pdf", ReadBack(parts=(("page 1", (text,)),)), own=lambda: own)
    return [hit.value for hit in found]


@pytest.mark.parametrize(
    ("key", "text", "found"),
    [
        ("117", "tank shared with 00042 today", ["00042"]),
        ("117", "write to ZOE@members.example.", ["zoe@members.example"]),
        ("117", "118", ["118"]),  # a short key alone
        ("117", "farm no. 118 too", ["118"]),  # behind what the job calls a key
        ("117", "118 cans, within 30 days", []),
        ("117", "The Old\nDairy   Farm", ["The Old Dairy Farm"]),
        ("117", "the old dairy", []),
        ("117", "11800 and 3,118.50 and 118.5 and A118", []),
        ("117", "117 laka@members.example", []),
        ("117", "office@x.example", ["office@x.example"]),  # of two others
        ("118", "office@x.example", []),  # shared with another
        ("117", "north@x.example", ["north@x.example"]),
        ("117", "North", []),  # of so many that it names nobody
        ("118", "page 7 of 2026", []),
        ("117", "Twin, b105", ["B105", "Twin"]),  # one stray line switches nothing off
        ("B105", "Twin, b105", []),
        ("117", "Hill Top", []),  # the other's name lies inside its own
        ("117", "Hill", ["Hill"]),
        ("117", "up the hill", []),  # a word of small letters is no name
        ("117", "HILL", ["Hill"]),
        ("00042", "Hill Top", ["Hill Top"]),
        ("117", "zoe@mem\r\nbers.example", ["zoe@members.example"]),  # broken inside a narrow cell
        ("117", "zoe@members.\nexample", ["zoe@members.example"]),
        ("117", "30\n117", ["30117"]),  # within one cell
        ("117", "30\r\n117", []),  # perhaps in two
        ("117", "30\x1d117", []),  # in two
        ("117", "30117,2.00", ["30117"]),
        ("117", "30116,30117", ["30117"]),
        ("117", "130117 and 2.30117 and 30117.50 and 2030-11-7", []),
        ("117", "ןהכ םולש", ["שלום כהן"]),  # as a page may have it
        ("117", "כהן, שלום", []),
    ],
)
def test_values_of_others_are_found(key: str, text: str, found: list[str]) -> None:
    assert sorted(hits(key, text)) == found


def test_own_amounts_account_for_the_same_digits_where_nothing_is_laid_out() -> None:
    assert hits("117", "30117", "30117") == []
    assert hits("117", "30117", "30118") == ["30117"]


def test_everyday_words_are_no_names_where_they_stand_as_words() -> None:
    identities = [Identity(key=name, values=(("name", name),)) for name in ("Total", "Page", "Orrest", "Nether Row")]
    watch = Watch(identities)
    usual = everyday(["Total of the month", "page 2"], watch.values)
    watch.manner = Manner(everyday=usual, frequent=("page",), everywhere=("Orrest",), alone=("Nether Row",))

    def found(text: str) -> list[str]:
        return [hit.value for hit in watch.search(("x",), "a", ReadBack(parts=(("", (text,)),)))]

    assert found("Total of 5. Page 3") == []
    assert found("Total") == ["Total"], "alone it is a name"
    assert found("Page") == [], "that stands alone in the rows of many"
    assert found("from TOTAL") == ["Total"], "not as the job writes it"
    assert found("of orrest") == ["Orrest"], "everywhere, as the job says"
    assert (found("see Nether Row there"), found("Nether Row")) == ([], ["Nether Row"]), "alone, as the job says"
    watch.manner = Manner(everyday=usual, everywhere=("Total",))
    assert (found("Total of 5"), found("in TOTAL")) == ([], ["Total"]), "everywhere but in the job's own words"


def test_hits_are_told_with_value_owner_and_place() -> None:
    found = WATCH.search(("117",), "the pdf", ReadBack(parts=(("page 2", ("Łąka Górna, 30117",)),)))
    assert described(found) == (
        "'Łąka Górna', the farm_name of 118, stands in the pdf (page 2); "
        "'30117', the key of another recipient, stands in the pdf (page 2)"
    )
    assert [hit.context for hit in found] == ["Łąka Górna, 30117"] * 2


ATTACKED = Watch(
    [
        Identity(
            key="0040117",
            values=tuple(("key" if name == "farm_no" else name, text) for name, text in attacks.VICTIM.items()),
        )
    ]
)
SIGNS = st.text(st.sampled_from(" .,;:()[]/|\n\x1d"), min_size=1, max_size=3)


@pytest.mark.parametrize("spelling", attacks.SPELLINGS)
@given(before=SIGNS, after=SIGNS)
def test_every_spelling_is_found_whatever_signs_stand_around_it(spelling: str, before: str, after: str) -> None:
    text = f"word{before}{attacks.SPELLINGS[spelling]}{after}word"
    found = ATTACKED.search(("9",), "a", ReadBack(parts=(("", (text,)),)))
    assert [hit.owner for hit in found] == ["0040117"], text


@pytest.mark.parametrize("text", attacks.INNOCENT.values())
@given(before=SIGNS, after=SIGNS)
def test_what_only_looks_alike_is_not_found(text: str, before: str, after: str) -> None:
    assert ATTACKED.search(("9",), "a", ReadBack(parts=(("", (f"word{before}{text}{after}word",)),))) == ()


@given(st.lists(st.sampled_from(["00042", "Łąka Górna", "milk", "1", "Hill", "zoe@members.example"]), max_size=8))
def test_in_cells_and_in_lines_the_same_is_found(words: list[str]) -> None:
    wanted = {"00042", "Łąka Górna", "Hill", "zoe@members.example"} & set(words)
    for text in ("\x1d".join(words), "; ".join(words)):
        assert set(hits("117", text)) == wanted, text


@given(
    st.lists(st.text("ab1 2.-Łé", min_size=1, max_size=9), min_size=1, max_size=6),
    st.text("ab1 2.-Łé", max_size=30),
)
def test_values_are_found_where_their_letters_begin_a_word(values: list[str], text: str) -> None:
    known = Values(Identity(key=f"k{at}", values=(("name", value),)) for at, value in enumerate(values))
    found = runs(plain(text))
    starts = [sum(len(run.text) for run in found[:at]) for at in range(len(found) + 1)]
    letters = squeezed(text)
    expected = {
        (at, len(one))
        for at, start in enumerate(starts[:-1])
        for one in known
        if letters[start : start + len(one)] == one
    }
    assert {(at, len(one)) for at, one in known.standing(letters, starts)} == expected


@example("İ q\u0307")  # what the first letter becomes has a sign that is left out where it stands alone
@given(st.text() | st.text("aBß1٣İﬁ½é\u0301ǰΐ각ᄀ\u1161क़_-. %\r\n\u200b\u00ad\udc80𝟙Ⅳ℀"))
def test_the_letters_of_a_text_are_those_of_its_runs(text: str) -> None:
    assert squeezed(text) == "".join(runs(plain(text)).words)


_LONG = ["F000117", "F 000 118", "Łąka Górna", "Straße 12", "Hill Farm", "Hill Farm North", "שלום"]
_EVERY = [Identity(key=f"k{at}", values=(("key", value),)) for at, value in enumerate(_LONG)]
_SHORT = Identity(key="short", values=(("key", "zq7"),))  # where there is one, no look at all of a text tells enough


@given(
    st.lists(st.sampled_from([*_LONG, "hill", "farm", "f0001", "strasse", "x", "1", "-", "\r\n"]), max_size=9),
    st.sampled_from(["", " ", "\r\n"]),
    st.sampled_from(["k0", "k2", "k4", "k9"]),
    st.sampled_from([0, 60]),
)
def test_a_look_at_a_whole_page_hides_nothing(words: list[str], between: str, mine: str, long: int) -> None:
    page = ReadBack(parts=(("page 1", (InLines(between.join(words)),)),))
    quick, thorough = Watch(_EVERY), Watch([*_EVERY, _SHORT])
    assert quick.values.owners_of("") == []
    assert thorough.values.owners_of("") is None
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(checks.sieve, "_LONG", long)
        assert quick.search((mine,), "a", page) == thorough.search((mine,), "a", page)


_NAMING = st.tuples(
    st.sampled_from(["key", "address", "name"]),
    st.sampled_from(["007", "07", "7", "+353 1 234", "00353 1234", "x@y.example", "שלום", "Hill", "HILL", "a", "North"])
    | st.text(),
)


@given(
    st.lists(st.tuples(st.sampled_from("abcdefghijkl"), st.lists(_NAMING, max_size=3), st.booleans()), max_size=40),
    st.lists(st.text("07Hilxy@.ab ", max_size=20), max_size=4),
)
@example([("a", [("name", "+353 1 234")], True), ("b", [("name", "00353 1234")], True)], [])  # one replaces another
def test_very_many_values_are_kept_in_less_room_and_are_the_same(
    named: list[tuple[str, list[tuple[str, str]], bool]], texts: list[str]
) -> None:
    every = [Identity(key=key, values=tuple(values), has_rows=lives) for key, values, lives in named]
    few = Values(every, harmless=["North"])
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(checks.values, "_FEW", -1)
        patch.setattr(checks.book, "_AT_FIRST", 2)
        many = pickle.loads(pickle.dumps(Values(every, harmless=["North"])))
    assert type(many._said) is Book
    assert len(list(many)) == len(many._said)
    assert {letters: few.said(letters) for letters in few} == {letters: many.said(letters) for letters in many}
    for text in texts:
        assert [one.spelled for one in matches(text, few)] == [one.spelled for one in matches(text, many)]
    owners = {key for key, values, _ in named if ("name", "Hill") in values or ("name", "HILL") in values}
    assert "hill" not in few or set(many.said("hill").owners) >= owners
