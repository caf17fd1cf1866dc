"""What a job file may say: one model for each part, none of them with a default that surprises."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Annotated, Any, NamedTuple, cast

from pydantic import BeforeValidator, Field, field_validator, model_validator

from gonnet.errors import JobError
from gonnet.jobs.approval import Approval
from gonnet.jobs.arrivals import Arrival, with_arrivals
from gonnet.jobs.calendar import Entry
from gonnet.jobs.contents import PackageSpec
from gonnet.jobs.people import RecipientList, as_lists
from gonnet.jobs.positions import Positions
from gonnet.jobs.reach import Reach
from gonnet.jobs.reports import Figure, Report, as_value
from gonnet.jobs.rules import Guard, Rule
from gonnet.jobs.sections import Name, Names, Section
from gonnet.jobs.sources import DatabaseDataSet, FileDataSet, Parameter, SqlDataSet
from gonnet.jobs.steps import Step
from gonnet.jobs.style import Style
from gonnet.jobs.texts import Reader, Text
from gonnet.jobs.values import Days, InOrder, as_tuple_of_one
from gonnet.jobs.ways import Way
from gonnet.wording.template import Template


class Cut(NamedTuple):
    """A data set that is cut: the view of its rows with their keys, and the columns that say whose row it is."""

    view: str
    by: tuple[str, ...]


class Split(Section):
    """Which data set is cut, and by which column; by several where it takes them all to say whose row it is.

    Attributes:
        rows: The data set that is cut.
        by: The columns; without any, one package has all rows.
        also: Other data sets that are cut by the same key, for reports over them → their columns for it.
    """

    rows: str
    by: Names = ()
    also: dict[str, Names] = {}

    @property
    def width(self) -> int:
        """How many parts a key has."""
        return max(1, len(self.by))

    @property
    def cuts(self) -> dict[str, Cut]:
        """Each data set that is cut, the main one first."""
        more = {name: Cut(f"gonnet_rows_{at}", by) for at, (name, by) in enumerate(self.also.items(), 1)}
        return {self.rows: Cut("gonnet_rows", self.by)} | more


_HEADERS = ("Feedback-ID", "Keywords", "List-Help", "List-ID", "List-Post", "List-Unsubscribe", "List-Unsubscribe-Post",
    "Organization", "Precedence")  # fmt: skip


class Message(Section):
    """Subject and body of what is mailed.

    Attributes:
        subject: The subject, with merge fields.
        body: CommonMark, of which the plain text and the HTML are made; or
        page: an HTML file of the workspace, of which the plain text is made.
        headers: Header lines of one's own: some of mailing lists, and those that begin with X-.
    """

    subject: Text
    body: Text | None = None
    page: Text | None = None
    headers: dict[str, Text] = {}

    @model_validator(mode="after")
    def _one_body_and_harmless_headers(self) -> Message:
        if (self.body is None) == (self.page is None):
            raise ValueError("a message has either a `body`, or a `page`: an HTML file")
        for name in self.headers:
            own = re.fullmatch(r"X-[A-Za-z0-9-]+", name) and not name.casefold().startswith(("x-gonnet", "x-mailer"))
            if not own and name not in _HEADERS:
                raise ValueError(
                    f"the header '{name}' is not one that a job may set; these are: X-…, {', '.join(_HEADERS)}"
                )
        return self


class WriteBack(Section):
    """A statement that tells a database what became of each package.

    Attributes:
        database: The database of the workspace, by its name.
        sql: The statement; `$key`, `$state`, `$at`, `$message_id`, `$run`, `$job` and `$period` are bound.
    """

    database: str
    sql: str


class Checks(Section):
    """What the leak check looks for besides keys and addresses, and what it may pass over.

    Attributes:
        identifying: Columns of the recipient list whose values name a recipient.
        harmless: Values that may stand in anybody's documents.
        alone: Values that are everyday words too: searched for only where they stand alone, or behind a key's label.
        everywhere: Values that are everyday words too: found wherever they stand in data, all the same.
    """

    identifying: Names = ()
    harmless: Names = ()
    alone: Names = ()
    everywhere: Names = ()


def _now_a_step(name: str, how: str) -> Callable[[object], None]:
    """Refuses what was written otherwise in earlier versions, with how it is written now."""

    def refuse(_value: object) -> None:
        raise ValueError(f"`{name}: NAME` is now `steps: [{{program: NAME, {how}}}]`")

    return refuse


_Lists = str | tuple[str, ...] | RecipientList | tuple[RecipientList, ...]


class JobFile(Section):
    """The whole of `jobs/NAME.yaml`.

    Attributes:
        title: What the run is called.
        about: A sentence for people: what it is for.
        tags: Words by which people find it.
        style: What it changes of the house style of the workspace.
        steps: Programs of the workspace that run at moments of a run.
        before: No longer there.
        after: No longer there.
        parameters: Values that are asked for when it runs, by name.
        data: The data sets, by name.
        arrivals: Documents that other systems made for many, by name: whose each part of them is.
        split: Whose row it is; it may be left out where one package has all rows of one data set.
        recipients: Who receives: one list or several, or addresses alone.
        figures: Name → an SQL aggregate over the rows of one key, for texts, rules and checks.
        phrases: Texts that several places merge, by name.
        in_order: Column → its values in an order of their own, for tables, groups, crosstabs and charts; others follow.
        reports: The layouts of documents, by name.
        package: What a recipient gets, and what its files are called.
        rules: Conditions, and what they change about packages, from top to bottom.
        guard: When the whole run waits for a person's word.
        messages: What is mailed, by name; `standard` is the usual one.
        deliver: The ways by which packages leave.
        write_back: A statement that tells a database what became of each package.
        checks: What the leak check looks for, and what it may pass over.
        approval: Who must say yes to a run before it is sent.
        keep: How long the files of a run are kept; as the workspace says when left out.
        once_per: What makes two regular sends the same: parameters, figures, or texts; when left out, all parameters.
        calendar: When it runs by itself.
        beyond: Why its SQL may read rows of others than the recipient; it may not when left out.
    """

    title: str
    about: str = ""
    tags: Names = ()
    style: Style | None = None
    steps: tuple[Step, ...] = ()
    before: Annotated[None, BeforeValidator(_now_a_step("before", "at: start, stops: true"))] = None
    after: Annotated[None, BeforeValidator(_now_a_step("after", "at: prepared"))] = None
    parameters: dict[Name, Parameter] = {}
    data: dict[Name, FileDataSet | DatabaseDataSet | SqlDataSet] = {}
    arrivals: dict[Name, Arrival] = {}
    split: Split
    recipients: Annotated[tuple[RecipientList, ...], BeforeValidator(as_lists, json_schema_input_type=_Lists)] = ()
    figures: dict[Name, Annotated[Figure, BeforeValidator(as_value, json_schema_input_type=str | Figure)]] = {}
    phrases: dict[Name, Text] = {}
    in_order: dict[str, InOrder] = {}
    reports: dict[Name, Report] = {}
    package: PackageSpec
    rules: tuple[Rule, ...] = ()
    guard: Guard = Guard()
    messages: dict[Name, Message] = {}
    deliver: tuple[Way, ...] = ()
    write_back: WriteBack | None = None
    checks: Checks = Checks()
    approval: Approval | None = None
    keep: Days | None = None
    once_per: Names = ()
    calendar: Annotated[
        tuple[Entry, ...], BeforeValidator(as_tuple_of_one, json_schema_input_type=Entry | tuple[Entry, ...])
    ] = ()
    beyond: Annotated[str | None, Field(min_length=10)] = None

    @model_validator(mode="before")
    @classmethod
    def _what_goes_without_saying(cls, tree: object) -> object:
        """A job with one data set needs no `split`: without it, one package has all rows. Arrivals are cut by key."""
        if not isinstance(tree, Mapping):
            return tree
        data = tree.get("data")
        if tree.get("arrivals"):
            return with_arrivals(tree)
        if "split" in tree or not isinstance(data, Mapping) or len(data) != 1:
            return tree
        return {**tree, "split": {"rows": next(iter(data))}}

    @model_validator(mode="after")
    def _something_to_send(self) -> JobFile:
        if not self.data and not self.arrivals:
            raise ValueError("a job needs `data`, or `arrivals`")
        return self

    @property
    def tables(self) -> dict[str, FileDataSet | DatabaseDataSet | SqlDataSet | Arrival]:
        """Everything that is a table of the run, by name."""
        return {**self.arrivals, **self.data}

    @field_validator("rules", "deliver", "steps", mode="before")
    @classmethod
    def _lists_as_tuples(cls, value: object) -> object:
        return tuple(value) if isinstance(value, list) else value

    @field_validator("in_order")
    @classmethod
    def _each_once(cls, value: dict[str, tuple[str, ...]]) -> dict[str, tuple[str, ...]]:
        for name, values in value.items():
            twice = next((one for one in values if values.count(one) > 1), None)
            if twice is not None:
                raise ValueError(f"'{twice}' is there twice in the order of '{name}'")
        return value

    @field_validator("calendar")
    @classmethod
    def _each_entry_called_by_itself(cls, value: tuple[Entry, ...]) -> tuple[Entry, ...]:
        names = [entry.called for entry in value]
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            raise ValueError(f"two entries of the calendar are called '{twice}': give one another `name`")
        return value

    @field_validator("deliver")
    @classmethod
    def _each_called_by_itself(cls, value: tuple[Way, ...]) -> tuple[Way, ...]:
        names = [way.called for way in value]
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            raise ValueError(f"two ways to deliver are called '{twice}': give one another `name`")
        return value


_ANYBODY = Reader(locale="en", house="en")


@dataclass(frozen=True, slots=True, kw_only=True)
class Job:
    """A job file that was read: what it says, and where each part of it stands.

    Attributes:
        name: The file's stem.
        path: The file, as the operator would name it (relative to the workspace).
        folder: The workspace's folder.
        reach: Which files it may take.
        file: Its contents.
        positions: Line and column of every part.
        digest: SHA-256 of the file's bytes, hexadecimal.
        tree: The file in plain values, from which it is read for other readers.
        reader: For whom it was read.
    """

    name: str
    path: Path
    folder: Path
    reach: Reach
    file: JobFile
    positions: Positions
    digest: str
    tree: object = field(default=None, repr=False)
    reader: Reader = _ANYBODY

    def read_for(self, locale: str, house: str) -> Job:
        """The same job with the texts that a reader of `locale` gets; `house` is the locale of texts that lack."""
        reader = Reader(locale=locale, house=house)
        return replace(
            self, file=JobFile.model_validate(self.tree, context=reader, by_alias=True, by_name=False), reader=reader
        )

    def with_messages(self, more: Mapping[str, tuple[str, str | None, str | None]]) -> Job:
        """The same job with more messages: name → the one it is like, its subject and its body; None as they are."""
        tree = cast("dict[str, Any]", self.tree)
        messages = dict(tree["messages"])
        for name, (like, subject, body) in more.items():
            found = dict(messages[like]) | ({} if subject is None else {"subject": subject})
            if body is not None:
                found = {part: value for part, value in found.items() if part != "page"} | {"body": body}
            messages[name] = found
        return replace(self, tree={**tree, "messages": messages}).read_for(self.reader.locale, self.reader.house)

    @property
    def lists(self) -> tuple[tuple[str, RecipientList], ...]:
        """Each recipient list with the table of its lines."""
        return tuple((spec.rows or f"gonnet_lines_{index}", spec) for index, spec in enumerate(self.file.recipients))

    def place_of_table(self, name: str) -> tuple[str, str]:
        """Where a data set or an arrival stands in the file."""
        return ("arrivals" if name in self.file.arrivals else "data"), name

    def view_of(self, part: Report | Figure) -> str:
        """The view of the rows that a report or a figure is over."""
        return self.file.split.cuts[part.rows or self.file.split.rows].view

    @property
    def views(self) -> tuple[str, ...]:
        """The views of all rows that are cut, the main one first."""
        return tuple(cut.view for cut in self.file.split.cuts.values())

    @property
    def has_own(self) -> bool:
        """Whether keys have packages of their own: they do unless every list bundles."""
        lists = self.file.recipients
        return not lists or any(spec.bundled is None for spec in lists)

    def place_of_list(self, index: int) -> tuple[str | int, ...]:
        """Where a recipient list stands in the file, whether the job has one or several."""
        return ("recipients", index) if ("recipients", index) in self.positions.values else ("recipients",)

    def at_list(self, index: int, *place: str | int) -> str:
        """The place of a part of a recipient list."""
        return self.at(*self.place_of_list(index), *place)

    def at(self, *place: str | int) -> str:
        """`file:line:column` of a part, such as `at("rules", 0, "when")`."""
        if len(place) > 1 and place[0] == "recipients" and isinstance(place[1], int):
            place = (*self.place_of_list(place[1]), *place[2:])
        line, column = self.positions.of(place)
        return f"{self.positions.file_of(place, self.path.as_posix())}:{line}:{column}"

    def text(self, source: str, *place: str | int) -> Template:
        """A text of this job with the place where it stands."""
        tag = getattr(source, "tag", "")
        return Template(source=source, where=self.at(*place, tag) if tag else self.at(*place))

    def body(self, name: str) -> Template:
        """The body of a message: CommonMark from the job, or HTML from a file.

        Raises:
            JobError: the file cannot be read.
        """
        message = self.file.messages[name]
        if message.page is None:
            return self.text(message.body or "", "messages", name, "body")
        try:
            source = self.reach.file(message.page, self.at("messages", name, "page")).read_text("utf-8")
        except (OSError, UnicodeError) as error:
            why = getattr(error, "strerror", None) or "it is not UTF-8"
            where = self.at("messages", name, "page")
            raise JobError(f"the page {message.page} cannot be read: {why}", where=where, fix="Correct it") from error
        return Template(source=source, where=str(message.page))

    @property
    def message(self) -> tuple[str, Message] | None:
        """Name and text of the message that every recipient gets: `standard`, else the first; None without any."""
        messages = self.file.messages
        if not messages:
            return None
        name = "standard" if "standard" in messages else next(iter(messages))
        return name, messages[name]
