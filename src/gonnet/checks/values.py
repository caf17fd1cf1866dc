"""The values that name somebody, found by how they are spelled."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from gonnet.checks.book import Book, Said
from gonnet.checks.sieve import HEAD, Sieve
from gonnet.checks.spelling import is_from_right, plain, runs, squeezed
from gonnet.remembering import Remembered

SHORT = 5
"""Letters alone, or digits alone, that are fewer stand in any text: they are searched for where a key would stand."""

_MANY_OWNERS = 10
_KNOWN = 10_000
_FEW = 100_000  # values: so many are found faster, and take more room


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


@dataclass(frozen=True, slots=True, eq=False)
class Value:
    """One value, however it is written.

    Attributes:
        text: As the data have it.
        kind: `key`, `address` or the column of the list.
        owners: The keys that it names; more than one where several have it.
        is_searched: Whether anybody else's files are searched for it.
        parts: Its letters and digits as they are compared, each run of them.
        gaps: Where runs end (in letters and digits of the value) → what divides them there.
    """

    text: str
    kind: str
    owners: tuple[str, ...]
    is_searched: bool
    parts: tuple[str, ...]
    gaps: Mapping[int, str]

    @property
    def size(self) -> int:
        """Its letters and digits."""
        return sum(map(len, self.parts))

    @property
    def is_number(self) -> bool:
        """Whether it is of digits alone."""
        return all(part[0].isdecimal() for part in self.parts)

    @property
    def is_word(self) -> bool:
        """Whether it is one run of letters."""
        return len(self.parts) == 1 and not self.is_number

    @property
    def is_short(self) -> bool:
        """Whether it is so short that it stands in any text."""
        return self.size < (SHORT if self.is_number or self.is_word else SHORT - 1)


class Values:
    """All values of a run, by their letters and digits.

    Args:
        identities: Everybody whose values are known, including those who get nothing.
        harmless: Values that may stand in anybody's files.

    Attributes:
        unsearched: Reason → the values that are not searched for, as they are written.
    """

    def __init__(self, identities: Iterable[Identity], harmless: Iterable[str] = ()) -> None:
        allowed = {squeezed(text) for text in harmless}
        book = Book()
        for identity in identities:
            for kind, text in identity.values:
                if letters := squeezed(text):
                    book.enter(letters, kind, text, identity.key, lives=identity.has_rows)
        book.close()
        self.unsearched: defaultdict[str, list[str]] = defaultdict(list)
        for number, letters in book.entered():
            if not book.lives(number):
                continue
            if reason := self._why_not(letters, book.kind(number), book.owners(number), allowed):
                self.unsearched[reason].append(book.text(number))
            else:
                book.search_for(number)
        _enter_otherwise(book)
        self._said: Mapping[str, Said] = dict(book.items()) if len(book) <= _FEW else book
        self._known: Remembered[str, Value] = Remembered(self._made, _KNOWN)  # of most, nothing is ever found
        self._lengths, self._short = _lengths(self._said)
        self._sieve = Sieve(self._said, self._lengths)

    @staticmethod
    def _why_not(letters: str, kind: str, owners: int, allowed: set[str]) -> str:
        if letters in allowed:
            return "harmless, as the job says"
        if owners > _MANY_OWNERS and kind not in ("key", "address"):
            return f"of more than {_MANY_OWNERS} recipients"
        return "of one letter" if len(letters) == 1 and letters.isalpha() else ""

    def __iter__(self) -> Iterator[str]:
        """The letters and digits of every value."""
        return iter(self._said)

    def count_short(self) -> int:
        """How many are so short that they stand in any text."""
        short = [letters for letters in self._said if len(letters) < SHORT]
        return sum(self.value(letters).is_short for letters in short if self.said(letters).written is None)

    def get(self, letters: str) -> Value | None:
        """The value of these letters and digits."""
        return self.value(letters) if letters in self._said else None

    def said(self, letters: str) -> Said:
        """What is known of the value that has these letters and digits."""
        return self._said[letters]

    def value(self, letters: str) -> Value:
        """The value that has these letters and digits."""
        return self._known[letters]

    def _made(self, letters: str) -> Value:
        return _value(self._said[letters])

    def is_free(self, letters: str) -> bool:
        """Whether a look at all of these letters and digits at once tells that no value stands among them."""
        return not self._short and next(self._sieve.caught(letters), None) is None

    def owners_of(self, letters: str) -> list[Sequence[str]] | None:
        """Whose values may stand among these letters and digits, those that nobody searches for apart.

        None where a look at all of them at once does not tell: where a value is so short that it stands in any text.
        """
        if self._short:
            return None
        found = map(self._said.__getitem__, self._sieve.caught(letters))
        return [said.owners for said in found if said.is_searched]

    def standing(self, letters: str, starts: Sequence[int]) -> Iterator[tuple[int, str]]:
        """The values whose letters and digits stand in a text where a run of these begins.

        Args:
            letters: All letters and digits of the text.
            starts: Where each run begins among them, and the end.

        Yields:
            Number of the run, and letters and digits of the value; in order, the longest of each first.
        """
        said, lengths, short = self._said, self._lengths, self._short
        heads = [letters[at : at + HEAD] for at in starts[:-1]]
        for number, head in enumerate(heads):
            if head in lengths or short:
                at = starts[number]
                for length in (*lengths.get(head, ()), *short):
                    part = letters[at : at + length]
                    if part in said and at + length <= len(letters):
                        yield number, part


def _enter_otherwise(book: Book) -> None:
    """Keys without the zeros before them, where nobody else has the shorter one; what is written from the right."""
    for number, letters in book.entered():
        text, is_number = book.text(number), letters.isdecimal()
        if is_number and text.strip().startswith("+"):  # as it is dialled from abroad (ITU-T E.123)
            book.also(number, f"00{letters}", from_right=False)
        if is_from_right(text):
            book.also(number, letters[::-1], from_right=True)
        if is_number and letters.startswith("0") and (bare := letters.lstrip("0")) and book.kind(number) == "key":
            book.also_shorter(number, bare)


def _value(said: Said) -> Value:
    written = plain(said.text) if said.written is None else said.written
    found = runs(written)
    gaps: dict[int, str] = {}
    at = 0
    for run, after in zip(found, [*found[1:], None], strict=True):
        at += len(run.text)
        gaps[at] = written[run.end : after.start] if after else ""
    return Value(said.text, said.kind, said.owners, said.is_searched, tuple(run.text for run in found), gaps)


def _lengths(known: Iterable[str]) -> tuple[dict[str, tuple[int, ...]], tuple[int, ...]]:
    """The first letters of values → how many letters and digits those that begin so have, the longest first.

    And how many letters and digits those have that are shorter than that. However many values begin alike, as keys do,
    a place in a text costs as many look-ups as there are lengths.
    """
    found: defaultdict[str, set[int]] = defaultdict(set)
    short = set()
    for letters in known:
        if len(letters) >= HEAD:
            found[letters[:HEAD]].add(len(letters))
        else:
            short.add(len(letters))
    longest_first = {head: tuple(sorted(lengths, reverse=True)) for head, lengths in found.items()}
    return longest_first, tuple(sorted(short, reverse=True))
