"""What the leak check of a run searches for: who is known by what."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import replace

from gonnet.checks import Identity, Manner, Watch
from gonnet.jobs import Job
from gonnet.jobs.blocks import ImageBlock
from gonnet.pipeline.making.everyday_words import everyday_words
from gonnet.pipeline.survey import Survey
from gonnet.recipients import Recipient
from gonnet.reports.plans.models import FactsPlan, ReportPlan
from gonnet.wording.differing import Differing

_KEY = re.compile(r"\s*\{\{\s*key\s*\}\}\s*")
_SHOWN = 8
_GENERIC = frozenset(("no", "nr", "num", "number", "id", "code", "key", "nummer"))


def watch_of(job: Job, found: Survey) -> Watch:
    """All that names somebody in a run, ready to be searched for."""
    watch, words = Watch(identities(job, found), job.file.checks.harmless), job.file.checks
    usual = everyday_words(job, found, watch.values)
    watch.manner = Manner(
        everyday=usual.usual,
        frequent=usual.frequent,
        counting=usual.counting,
        alone=words.alone,
        everywhere=words.everywhere,
        labels=tuple(labels(job, found.house.reports)),
    )
    return watch


def identities(job: Job, found: Survey) -> Iterator[Identity]:
    """What names each recipient of the data and of the list, whether it gets anything or not."""
    if not job.file.split.by:
        return  # one package has all rows: there is nobody else
    columns = job.file.checks.identifying
    for audience in found.everybody:
        described = [person for person in (*audience.people, *audience.aside) if _has_key(job, person)]
        for person in described:
            bundles = job.file.recipients[person.listed].bundled is not None
            # An address that gets bundles is the address of many: it names nobody whose rows these are.
            mine = replace(person, to=(), cc=(), bcc=()) if bundles else person
            yield Identity(key=person.key, values=tuple(_values(mine, columns)))
        listed = {person.key for person in described}
        for key in audience.portion.counts:
            if key not in listed:
                yield Identity(key=key, values=(("key", key),))
    # Who sees several keys: their own names and addresses never count as another's.
    for plan in found.plans if found.plans.bundles else ():
        if plan.is_bundle:
            values = tuple(_values(replace(plan.addressed.contacts[0], key=plan.key), columns))
            yield Identity(key=plan.key, values=values, has_rows=False)


def _has_key(job: Job, person: Recipient) -> bool:
    return bool(job.file.recipients[person.listed].key)


def _values(person: Recipient, columns: Sequence[str]) -> Iterator[tuple[str, str]]:
    yield "key", person.key
    for address in (*person.to, *person.cc, *person.bcc):
        yield "address", address.mailbox
    for column in columns:
        value = person.fields.get(column)
        if value is not None and not isinstance(value, Differing):
            yield column, str(value)


def labels(job: Job, reports: Sequence[ReportPlan]) -> Iterator[str]:
    """What the job calls a key, without the words that any number has."""
    for name in job.file.split.by:
        yield from _own_words(name.replace("_", " "))
    facts = (block.facts for report in reports for block in report.blocks if isinstance(block, FactsPlan))
    for label, text in (pair for pairs in facts for pair in pairs):
        if _KEY.fullmatch(text.source):
            yield from _own_words(label)


def _own_words(text: str) -> Iterator[str]:
    words = [word for word in re.findall(r"\w+", text) if word.casefold() not in _GENERIC]
    if words:
        yield " ".join(words)


def unsearched(job: Job, found: Survey, watch: Watch) -> Iterator[str]:
    """What the leak check of a run did not search, and why; for the review and for the record."""
    enclosed = {file: part for edition in found.editions.values() for file, part in edition.enclosures.items()}
    for part in enclosed.values():
        yield from (f"enclosure: {what}" for what in part.found.unsearched)
    pictures = {
        block.image: f"picture: {block.image}, in report {name}"
        for name, report in job.file.reports.items()
        for block in report.blocks
        if isinstance(block, ImageBlock)
    }
    yield from pictures.values()
    if found.house.look.logo is not None:
        yield "picture: the logo of the house"
    for reason, values in watch.values.unsearched.items():
        shown = ", ".join(f"'{value}'" for value in values[:_SHOWN])
        more = f" and {len(values) - _SHOWN} more" if len(values) > _SHOWN else ""
        yield f"value {reason}: {shown}{more}"
    short = watch.values.count_short()
    if short:
        yield f"{short:,} short values, where they do not stand alone, in names or behind what the job calls a key"
    for column in watch.manner.counting:
        yield f"small numbers in {column}, which is the same for many"
