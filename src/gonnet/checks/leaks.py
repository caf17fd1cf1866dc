"""The leak check: does what leaves hold a value that names somebody else?

A document is looked at twice. What its layout says is searched place by place: a column of amounts or dates is the
recipient's own, whatever its digits; every other text is not. Then the finished file is read back, and whatever in it
is none of these texts, or stands otherwise than the layout has it, is searched too.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache, partial

from gonnet.checks.matching import Match, matches, matches_in_lines, owners_in, owners_perhaps
from gonnet.checks.reading.models import InLines, ReadBack
from gonnet.checks.spelling import BARRIER, plain, squeezed
from gonnet.checks.values import Identity, Value, Values
from gonnet.remembering import Remembered

_MANY, _FEW = 20_000, 500
_PROPER = 8  # letters from which one word is a name in small letters too
_AROUND = 60  # characters that are shown before and behind what was found
_NUMBER = r"(?:\s*(?:no|nr|num|number|id|code|key|#|№)\b)?[\s.:#№-]*$"
_COPY = re.compile(r" \(\d+\)(?=\.|$)")  # what makes the names of two files differ


@dataclass(frozen=True, slots=True, kw_only=True)
class Hit:
    """A value of somebody else that was found.

    Attributes:
        kind: What it is: `key`, `address` or the column of the list.
        value: The value.
        owner: The key it belongs to; several where several have it.
        place: Where it stands: file and page, sheet or message.
        context: What stands around it.
        spelled: How it is written there.
    """

    kind: str
    value: str
    owner: str
    place: str
    context: str = ""
    spelled: str = ""

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


@dataclass(frozen=True, kw_only=True)
class Manner:
    """How everyday words are told from values.

    Attributes:
        everyday: Letters and digits of a value → how it is written where it is an everyday word of this run; behind
            `^` where it only begins a sentence.
        frequent: Letters and digits of everyday words that also stand alone, in the rows of many.
        counting: What a report shows of rows, as SQL, whose small numbers name nobody.
        alone: Those that are searched for only where they stand alone, as the job says.
        everywhere: Those that are searched for wherever they stand in data, as the job says.
        labels: What the job calls a key: a short one is searched for behind these words.
    """

    everyday: Mapping[str, Collection[str]] = field(default_factory=dict)
    frequent: Collection[str] = ()
    counting: Collection[str] = ()
    alone: Collection[str] = ()
    everywhere: Collection[str] = ()
    labels: Sequence[str] = ()


class Watch:
    """All identifying values of a run, ready to be searched for in any number of files.

    Args:
        identities: Everybody whose values are known, including those who get nothing.
        harmless: Values that may stand in anybody's files.
        manner: How everyday words are told from values.

    Attributes:
        values: The values.
    """

    def __init__(
        self, identities: Iterable[Identity], harmless: Iterable[str] = (), manner: Manner | None = None
    ) -> None:
        self.values = Values(identities, harmless)
        self.manner = manner or Manner()
        self._begin()

    def _begin(self) -> None:
        self._found = Remembered(self._matches, _MANY)
        self._pages = Remembered(self._in_lines, _FEW)

    def _in_lines(self, text: str) -> tuple[tuple[Match, ...], tuple[str, ...]]:
        return matches_in_lines(text, self.values)

    @property
    def manner(self) -> Manner:
        """How everyday words are told from values."""
        return self._manner

    @manner.setter
    def manner(self, manner: Manner) -> None:
        self._manner = manner
        self._alone, self._everywhere = frozenset(map(squeezed, manner.alone)), set(map(squeezed, manner.everywhere))
        words = "|".join(re.escape(word) for word in sorted(manner.labels, key=len, reverse=True))
        self._label = re.compile(rf"\b(?:{words}){_NUMBER}", re.IGNORECASE) if words else None

    def __getstate__(self) -> dict[str, object]:
        """Without what was found so far."""
        return {name: value for name, value in self.__dict__.items() if name not in ("_found", "_pages")}

    def __setstate__(self, state: dict[str, object]) -> None:
        """As it was, with nothing found yet."""
        self.__dict__.update(state)
        self._begin()

    def _looked(
        self, texts: Iterable[str], known: Collection[str] = (), mine: frozenset[str] = frozenset()
    ) -> Iterator[tuple[str, tuple[Match, ...]]]:
        """Texts that are not known, with what stands in them; of those in lines, first the lines with something.

        A text in which there is nothing but values of `mine` has nothing in it.
        """
        for text in texts:
            if not isinstance(text, InLines):
                if text not in known:
                    yield text, self._in_text(text, mine)
                continue
            if self._is_all_of(text, mine):
                continue
            whole, lines = self._pages[text]
            yield from ((line, self._in_text(line, mine)) for line in lines if line not in known)
            yield text, whole

    def _is_all_of(self, text: str, mine: frozenset[str]) -> bool:
        """Whether nothing in a text names anybody but these."""
        owners = owners_perhaps(text, self.values) if mine else None
        return owners is not None and not any(map(mine.isdisjoint, owners))

    def _in_text(self, text: str, mine: frozenset[str]) -> tuple[Match, ...]:
        if not mine or text in self._found:
            return self._found[text]
        owners = owners_perhaps(text, self.values)
        if owners is None:
            owners = owners_in(text, self.values)
        if not owners:
            return self._found.keep(text, ())
        return self._found[text] if any(map(mine.isdisjoint, owners)) else ()

    def _matches(self, text: str) -> tuple[Match, ...]:
        return matches(text, self.values)

    def search(
        self,
        keys: Sequence[str],
        name: str,
        found: ReadBack,
        *,
        known: Collection[str] = (),
        own: Callable[[], Iterable[str]] = tuple,
        are_names: bool = False,
        is_fixed: bool = False,
    ) -> tuple[Hit, ...]:
        """The values of others that stand in a file of `keys`, each once.

        Args:
            keys: Whose file it is.
            name: The file's name, for the hits.
            found: What a reader finds in it.
            known: Texts that are searched elsewhere, place by place, and need not be here.
            own: Gives the texts of the recipient's own amounts and dates, and the job's own texts, as they may stand
                in the file; asked only where something was found.
            are_names: Whether the texts are names of files, folders and the like, in which a short key is one.
            is_fixed: Whether the file is the same for all, so that a short key alone in it is nobody's.
        """
        hits: dict[tuple[str, str], Hit] = {}
        mine = frozenset(keys)
        whole = cache(partial(_without_blanks, known))
        for place, texts in found.parts:
            for text, there in self._looked(texts, known, mine):
                if there:
                    if "\n" in text and "".join(text.split()) in whole():
                        continue  # it was broken into lines, and perhaps inside a word
                    for match in self._others(mine, there, are_names=are_names, is_fixed=is_fixed):
                        where = f"{name} ({place})" if place else name
                        hits.setdefault(_which(match.value), _hit(match, where, text))
        if not hits:
            return ()
        accounted = {_which(match.value) for text in own() for match in self._found[text]}
        return tuple(hit for value, hit in hits.items() if value not in accounted)

    def telling(self, found: ReadBack) -> ReadBack:
        """Of a file that is the same for all, the texts in which a value stands: the others need no second look."""
        parts = ((place, tuple(text for text in texts if matches(text, self.values))) for place, texts in found.parts)
        return ReadBack(parts=tuple((place, texts) for place, texts in parts if texts), unsearched=found.unsearched)

    def places(self, keys: Sequence[str], name: str, found: ReadBack, wanted: Iterable[Hit]) -> Iterator[Hit]:
        """The hits once more with the place of a file in which each stands, in the same words where it has these."""
        mine, wanted = frozenset(keys), list(wanted)
        if not wanted:  # as of nearly every file
            return
        around = {(hit.kind, hit.value): hit.context for hit in wanted}
        there: dict[tuple[str, str], Hit] = {}
        for place, texts in found.parts:
            for text, said in self._looked(texts):
                for match in self._others(mine, said):
                    hit, which = _hit(match, f"{name} ({place})" if place else name, text), _which(match.value)
                    first = there.setdefault(which, hit)
                    if first.context != hit.context == around.get(which):
                        there[which] = hit
        yield from (there.get((hit.kind, hit.value), hit) for hit in wanted)

    def _others(
        self, mine: frozenset[str], found: Sequence[Match], *, are_names: bool = False, is_fixed: bool = False
    ) -> Iterator[Match]:
        """Of what stands in a text, every value of others that counts there."""
        spans = [(match.first, match.last) for match in found if not mine.isdisjoint(match.value.owners)]
        for match in sorted(found, key=lambda match: match.first - match.last):
            if match.value.is_searched and mine.isdisjoint(match.value.owners):
                lies_inside = any(first <= match.first and match.last <= last for first, last in spans)
                if not lies_inside and self._counts(match, are_names=are_names, is_fixed=is_fixed):
                    spans.append((match.first, match.last))
                    yield match

    def _counts(self, match: Match, *, are_names: bool, is_fixed: bool) -> bool:
        """Whether a value is itself where it stands, and not an everyday word or number."""
        letters = "".join(match.value.parts)
        if letters in self._everywhere:
            return not self._is_everyday(match, letters)
        if match.is_alone and not are_names and not (is_fixed and match.value.is_short):
            return letters not in self._manner.frequent
        if self._label is not None and self._label.search(match.before):
            return True
        if letters in self._alone or self._is_everyday(match, letters) or (is_fixed and match.value.is_short):
            return False
        if match.value.is_short and match.value.is_number:
            return are_names and not _COPY.search(f"{match.before}{match.spelled}", max(0, len(match.before) - 2))
        if (match.value.is_word or match.value.is_short) and not are_names:
            return self._is_a_name(match)
        return True

    def _is_everyday(self, match: Match, letters: str) -> bool:
        usual = self._manner.everyday.get(letters)
        if not usual:
            return False
        spelled = match.spelled
        if spelled in usual:
            return True
        return match.begins_sentence and (f"^{spelled}" in usual or (spelled.istitle() and spelled.lower() in usual))

    @staticmethod
    def _is_a_name(match: Match) -> bool:
        """Whether one word is written as a name is: with its capitals, or so long that it is no everyday word."""
        value = match.value
        if match.spelled == value.text:
            return True
        if value.is_short:
            return match.spelled.isupper() and not value.text.isupper()
        return match.spelled.lower() != match.spelled or value.size >= _PROPER


def everyday(texts: Iterable[str], values: Values) -> dict[str, set[str]]:
    """The values that stand in texts which are no data: letters and digits → the ways in which they are written."""
    found: dict[str, set[str]] = {}
    for text in dict.fromkeys(texts):
        for match in matches(text, values):
            found.setdefault("".join(match.value.parts), set()).add(match.spelled)
    return found


def _without_blanks(texts: Collection[str]) -> frozenset[str]:
    return frozenset("".join(text.split()) for text in texts)


def _which(value: Value) -> tuple[str, str]:
    return value.kind, value.text


def _hit(match: Match, place: str, text: str) -> Hit:
    value = match.value
    owner = " and ".join(value.owners[:3]) + (" …" if len(value.owners) > 3 else "")
    around = _around(match, text)
    return Hit(kind=value.kind, value=value.text, owner=owner, place=place, context=around, spelled=match.spelled)


def _around(match: Match, text: str) -> str:
    shown = " ".join(plain(text).replace(BARRIER, " ").split())
    at = shown.find(" ".join(match.spelled.split()))
    begin, end = max(0, at - _AROUND), max(0, at) + len(match.spelled) + _AROUND
    return ("…" if begin else "") + shown[begin:end] + ("…" if end < len(shown) else "")
