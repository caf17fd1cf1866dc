"""Where values stand in a text: as people and programs write them, and not inside something else."""

from __future__ import annotations

import re
from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from itertools import accumulate, pairwise
from typing import NamedTuple

from gonnet.checks.spelling import BARRIER, MAYBE, Run, letters_of, plain, readings, runs
from gonnet.checks.values import SHORT, Value, Values

_POINTS = frozenset(".,'’٫٬")
_THOUSANDS = frozenset(".,'’٬ ")
_DASHES = "-‐‑‒–—−"
_GROUPING = frozenset(f" ./_·{_DASHES}")
_DATE = re.compile(r"(?:\d{4}\D\d{1,2}(?:\D\d{1,2})?|\d{1,2}\D\d{1,2}\D(?:\d{4}|\d{2}))")
_SENTENCE = re.compile(r"(?:^|[.!?:\n]\s*)[\s\"'„“(]*$")
_LONG = 8  # letters and digits from which a value is itself however it is divided
_FAR = 3  # signs between two words of one value


class Match(NamedTuple):
    """A value in a text.

    Attributes:
        value: What it is.
        first: The first of the text's runs that it is.
        last: The last of them.
        spelled: As it is written there.
        before: What is written before it.
        is_alone: Whether there is nothing else in the text.
    """

    value: Value
    first: int
    last: int
    spelled: str
    before: str
    is_alone: bool

    @property
    def begins_sentence(self) -> bool:
        """Whether a word there has a capital letter for its place."""
        return _SENTENCE.search(self.before) is not None


def matches(text: str, values: Values) -> tuple[Match, ...]:
    """The values that stand in a text, in order, each also where it lies inside a longer one."""
    return tuple(match for reading in readings(text) for match in _matches(plain(reading), values))


def owners_in(text: str, values: Values) -> list[Sequence[str]]:
    """Whose values perhaps stand in a text, those that nobody searches for apart: a quick look, before `matches`."""
    found: list[Sequence[str]] = []
    for reading in readings(text):
        words = runs(plain(reading)).words
        for _, _, letters in _spans(words, values):
            said = values.said(letters)
            if said.is_searched:
                found.append(said.owners)
    return found


def owners_perhaps(text: str, values: Values) -> list[Sequence[str]] | None:
    """The same of a long text, with those whose values only lie inside other words; None where that tells nothing."""
    return values.owners_of(letters_of(plain(text))) if len(readings(text)) == 1 else None


def matches_in_lines(text: str, values: Values) -> tuple[tuple[Match, ...], tuple[str, ...]]:
    """The same of a text in lines; and the lines in which a value may stand otherwise, as each may be a text by itself.

    Of all lines, only those have one in which the letters and digits of one begin.
    """
    lines = text.split(MAYBE)
    if len(lines) == 1 or len(readings(text)) > 1:
        return matches(text, values), tuple(lines) if len(lines) > 1 else ()
    shown = plain(text)
    found = runs(shown)
    standing = _standing(found.words, values)
    if not standing:
        return (), ()
    ends = list(accumulate(len(line) + len(MAYBE) for line in shown.split(MAYBE)))
    numbers = sorted({bisect_right(ends, found[first].start) for first, _, _ in standing})
    return tuple(_matching(shown, found, standing)), tuple(lines[number] for number in numbers)


def _matches(text: str, values: Values) -> list[Match]:
    if values.is_free(letters_of(text)):  # as most texts
        return []
    found = runs(text)
    standing = _standing(found.words, values)
    return _matching(text, found, standing) if standing else []


def _standing(said: Sequence[str], values: Values) -> list[tuple[int, int, Value]]:
    """The values whose letters and digits stand in runs of a text: their first run, their last one, and they."""
    return [(first, last, values.value(letters)) for first, last, letters in _spans(said, values)]


def _spans(said: Sequence[str], values: Values) -> list[tuple[int, int, str]]:
    """The same with the letters and digits of each."""
    starts = [0, *accumulate(map(len, said))]
    found = values.standing("".join(said), starts)
    ends = ((starts[first] + len(letters), first, letters) for first, letters in found)
    numbers = ((first, bisect_left(starts, at), at, letters) for at, first, letters in ends)
    return [(first, after - 1, letters) for first, after, at, letters in numbers if starts[after] == at]


def _matching(text: str, found: Sequence[Run], standing: Sequence[tuple[int, int, Value]]) -> list[Match]:
    return [
        Match(
            value,
            first,
            last,
            text[found[first].start : found[last].end],
            text[max(0, found[first].start - 60) : found[first].start],
            first == 0 and last == len(found) - 1,
        )
        for first, last, value in standing
        if _stands(value, text, found, first, last)
    ]


def _stands(value: Value, text: str, found: Sequence[Run], first: int, last: int) -> bool:
    """Whether these runs are the value, and not a part of something else."""
    return (
        _is_joined(value, text, found[first : last + 1])
        and _begins(value, text, found, first)
        and _ends(value, text, found, first, last)
    )


def _is_joined(value: Value, text: str, mine: Sequence[Run]) -> bool:
    """Whether what stands between the runs may stand inside the value."""
    divided: list[str] = []  # what divides digits that are one number in the value
    at, met = 0, set[int]()
    for run, after in pairwise(mine):
        at += len(run.text)
        met.add(at)
        between = text[run.end : after.start]
        own = value.gaps.get(at)
        if not between:
            continue
        if BARRIER in between:
            return False
        if "\n" in between:
            if not _is_broken(between, value, is_word=own is not None):
                return False
            continue
        if own:
            if len(between.strip()) > _FAR or (len(between) > _FAR and not between.isspace()):
                return False
            if "@" in own and "@" not in between:
                return False
        elif run.is_number != after.is_number or run.is_number:
            divided.append(between)
        else:
            return False
    if value.is_word or not value.is_number:
        melted = any(own and gap not in met and gap < value.size for gap, own in value.gaps.items())
        if melted and value.size < SHORT + 1:
            return False
    return not divided or _is_grouped(value, text, mine, divided)


def _is_broken(between: str, value: Value, *, is_word: bool) -> bool:
    """Whether a line ends here within the value."""
    if MAYBE in between and value.size < _LONG and (value.is_number or not is_word):
        return False
    bare = between.strip()
    return bare == "" or (len(bare) == 1 and bare in _DASHES) or (is_word and len(bare) <= _FAR)


def _is_grouped(value: Value, text: str, mine: Sequence[Run], divided: Sequence[str]) -> bool:
    """Whether digits are divided as people divide a long number: by thousands, or in groups to be read aloud."""
    signs = set(divided)
    if len(signs) == 1 and value.is_number and value.size >= SHORT - 1 and signs <= _THOUSANDS:
        first, *others = [len(run.text) for run in mine]
        if first <= 3 and all(length == 3 for length in others):
            return True
    if value.size < SHORT or any(len(sign.strip()) > 1 or len(sign) > _FAR for sign in signs):
        return False
    if not {sign.strip() or " " for sign in signs} <= _GROUPING:
        return value.size >= _LONG and {sign for part in signs for sign in part} <= _GROUPING | {"(", ")"}
    if _DATE.fullmatch(text[mine[0].start : mine[-1].end]):
        return False
    if value.size >= _LONG:
        return True
    lengths = {len(run.text) for run in mine}
    return len(signs) == 1 and "." not in signs and (1 not in lengths or (lengths == {1} and value.size > SHORT))


def _begins(value: Value, text: str, found: Sequence[Run], first: int) -> bool:
    """Whether nothing before it makes it a part of a longer word or number."""
    if first == 0:
        return True
    run, before = found[first], found[first - 1]
    between = text[before.end : run.start]
    if not between:  # M0040117
        return run.is_number and value.is_number and value.size >= SHORT and len(before.text) <= 3
    if run.is_number and before.is_number and len(between) == 1 and between in _POINTS:
        return between == "," and value.size >= SHORT and (value.size > SHORT or len(before.text) >= SHORT)
    return True


def _ends(value: Value, text: str, found: Sequence[Run], first: int, last: int) -> bool:
    """Whether nothing behind it makes it a part of a longer word or number."""
    if last + 1 == len(found):
        return True
    run, after = found[last], found[last + 1]
    between = text[run.end : after.start]
    if not between:
        return run.is_number and value.is_number and value.size > SHORT
    if not (run.is_number and after.is_number and len(between) == 1 and between in _POINTS):
        return True
    if not value.is_number:
        return True
    if set(after.text) == {"0"} and len(after.text) <= 2:  # as programs write a number that is none
        return value.size >= SHORT or last + 2 == len(found)
    more = found[last + 2] if last + 2 < len(found) else None
    follows = more is not None and more.is_number and text[after.end : more.start] in _POINTS
    if first != last or value.size < SHORT:
        return False
    return follows or (between == "," and (value.size > SHORT or len(after.text) != 2))
