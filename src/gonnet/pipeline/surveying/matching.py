"""The second step of a survey: who gets what, in which language."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from gonnet.findings import Finding
from gonnet.jobs import references
from gonnet.pipeline.surveying.audience import Audience, Everybody
from gonnet.pipeline.surveying.editions import Edition, editions
from gonnet.pipeline.surveying.reading import Read, raise_all
from gonnet.pipeline.surveying.request import Request
from gonnet.pipeline.tools import Tools
from gonnet.wording.differing import Differing


@dataclass(frozen=True, slots=True, kw_only=True)
class Matched:
    """The rows and the recipients, brought together.

    Attributes:
        everybody: Who the run is for.
        editions: Locale → the job as its readers get it; the house's first.
    """

    everybody: Everybody
    editions: Mapping[str, Edition]

    @property
    def astray(self) -> tuple[Finding, ...]:
        """What the lists name in vain."""
        return self.everybody.findings

    def lines(self) -> Iterator[dict[str, Mapping[str, object]]]:
        """In portions: key or bundle → the columns of its first line of the list."""
        return map(fields_of, self.everybody)


def match(found: Read, tools: Tools, request: Request) -> Matched:
    """Bring keys and recipients together.

    Raises:
        JobError: a text names what is not there.
        DataError: a list cannot be read.
    """
    job, house = found.job, found.look.house.locale
    bound = found.values.bound()
    everybody = Everybody(job, found.engine, found.counts, house, bound, found.rostered, request.people)
    started = tools.clock().astimezone(tools.workspace.zone).replace(tzinfo=None, microsecond=0)
    more = {"run": {"date": request.as_of, "job": job.name, "started": started}}
    versions = editions(job, found.look, everybody.languages, found.values, more, tools.workspace.file.year_begins)
    for edition in versions.values():
        raise_all(references.texts_to_the_data(edition.job, found.columns, edition.reading.wording))
    return Matched(everybody=everybody, editions=versions)


def fields_of(audience: Audience) -> dict[str, Mapping[str, object]]:
    """Key or bundle → the columns of its first line of the list."""
    found: dict[str, Mapping[str, object]] = {key: person.fields for key, person in audience.described.items()}
    found |= {part.key: _for_sql(part.contacts[0].fields) for part in audience.addressed if part.contacts}
    return found


def _for_sql(fields: Mapping[str, object]) -> Mapping[str, object]:
    """The columns of a line; what lines do not agree in is empty: a package whose conditions ask for it is held."""
    if not any(isinstance(value, Differing) for value in fields.values()):
        return fields
    return {column: None if isinstance(value, Differing) else value for column, value in fields.items()}
