"""The characters that the documents of a run are made of, so that one subset of each face serves them all."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict

from babel import Locale

from gonnet.data import Engine
from gonnet.jobs.models import Job
from gonnet.recipients import Recipient
from gonnet.reports.plans.models import Look
from gonnet.wording.formats import House

_OF_NUMBERS = "0123456789.,-−–%‰+() \u00a0\u202f'’…"  # and what stands for the rest of a text that is cut


def signs(
    versions: Iterable[tuple[Job, Look]],
    engine: Engine,
    fields: Mapping[str, Sequence[str]],
    bound: Mapping[str, object],
    people: Iterable[Recipient],
) -> frozenset[str]:
    """What stands in the job's texts, the rows, the list, and numbers and dates, in every language.

    It need not be complete: a document with other characters gets faces of its own.
    """
    found = set(_OF_NUMBERS)
    for job, look in versions:
        found |= {*repr(job.file), *repr(look.style), *_of_the_locale(look.house)}
    for person in people:
        for value in person.fields.values():
            found.update(str(value))
    return frozenset(found) | signs_of_rows(engine, fields, bound)


def signs_of_rows(engine: Engine, fields: Mapping[str, Sequence[str]], bound: Mapping[str, object]) -> frozenset[str]:
    """The characters of the texts among the values that reports use of a row, by view."""
    found: set[str] = set()
    for view, sql in ((view, sql) for view, expressions in fields.items() for sql in expressions):
        values = f"select distinct cast({sql} as varchar) as value from {view}"
        if engine.kind(view, sql, bound) == "VARCHAR":
            rows = engine.query(f"select distinct unnest(string_split(value, '')) from ({values})", bound)
            found.update(str(sign) for (sign,) in rows)
    return frozenset(sign for sign in found if len(sign) == 1)


def _of_the_locale(house: House) -> set[str]:
    locale = Locale.parse(house.locale)
    names = [
        *(name for width in ("wide", "abbreviated") for name in locale.months["format"][width].values()),
        *(name for width in ("wide", "abbreviated") for name in locale.days["format"][width].values()),
        *(str(locale.currency_symbols.get(house.currency, "")) if house.currency else ""),
        *map(str, locale.number_symbols.get("latn", {}).values()),
        *map(str, asdict(house.words).values()),
    ]
    return set().union(*names)
