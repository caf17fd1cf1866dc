"""The leak check: does a finished file hold a value that names somebody else?

Texts and values are compared as sequences of words, so that line breaks and wrapped cells do not hide a value and
`117` is not found inside `1173` or `3,117.50`. Values that lie inside the recipient's own values are theirs. Digits
that are the recipient's own amounts or dates are told from another's key by counting: a value that stands more often
in the file than its own figures account for is a hit.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import chain

from gonnet.checks.reading_back import ReadBack
from gonnet.remembering import Remembered

# A word: letters and digits; digits joined by . , ' stay one word, as do decimals.
_WORD = re.compile(r"\d+(?:[.,'’]\d+)+|\w+")
_SIGNS = "\u00ad\u200b\u2060\ufeff\ufffe"  # hyphens and spaces that do not show
_HIDDEN = re.compile(f"[{_SIGNS}]")
_SOFT = re.compile(f"[{_SIGNS}]|(?<=\\w)-?\r?\n(?=\\w)")
_BROKEN = re.compile(r"(?<!\S)\S*\w(?:-?\r?\n\w\S*)+")  # what stands between blanks, over the ends of lines
_MANY = 20_000
_BREAKABLE = 8  # characters from which a value may have been broken inside a word by a narrow cell

Words = tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Identity:
    """What names one recipient.

    Attributes:
        key: Whose it is.
        values: What it is (`key`, `address`, a column of the list) with its text.
        has_rows: Whether it names somebody whose rows nobody else may see; else it is only never a hit for them.
    """

    key: str
    values: tuple[tuple[str, str], ...]
    has_rows: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class Hit:
    """A value of somebody else that was found.

    Attributes:
        kind: What it is: `key`, `address` or the column of the list.
        value: The value.
        owner: The key it belongs to.
        place: Where it stands: file and page, sheet or message.
    """

    kind: str
    value: str
    owner: str
    place: str

    @property
    def what(self) -> str:
        """The value and whose it is."""
        whose = "another recipient" if self.kind == "key" else self.owner
        return f"'{self.value}', the {self.kind} of {whose},"


def described(hits: Sequence[Hit], most: int = 3) -> str:
    """What was found, each value once with all its places."""
    places: defaultdict[str, list[str]] = defaultdict(list)
    for hit in hits:
        places[hit.what].append(hit.place)
    found = [f"{what} stands in {' and '.join(dict.fromkeys(where))}" for what, where in places.items()]
    return "; ".join(found[:most]) + (f"; and {len(found) - most} more" if len(found) > most else "")


class Watch:
    """All identifying values of a run, ready to be searched for in any number of files.

    Values that several keys share identify none of them and are not searched for; nor are those declared harmless,
    nor single characters.

    Args:
        identities: Everybody whose values are known, including those who get nothing.
        harmless: Values that may stand in anybody's files.
    """

    def __init__(self, identities: Iterable[Identity], harmless: Iterable[str] = ()) -> None:
        owners: defaultdict[Words, set[str]] = defaultdict(set)
        said: dict[Words, tuple[str, str]] = {}
        self._own: defaultdict[str, set[Words]] = defaultdict(set)
        for identity in identities:
            for kind, text in identity.values:
                words = _words(text)
                if words:
                    self._own[identity.key].add(words)
                if words and identity.has_rows:
                    owners[words].add(identity.key)
                    said.setdefault(words, (kind, text))
        allowed = {_words(text) for text in harmless}
        self._values: dict[Words, tuple[str, str, str]] = {}
        self._vocabulary: set[str] = set()
        lengths: defaultdict[str, set[int]] = defaultdict(set)
        for words, keys in owners.items():
            if len(keys) == 1 and words not in allowed and len("".join(words)) > 1:
                self._values[words] = (next(iter(keys)), *said[words])
                self._vocabulary.update(words)
                lengths[words[0]].add(len(words))
        # First word → how many words a value has that begins with it, the longest first: however many values share
        # a first word, as keys like TV-000123 do, a place in a text costs as many look-ups as there are lengths.
        self._lengths = {first: sorted(found, reverse=True) for first, found in lengths.items()}
        known = {words for values in self._own.values() for words in values}.union(self._values)
        self._firsts = {words[0] for words in known}
        self._longest = max(map(len, known), default=0)
        self._begins = Remembered(self._may_begin, _MANY)

    def search(
        self, keys: Sequence[str], name: str, found: ReadBack, own_numbers: Iterable[tuple[str, Sequence[str]]] = ()
    ) -> tuple[Hit, ...]:
        """The values of others that stand in a file of `keys`, each once.

        Args:
            keys: Whose file it is.
            name: The file's name, for the hits.
            found: What a reader finds in it.
            own_numbers: Texts of the file that hold the recipient's own amounts and dates, with these; each as often
                as it stands in the file.
        """
        hits: dict[Words, list[Hit]] = defaultdict(list)
        mine = frozenset(keys)
        own = _index(words for key in mine for words in self._own.get(key, ()))
        for place, text in found.parts:
            where = f"{name} ({place})" if place else name
            for words, owner, kind, value in self._others(mine, own, text):
                hits[words].append(Hit(kind=kind, value=value, owner=owner, place=where))
            whole = self._made_whole(text, found.breaks_words)
            for words, owner, kind, value in self._others(mine, own, whole, shortest=_BREAKABLE):
                if words not in hits:
                    hits[words].append(Hit(kind=kind, value=value, owner=owner, place=where))
        if not hits:
            return ()
        accounted: Counter[Words] = Counter()
        for text, numbers in own_numbers:
            # A number may stand in a text without being a word of it: `no117` accounts for no `117`.
            there = Counter(_runs(_words(text), hits))
            accounted += there & Counter(words for number in numbers for words in _runs(_words(number), hits))
        return tuple(places[0] for words, places in hits.items() if len(places) > accounted[words])

    def _made_whole(self, text: str, breaks_words: bool) -> str:
        """The text once more where a word of it may have been broken and, made whole, be part of a value; else none."""
        if any(sign in text for sign in _SIGNS):
            return (_SOFT if breaks_words else _HIDDEN).sub("", text)
        if not breaks_words:
            return ""
        made_whole = _SOFT.sub("", " ".join(_BROKEN.findall(text)))
        return "" if self._vocabulary.isdisjoint(_WORD.findall(made_whole.casefold())) else _SOFT.sub("", text)

    def _may_begin(self, piece: str) -> bool:
        return not self._firsts.isdisjoint(_between_blanks[piece])

    def _stretches(self, text: str) -> Iterator[Words]:
        """The words from where a value may begin to where it has ended; nothing of what lies between is anybody's."""
        pieces = text.casefold().split()
        stretch: list[str] = []
        needed = 0
        for piece, may_begin in zip(pieces, map(self._begins.__getitem__, pieces), strict=True):
            if may_begin or needed > 0:
                words = _between_blanks[piece]
                needed = self._longest if may_begin else needed - len(words)
                stretch += words
            elif stretch:
                yield tuple(stretch)
                stretch = []
        if stretch:
            yield tuple(stretch)

    def _others(
        self, mine: frozenset[str], own: Mapping[str, Sequence[Words]], text: str, *, shortest: int = 0
    ) -> Iterator[tuple[Words, str, str, str]]:
        """Every value of others, of so many characters, that stands in a text: its words, its owner, what it is."""
        for stretch in self._stretches(text):
            yield from self._others_within(mine, own, stretch, shortest)

    def _others_within(
        self, mine: frozenset[str], own: Mapping[str, Sequence[Words]], text: Words, shortest: int
    ) -> Iterator[tuple[Words, str, str, str]]:
        others = self._lengths
        seen = 0
        for at in [at for at, word in enumerate(text) if word in others or word in own]:
            if at < seen:
                continue
            word = text[at]
            longest_own = _longest(own.get(word, ()), text, at)
            step = max(1, longest_own)
            for length in others.get(word, ()):
                words = text[at : at + length]
                found = self._values.get(words) if length > longest_own else None
                if found is not None and found[0] not in mine and len("".join(words)) >= shortest:
                    yield words, *found
                    step = max(step, length)
                    break
            seen = at + step


def _index(values: Iterable[Words]) -> Mapping[str, Sequence[Words]]:
    found: defaultdict[str, list[Words]] = defaultdict(list)
    for words in values:
        found[words[0]].append(words)
    return found


def _longest(values: Sequence[Words], text: Words, at: int) -> int:
    return max((len(words) for words in values if text[at : at + len(words)] == words), default=0)


def _runs(text: Words, wanted: Iterable[Words]) -> Iterator[Words]:
    """Every run of `text` that is one of `wanted`."""
    for words in wanted:
        for at in range(len(text) - len(words) + 1):
            if text[at : at + len(words)] == words:
                yield words


# The words of what stands between blanks; most of it stands in many files.
_between_blanks: Remembered[str, Words] = Remembered(lambda text: tuple(_WORD.findall(text)), _MANY)


def _words(text: str) -> Words:
    return tuple(chain.from_iterable(map(_between_blanks.__getitem__, text.casefold().split())))
