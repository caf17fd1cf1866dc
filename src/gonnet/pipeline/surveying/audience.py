"""Who a run is for: the lines of every list, the keys with their contacts, and the addresses with their bundles."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace

from gonnet import data, recipients, rules
from gonnet.errors import DataError, JobError
from gonnet.findings import Finding
from gonnet.jobs import Job
from gonnet.recipients import Addressed, Recipient
from gonnet.recipients.corrections import kept


def audience(
    job: Job, engine: data.Engine, counts: Mapping[str, int], house: str, values: Mapping[str, object]
) -> tuple[tuple[Recipient, ...], tuple[Addressed, ...], tuple[Finding, ...]]:
    """Every line of every list; what is to be a package, keys before bundles; and what lists name in vain.

    Where every list bundles, only the keys that nobody may see stand by themselves.

    Args:
        job: The job.
        engine: The engine, after the split.
        counts: Key → rows.
        house: The locale of those of whom no list says one.
        values: Parameters that conditions of lists may name.

    Raises:
        DataError: a list cannot be read.
    """
    everybody: list[Recipient] = []
    by_key: list[Recipient] = []
    bundles: list[Addressed] = []
    findings: list[Finding] = []
    taken, aside = set(counts), set[str]()
    by_hand = recipients.Corrections(kept(job.folder, job.name))
    for index, (table, spec) in enumerate(job.lists):
        where = job.at_list(
            index, "where" if spec.where else next(p for p in ("key", "keys", "group") if getattr(spec, p))
        )
        lines = recipients.read(engine, table, spec, house, values, where=where, number=index, corrections=by_hand)
        everybody += lines
        if spec.bundled is None:
            by_key += recipients.arranged(lines, spec)
            taken |= {line.key for line in lines}
            aside |= recipients.left_out(engine, table, spec, values, where=where)
    for index, (_, spec) in enumerate(job.lists):
        if spec.bundled is not None:
            lines = tuple(line for line in everybody if line.listed == index)
            seen = recipients.sight(engine, spec, counts, where=job.at_list(index, "group"))
            bundles += recipients.bundles(recipients.arranged(lines, spec), spec, seen, taken)
            findings += seen.findings
            findings += recipients.without_rows(lines, spec, seen) if not spec.key else ()
    own = recipients.match(counts, by_key, [spec.settings for spec in job.file.recipients] or (), aside)
    if not job.has_own:
        covered = {key for bundle in bundles for key in bundle.keys}
        own = tuple(part for part in own if part.key not in covered)
    findings += by_hand.findings()
    return tuple(everybody), (*own, *sorted(bundles, key=lambda part: part.key)), tuple(findings)


def descriptions(job: Job, people: Iterable[Recipient]) -> dict[str, Recipient]:
    """Key → the line that describes it: the first of the lists with a key a line, those that do not bundle before."""
    found: dict[str, Recipient] = {}
    lines = [person for person in people if job.file.recipients[person.listed].key]
    for person in sorted(lines, key=lambda person: job.file.recipients[person.listed].bundled is not None):
        found.setdefault(person.key, person)
    return found


def in_order(
    engine: data.Engine, job: Job, addressed: Sequence[Addressed], values: Mapping[str, object]
) -> tuple[Addressed, ...]:
    """The same with the keys of each bundle in the order that its list asks for.

    Raises:
        JobError: the order does not run.
    """
    return tuple(_ordered(engine, job, part, values) for part in addressed)


def _ordered(engine: data.Engine, job: Job, part: Addressed, values: Mapping[str, object]) -> Addressed:
    if part.bundle is None or part.bundle.order is None:
        return part
    try:
        return replace(part, keys=rules.ranked(engine, part.keys, part.bundle.order, values))
    except DataError as error:
        where = job.at_list(part.contacts[0].listed, "bundle", "order")
        raise JobError(f"the order of the bundle does not run: {error.what}", where=where, fix=error.fix) from error
