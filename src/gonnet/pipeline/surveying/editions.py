"""The job as the readers of each language get it."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

from gonnet import data, reports
from gonnet.findings import Finding, Weight
from gonnet.jobs import Job
from gonnet.jobs.texts import Said, given, is_for
from gonnet.packages import Reading
from gonnet.pipeline.surveying.enclosures import Enclosed, enclosed
from gonnet.reports import Look, ReportPlan
from gonnet.wording.filling import Wording
from gonnet.wording.languages import called, same_language
from gonnet.wording.words import has_words

_FIELD = re.compile(r"\{\{.*?\}\}|\{%.*?%\}", re.DOTALL)
_PATTERNS = frozenset({"format", "over_format"})
_SHOWN = 3


@dataclass(frozen=True, slots=True, kw_only=True)
class Edition:
    """A job for the readers of one language and territory.

    Attributes:
        locale: It, as CLDR names it.
        reading: Its texts, how they are filled, and what they may merge.
        look: The house style with its figures and dates.
        reports: The reports, settled.
        enclosures: File → it, of those that are the same for all.
    """

    locale: str
    reading: Reading
    look: Look
    reports: tuple[ReportPlan, ...] = ()
    enclosures: Mapping[str, Enclosed] = field(default_factory=dict)

    @property
    def job(self) -> Job:
        """The job with the texts of this language."""
        return self.reading.job


def editions(
    job: Job, look: Look, languages: Iterable[str], values: data.Values, more: Mapping[str, object], year_begins: int
) -> dict[str, Edition]:
    """Locale → edition: that of the house first, then one for each other language of the list.

    Args:
        job: The job.
        look: The house style.
        languages: The locales in which lines of the list read.
        values: The parameters.
        more: What every text may merge besides them.
        year_begins: The month in which fiscal years begin.
    """
    house = look.house.locale
    found = {}
    for locale in dict.fromkeys((house, *sorted(languages))):
        periods = data.Periods(locale=locale, year_begins=year_begins)
        mine, own = look.for_reader(locale), job.read_for(locale, house)
        names = {**values.said_by(periods).given, **more, "phrases": own.file.phrases}
        reading = Reading(job=own, wording=Wording(mine.house), common=names)
        found[locale] = Edition(locale=locale, reading=reading, look=mine)
    return found


def with_reports(
    found: Mapping[str, Edition],
    engine: data.Engine,
    bound: Mapping[str, object],
    needed: Mapping[str, Sequence[str]],
) -> tuple[dict[str, Edition], dict[str, tuple[str, ...]], tuple[tuple[str, str], ...]]:
    """The editions with their reports and enclosures; and what reports need.

    That is view → the SQL of each value of a row, and place in the job and SQL of every expression.

    Args:
        found: The editions.
        engine: The engine, after the split.
        bound: Parameters by name, for expressions.
        needed: View → columns of which the values come first in a row, whatever reports need.

    Raises:
        JobError: an expression does not run, a format does not fit its column's type, or a file cannot be enclosed.
    """
    versions = {locale: (edition.job, edition.look) for locale, edition in found.items()}
    plans, used, asked = reports.plan_reports(engine, versions, bound, needed)
    with_plans = {
        locale: replace(edition, reports=plans[locale], enclosures=_enclosures(edition.job))
        for locale, edition in found.items()
    }
    return with_plans, used, asked


def _enclosures(job: Job) -> dict[str, Enclosed]:
    return {
        spec.file: enclosed(job.reach, spec.file, job.at("package", "enclose", index))
        for index, spec in enumerate(job.file.package.enclose)
        if not spec.is_own
    }


def untold(found: Mapping[str, Edition], languages: Mapping[str, int]) -> Iterator[Finding]:
    """A finding for each language of readers in which texts of the job are not given.

    Args:
        found: The editions.
        languages: Locale → how many lines of the list read in it.
    """
    house = next(iter(found.values()))
    for locale, edition in found.items():
        if same_language(locale, house.locale):
            continue
        places = [place for place, text in given(edition.job.file) if _is_lacking(place, text, locale)]
        count = languages.get(locale, 0)
        who = f"{called(locale)}, which {count} line{' asks' if count == 1 else 's ask'} for"
        if places:
            some = ", ".join(f"{'.'.join(map(str, place))} ({edition.job.at(*place)})" for place in places[:_SHOWN])
            more = f" and {len(places) - _SHOWN} more" if len(places) > _SHOWN else ""
            text = f"in {who}, these texts are not given and stay as they are: {some}{more}"
            yield Finding(weight=Weight.NOTE, text=text)
        if not has_words(locale):
            yield Finding(weight=Weight.NOTE, text=f"Gonnet's own words, such as 'Total', stay in English in {who}")


def _is_lacking(place: Sequence[str | int], text: Said, locale: str) -> bool:
    words = any(sign.isalpha() for sign in _FIELD.sub("", text))
    return words and place[-1] not in _PATTERNS and not is_for(text, locale)
