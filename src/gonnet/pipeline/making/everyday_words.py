"""Which values are also everyday words of a run: they stand in the job's own texts, or in the rows of many others."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, fields, is_dataclass

from babel import Locale

from gonnet.checks import Watch, everyday
from gonnet.checks.matching import Match, matches
from gonnet.checks.spelling import BARRIER, squeezed
from gonnet.checks.values import Values
from gonnet.findings import Finding, Weight
from gonnet.jobs import Job
from gonnet.pipeline.survey import Survey
from gonnet.pipeline.surveying.enclosures import Enclosed
from gonnet.split.slices import KEY
from gonnet.wording.template import Template

_FIELD = re.compile(r"\{\{.*?\}\}|\{%.*?%\}", re.DOTALL)
_SAYING = frozenset(("label", "title", "empty", "rest", "total", "unit", "alt", "average", "over"))
_FEW, _SHARE = 3, 0.01  # in the rows of so many a word is an everyday one
_OFTEN, _PART = 10, 0.02  # and of so many it stands alone in cells
_SAMPLE = 20_000  # texts of a column that are looked at
_SHOWN = 8


@dataclass(frozen=True, slots=True, kw_only=True)
class EverydayWords:
    """Values that are also everyday words, and columns that count.

    Attributes:
        usual: Letters and digits of a value → how it is written as a word; behind `^` where it only begins a sentence.
        frequent: Those that also stand alone in the rows of many.
        counting: What a report shows of rows, as SQL, in which the same small numbers stand for many: they name nobody.
    """

    usual: Mapping[str, frozenset[str]]
    frequent: frozenset[str]
    counting: frozenset[str]


def everyday_words(job: Job, found: Survey, values: Values) -> EverydayWords:
    """The values that are words of the job, of its enclosures, or of the rows of many who are not meant by them."""
    usual = defaultdict(set, everyday(_said_by_the_job(job, found), values))
    everywhere = set(map(squeezed, job.file.checks.everywhere))  # these are words in the job's own texts alone
    enclosed = {file: part for edition in found.editions.values() for file, part in edition.enclosures.items()}
    for letters, ways in everyday(_texts_of(enclosed.values()), values).items():
        value = values.get(letters)
        if value is not None and (value.is_word or value.is_short) and letters not in everywhere:
            usual[letters] |= {way for way in ways if way != value.text}
    few, often = max(_FEW, len(found.counts) * _SHARE), max(_OFTEN, len(found.counts) * _PART)
    alone, counting = set[str](), set[str]()
    for sql, counted in _counted(found, values):
        for (letters, way), count in counted.items():
            if letters in everywhere:
                continue
            if not way.startswith("="):
                usual[letters] |= {way} if count > few else set()
            elif count > often and letters.isdecimal():
                counting.add(sql)
            elif count > often:
                alone.add(letters)
                usual[letters] |= set() if _is_exact(values, letters, way[1:]) else {way[1:]}
    return EverydayWords(
        usual={letters: frozenset(ways) for letters, ways in usual.items() if ways},
        frequent=frozenset(letters for letters in alone if usual[letters]),
        counting=frozenset(counting),
    )


def _is_exact(values: Values, letters: str, way: str) -> bool:
    value = values.get(letters)
    return value is not None and value.text == way


def _texts_of(enclosed: Iterable[Enclosed]) -> Iterator[str]:
    return (text for part in enclosed for _, texts in part.found.parts for text in texts)


def _said_by_the_job(job: Job, found: Survey) -> Iterator[str]:
    """Every text of the job that is the same for all: its titles, labels and messages, our words, days and months."""
    for locale, edition in found.editions.items():
        yield from _fixed(edition.reports)
        yield from _fixed([*edition.job.file.messages.values()])
        yield from _in_values(edition.reading.common)
        words = edition.look.house.words
        yield from (str(getattr(words, part.name)) for part in fields(words))
        yield from _calendar(locale)
        yield edition.look.organisation
        yield from (edition.job.body(name).source for name in edition.job.file.messages)
    package = job.file.package
    yield from _fixed([package, *job.file.deliver])


def _calendar(locale: str) -> Iterator[str]:
    names = Locale.parse(locale.replace("-", "_"))
    for words in (names.months, names.days):
        for way in ("format", "stand-alone"):
            for width in ("wide", "abbreviated"):
                for name in words[way][width].values():
                    yield from (name, name.upper(), name.lower())


def _fixed(part: object) -> Iterator[str]:
    """The texts of a plan or a section, without what is merged into them."""
    match part:
        case Template():
            yield from _FIELD.sub(BARRIER, part.source).split(BARRIER)
        case str():
            yield from _FIELD.sub(BARRIER, part).split(BARRIER)
        case Mapping():
            for label, value in part.items():
                yield from (*_fixed(label), *_fixed(value))
        case list() | tuple():
            for value in part:
                yield from _fixed(value)
        case _ if is_dataclass(part):
            for name in (field.name for field in fields(part)):
                value = getattr(part, name)
                if not isinstance(value, str) or name in _SAYING:
                    yield from _fixed(value)
        case _ if hasattr(part, "model_fields_set"):
            for name in part.model_fields_set:
                if name not in ("when", "columns", "enclose", "to", "cc", "bcc"):
                    yield from _fixed(getattr(part, name))
        case _:
            pass


def _in_values(values: object) -> Iterator[str]:
    match values:
        case str():
            yield values
        case Mapping():
            for value in values.values():
                yield from _in_values(value)
        case _:
            for name in ("label", "id", "text"):
                value = getattr(values, name, None)
                if isinstance(value, str):
                    yield value


def _counted(found: Survey, values: Values) -> Iterator[tuple[str, Counter[tuple[str, str]]]]:
    """For each text or whole number that reports show of rows, as SQL: value and way → in how many recipients' rows.

    A way with `=` before it stands alone.
    """
    for view, sql in ((view, sql) for view, expressions in found.fields.items() for sql in expressions):
        counted: Counter[tuple[str, str]] = Counter()
        for text, count in _texts(found, view, sql):
            for match in matches(text, values):
                if (way := _as_a_word(match)) is not None:
                    counted["".join(match.value.parts), way] += count
        yield sql, counted


def _texts(found: Survey, view: str, sql: str) -> Iterator[tuple[str, int]]:
    """What an expression gives, a sample where it is very much, each text with how many recipients have it."""
    bound = found.values.bound()
    kind = found.engine.kind(view, sql, bound)
    if kind != "VARCHAR" and "INT" not in kind:
        return
    asked = (
        f"select cast({sql} as varchar) as text, count(distinct {KEY}) from {view} where {KEY} is not null"
        f" group by 1 order by hash(text), text limit {_SAMPLE}"
    )
    for text, count in found.engine.query(asked, bound):
        assert isinstance(count, int)
        if text is not None:
            yield str(text), count


def _as_a_word(match: Match) -> str | None:
    """How a match is written if it may be no more than a word there, `=` before it if it stands alone; None if not."""
    value, way = match.value, match.spelled
    if not (value.is_searched and all(not part.isdecimal() for part in value.parts)):
        return f"={way}" if value.is_short and match.is_alone else None
    if match.is_alone:
        return f"={way}" if value.is_word else None
    if way != value.text:
        return way
    return f"^{way}" if value.is_word and match.begins_sentence else None


def told(job: Job, watch: Watch) -> Iterator[Finding]:
    """What the operator should know of everyday words, each kind once."""
    chosen = {squeezed(text) for text in (*job.file.checks.alone, *job.file.checks.everywhere)}
    manner = watch.manner
    ways: defaultdict[Weight, list[str]] = defaultdict(list)
    for letters in {**dict.fromkeys(manner.everyday), **dict.fromkeys(manner.frequent)}:
        value = watch.values.get(letters)
        if value is not None and value.is_searched and letters not in chosen:
            weight = Weight.ATTENTION if letters in manner.frequent else Weight.NOTE
            ways[weight].append(f"'{value.text}'")
    for weight, names in ways.items():
        yield Finding(weight=weight, text=_said_of(weight, names))


def _said_of(weight: Weight, names: Sequence[str]) -> str:
    shown = ", ".join(sorted(names)[:_SHOWN]) + (f" and {len(names) - _SHOWN} more" if len(names) > _SHOWN else "")
    is_one = len(names) == 1
    what = "1 value that names somebody stands" if is_one else f"{len(names)} values that name somebody stand"
    if weight is Weight.NOTE:
        how = "as a word of this run that is nobody's"
        search = "what is written so is not taken for somebody's, unless it stands alone"
    else:
        how = "alone in the rows of many"
        search = "so it is not searched for" if is_one else "so they are not searched for"
    choice = "`checks:` of the job says which are to be found `everywhere`, only `alone`, or are `harmless`"
    return f"{what} {how} ({shown}): {search}; {choice}"
