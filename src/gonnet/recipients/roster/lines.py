"""The people of one circle as lines of a recipient list: what their line says, else what their circle says."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import get_args

from gonnet.errors import meant
from gonnet.jobs.people import Settings
from gonnet.jobs.values import Format
from gonnet.recipients.addresses import NotAnAddressError, parse
from gonnet.recipients.roster import reading
from gonnet.recipients.roster.reading import CIRCLES, PEOPLE, Person, Roster, Slip
from gonnet.recipients.ways import Ways, listed
from gonnet.wording.languages import locale_of

ROW = "gonnet_line"
"""The column with the row of a line in the workbook."""

_FORMATS: tuple[Format, ...] = get_args(Format)
_FIELDS = {
    reading.NAME: "name",
    reading.ADDRESS: "address",
    reading.COPY: "copy_to",
    reading.LANGUAGE: "language",
    reading.WAY: "way",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Known:
    """What a line may name.

    Attributes:
        messages: The messages of the job.
        documents: What its documents and enclosures are called.
        ways: Its ways.
    """

    messages: tuple[str, ...]
    documents: tuple[str, ...]
    ways: Ways


@dataclass(frozen=True, slots=True, kw_only=True)
class Line:
    """A line of one circle.

    Attributes:
        row: Its row in the workbook.
        fields: Column → what stands there, as texts and lists see it.
        settings: What holds for it.
        slips: What of it cannot be meant.
    """

    row: int
    fields: Mapping[str, str]
    settings: Settings
    slips: tuple[Slip, ...]

    @property
    def problem(self) -> str | None:
        """Why nothing is made for it, or None: what a list of another kind does not look at itself."""
        own = (reading.FORMAT, reading.DOCUMENTS, reading.MESSAGE)
        return "; ".join(f"column '{slip.column}': {slip.text}" for slip in self.slips if slip.column in own) or None


def lines_of(roster: Roster, circle: str, known: Known) -> tuple[Line, ...]:
    """The lines of those who belong to a circle, in the order of the workbook."""
    whole = roster.circles.get(circle)
    aside = {*roster.circles, circle, reading.FORMAT, reading.DOCUMENTS, reading.MESSAGE}
    headings = [one for one in roster.headings if one not in aside]
    return tuple(_line(person, headings, _Said(person, whole), known) for person in roster.members(circle))


def table_of(lines: Sequence[Line], roster: Roster) -> tuple[tuple[str, ...], list[tuple[str | None, ...]]]:
    """The lines as a table: its columns, and its rows of texts."""
    own = (_FIELDS.get(heading, heading) for heading in roster.headings)
    names = tuple(dict.fromkeys((ROW, *_FIELDS.values(), *(name for line in lines for name in line.fields), *own)))
    rows = [tuple(str(line.row) if name == ROW else line.fields.get(name) or None for name in names) for line in lines]
    return names, rows


class _Said:
    """What a line says under a heading, else its circle; and where that stands."""

    def __init__(self, person: Person, circle: Person | None) -> None:
        self._person, self._circle = person, circle

    def of(self, heading: str) -> str:
        """The cell of the line, else that of the circle."""
        of_circle = self._circle.cells.get(heading, "") if self._circle is not None else ""
        return self._person.cells.get(heading, "") or of_circle

    def slip(self, heading: str, text: str) -> Slip:
        """A mistake in it, at the place where it stands."""
        is_own = self._circle is None or bool(self._person.cells.get(heading, "")) or not self.of(heading)
        place = self._person if is_own or self._circle is None else self._circle
        return Slip(sheet=PEOPLE if is_own else CIRCLES, row=place.row, column=heading, text=text)


def _line(person: Person, headings: Sequence[str], said: _Said, known: Known) -> Line:
    slips = list(_slips(said, known))
    fields = {_FIELDS.get(heading, heading): said.of(heading) for heading in headings}
    fields |= {name: said.of(heading) for heading, name in _FIELDS.items()}
    documents = {name.casefold(): name for name in known.documents}
    form, message = said.of(reading.FORMAT).casefold(), said.of(reading.MESSAGE)
    messages = {name.casefold(): name for name in known.messages}
    settings = Settings.model_construct(
        message=messages.get(message.casefold()),
        format=next((one for one in _FORMATS if one == form), None),
        documents=tuple(
            documents[name.casefold()] for name in listed(said.of(reading.DOCUMENTS)) if name.casefold() in documents
        ),
        ways=(),
        language=None,
    )
    return Line(row=person.row, fields=fields, settings=settings, slips=tuple(slips))


def _slips(said: _Said, known: Known) -> Iterator[Slip]:
    """What of a line, or of its circle, cannot be meant."""
    for heading, names, noun in (
        (reading.FORMAT, _FORMATS, "format"),
        (reading.MESSAGE, known.messages, "message"),
        (reading.DOCUMENTS, known.documents, "document"),
        (reading.WAY, known.ways.names, "way"),
    ):
        for name in listed(said.of(heading)):
            if name.casefold() not in {one.casefold() for one in names}:
                yield said.slip(heading, f"'{name}' is no {noun} of this job. {meant(name, list(names), noun=noun)}")
        if heading in (reading.FORMAT, reading.MESSAGE) and len(listed(said.of(heading))) > 1:
            yield said.slip(heading, "there can be one only")
    if language := said.of(reading.LANGUAGE):
        try:
            locale_of(language)
        except ValueError as error:
            yield said.slip(reading.LANGUAGE, str(error))
    for heading in (reading.ADDRESS, reading.COPY):
        if cell := said.of(heading):
            try:
                parse(cell)
            except NotAnAddressError as error:
                yield said.slip(heading, f"'{cell}' is not an address: {error}")
    ways = known.ways.named(listed(said.of(reading.WAY)), [])
    if not said.of(reading.ADDRESS) and known.ways.needs_address(ways):
        yield said.slip(reading.ADDRESS, "there is no address, and it goes by mail. Write one, or another way")
