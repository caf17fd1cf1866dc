"""The second step of a survey: who gets what, in which language."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from gonnet.findings import Finding
from gonnet.jobs import references
from gonnet.pipeline.surveying.audience import audience, descriptions
from gonnet.pipeline.surveying.editions import Edition, editions
from gonnet.pipeline.surveying.reading import Read, raise_all
from gonnet.pipeline.surveying.request import Request
from gonnet.pipeline.tools import Tools
from gonnet.recipients import Addressed, Recipient
from gonnet.wording.differing import Differing


@dataclass(frozen=True, slots=True, kw_only=True)
class Matched:
    """The rows and the recipients, brought together.

    Attributes:
        people: The recipient list.
        aside: The lines of it that conditions leave out.
        addressed: What is to be a package: keys before bundles.
        described: Key → the line that describes it.
        fields: Key or bundle → the columns of its first line of the list.
        editions: Locale → the job as its readers get it; the house's first.
        astray: What the lists name in vain.
    """

    people: tuple[Recipient, ...]
    aside: tuple[Recipient, ...]
    addressed: tuple[Addressed, ...]
    described: Mapping[str, Recipient]
    fields: Mapping[str, Mapping[str, object]]
    editions: Mapping[str, Edition]
    astray: tuple[Finding, ...]

    @property
    def own(self) -> list[str]:
        """The keys that are a package by themselves."""
        return [part.key for part in self.addressed if part.bundle is None]

    @property
    def together(self) -> dict[str, tuple[str, ...]]:
        """Bundle → its keys."""
        return {part.key: part.keys for part in self.addressed if part.bundle is not None}


def match(found: Read, tools: Tools, request: Request) -> Matched:
    """Bring keys and recipients together.

    Raises:
        JobError: a text names what is not there.
        DataError: a list cannot be read.
    """
    job, house = found.job, found.look.house.locale
    found_for = audience(job, found.engine, found.counts, house, found.values.bound(), found.rostered)
    people = found_for.people
    addressed = tuple(_as_said(part, request.people.get(part.key)) for part in found_for.addressed)
    people += tuple(person for part in addressed for person in part.contacts if part.key in request.people)
    started = tools.clock().astimezone(tools.workspace.zone).replace(tzinfo=None, microsecond=0)
    more = {"run": {"date": request.as_of, "job": job.name, "started": started}}
    versions = editions(job, found.look, people, found.values, more, tools.workspace.file.year_begins)
    for edition in versions.values():
        raise_all(references.texts_to_the_data(edition.job, found.columns, edition.reading.wording))
    described = descriptions(job, people)
    fields: dict[str, Mapping[str, object]] = {key: person.fields for key, person in described.items()}
    fields |= {part.key: _for_sql(part.contacts[0].fields) for part in addressed if part.contacts}
    return Matched(
        people=people,
        aside=found_for.aside,
        addressed=addressed,
        described=described,
        fields=fields,
        editions=versions,
        astray=found_for.findings,
    )


def _as_said(part: Addressed, place: tuple[str, int] | None) -> Addressed:
    """A package, for the contact whom a person chose."""
    chosen = (one.person for one in part.known if place == (one.person.source, one.person.line))
    person = next(chosen, None)
    return part if person is None else replace(part, contacts=(person,), is_left_out=False)


def _for_sql(fields: Mapping[str, object]) -> Mapping[str, object]:
    """The columns of a line; what lines do not agree in is empty: a package whose conditions ask for it is held."""
    if not any(isinstance(value, Differing) for value in fields.values()):
        return fields
    return {column: None if isinstance(value, Differing) else value for column, value in fields.items()}
