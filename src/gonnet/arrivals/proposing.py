"""Looking at a run by itself: which of its texts changes from one group of pages to the next, and stays within each.

Bookmarks come first. Else it is a word behind the same label, such as `Farm no. 00116`: one that never comes back once
another stood in its place, as page numbers, amounts and dates do.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Collection, Iterator, Sequence
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from gonnet.arrivals.pages import Pages, Word
from gonnet.errors import DataError

_SAMPLE = 300  # pages that are looked at
_SAME_LINE, _SAME_PLACE = 1.5, 6.0  # millimetres
_LABEL = 2  # words before a key
_KEY_LIKE = re.compile(
    r"\b(?:no|nr|num|number|nummer|id|code|key|account|customer|member|client|farm|contract)\b", re.I
)
_VALUE = re.compile(r"[\w/-]*\d[\w/-]*")
_DATE = re.compile(r"\d{1,4}[/-]\d{1,2}[/-]\d{1,4}")


@dataclass(frozen=True, slots=True, kw_only=True)
class Proposal:
    """What says whose the pages of a run are.

    Attributes:
        key: As a job has it.
        unmarked: What becomes of pages that say no key.
        what: The same in words.
        keys: The keys of the pages that were looked at, in order.
    """

    key: dict[str, object]
    unmarked: str
    what: str
    keys: tuple[str, ...]


@dataclass(slots=True)
class _Seen:
    """A label, with what follows it: page → value, and where both are."""

    values: dict[int, str]
    boxes: list[tuple[float, float, float, float]]


def propose(path: Path, known: Collection[str] = ()) -> Proposal:
    """What says whose the pages are.

    Args:
        path: The run.
        known: Keys of a list, among which those of the run are looked for.

    Raises:
        DataError: nothing does, or the file cannot be read.
    """
    with closing(Pages(path)) as pages:
        found = [*_by_bookmarks(pages, known)]
        if not found:
            count = min(len(pages), _SAMPLE)
            labels = _labels(pages, count, frozenset(known))
            found = [_as_proposal(label, seen, count) for label, seen in labels.items() if _divides(seen)]
            found.sort(key=lambda one: _score(one, labels, count, known), reverse=True)
    if not found:
        fix = "Write `key` by hand; `gonnet pages JOB --page 1` lists the words of a page with their places"
        raise DataError("nothing on these pages says whose they are", where=path.name, fix=fix)
    return found[0]


def _by_bookmarks(pages: Pages, known: Collection[str]) -> Iterator[Proposal]:
    """The bookmarks of the first level, where each has a key of its own and the first page has one."""
    titles = [(page, " ".join(title.split())) for page, title in pages.bookmarks(most=1)]
    names = [title for _, title in titles]
    if len(names) < 2 or len(set(names)) < len(names) or titles[0][0] != 1:
        return
    before = re.sub(r"\w+$", "", _in_common(names))
    behind = re.sub(r"^\w+", "", _in_common([name[::-1] for name in names])[::-1])
    keys = tuple(name[len(before) : len(name) - len(behind)] for name in names)
    if not all(keys) or (known and not set(keys) & set(known)):
        return
    pattern = f"^{re.escape(before)}(.+){re.escape(behind)}$"
    yield Proposal(key={"bookmark": pattern}, unmarked="refuse", what=f"the bookmarks, such as '{names[0]}'", keys=keys)


def _in_common(names: Sequence[str]) -> str:
    """How all of them begin."""
    first, last = min(names), max(names)
    differs = next((at for at, (one, other) in enumerate(zip(first, last, strict=False)) if one != other), None)
    return first[:differs] if differs is not None else first


def _labels(pages: Pages, count: int, known: frozenset[str]) -> dict[str, _Seen]:
    """Label → what follows it, on the first so many pages."""
    found: defaultdict[str, _Seen] = defaultdict(lambda: _Seen({}, []))
    for number in range(1, count + 1):
        with pages.page(number) as page:
            lines = _lines(list(page.words()))
        for line in lines:
            for at in range(1, len(line)):
                value, label = line[at].text.strip(".,;:()"), line[max(0, at - _LABEL) : at]
                if not _may_be_key(value, known) or not any(sign.isalpha() for sign in label[-1].text):
                    continue
                seen = found[" ".join(word.text for word in label)]
                if number not in seen.values:
                    seen.values[number] = value
                    first, last = label[0], line[at]
                    top = min(word.top for word in (*label, last))
                    bottom = max(word.top + word.height for word in (*label, last))
                    seen.boxes.append((first.left, top, last.left + last.width, bottom))
    return dict(found)


def _lines(words: Sequence[Word]) -> list[list[Word]]:
    """Words that stand beside each other, from left to right."""
    lines: list[list[Word]] = []
    for word in sorted(words, key=lambda word: word.top + word.height):
        base = word.top + word.height
        if lines and abs(lines[-1][-1].top + lines[-1][-1].height - base) < _SAME_LINE:
            lines[-1].append(word)
        else:
            lines.append([word])
    return [sorted(line, key=lambda word: word.left) for line in lines]


def _may_be_key(value: str, known: frozenset[str]) -> bool:
    if known:
        return value in known
    return _VALUE.fullmatch(value) is not None and _DATE.fullmatch(value) is None


def _divides(seen: _Seen) -> bool:
    """Whether the values divide the pages: several, the first page has one, and none comes back."""
    values = [value for _, value in sorted(seen.values.items())]
    turns = [value for at, value in enumerate(values) if at == 0 or values[at - 1] != value]
    return 1 in seen.values and len(turns) > 1 and len(turns) == len(set(turns))


def _as_proposal(label: str, seen: _Seen, count: int) -> Proposal:
    values = [value for _, value in sorted(seen.values.items())]
    pattern = r"\s+".join(re.escape(word) for word in label.split()) + r"\s+" + r"([\w/-]+)"
    key: dict[str, object] = {"text": pattern}
    left, top, right, bottom = (tuple(side) for side in zip(*seen.boxes, strict=True))
    if max(left) - min(left) < _SAME_PLACE and max(top) - min(top) < _SAME_PLACE:
        room = {
            "left": min(left) - 1,
            "top": min(top) - 1,
            "width": max(right) - min(left) + 12,
            "height": max(bottom) - min(top) + 2,
        }
        key["within"] = {name: max(0, round(value)) for name, value in room.items()}
    follows = len(seen.values) < count
    return Proposal(
        key=key,
        unmarked="follow" if follows else "refuse",
        what=f"the word behind '{label}', such as '{values[0]}'" + (", and pages without it follow" * follows),
        keys=tuple(dict.fromkeys(values)),
    )


def _score(one: Proposal, labels: dict[str, _Seen], count: int, known: Collection[str]) -> tuple[float, ...]:
    """How well a label says whose pages are: keys of the list, then how it is called, then on how many pages it is."""
    label = next(label for label, seen in labels.items() if _as_proposal(label, seen, count) == one)
    is_known = len(set(one.keys) & set(known)) / len(one.keys) if known else 0.0
    in_place = "within" in one.key
    return is_known, bool(_KEY_LIKE.search(label)), in_place, len(labels[label].values) / count, -len(one.keys)
