"""Who receives: lists of recipients, what each of them may see, and how what they may see arrives."""

from __future__ import annotations

import re
from collections.abc import Mapping
from decimal import Decimal
from typing import Annotated, Literal

from pydantic import BeforeValidator, Field, model_validator

from gonnet.jobs.sections import Names, Section
from gonnet.jobs.texts import Text
from gonnet.jobs.values import Format, as_tuple, as_tuple_of_one

_OF_ROSTER = {"to": "address", "name": "name", "cc": "copy_to", "language": "language", "way": "way"}
_ALL = "all rows"  # the column of a list of addresses that has the key of all rows
_NAMED = re.compile(r"^(.*?)\s*<[^<>]*>$")


class Roles(Section):
    """Who of a key's contacts is written to, and who is in copy.

    Attributes:
        to: Roles in the order of preference: the first for which there is a usable address.
        cc: Roles that get a copy.
        bcc: Roles that get a copy unseen.
    """

    to: Names = Field(min_length=1)
    cc: Names = ()
    bcc: Names = ()


class Bundle(Section):
    """How everything that one address may see arrives.

    Attributes:
        form: `apart`, the documents of each key; `joined`, all PDFs as one and all workbooks as one, key after key; or
            `whole`, one document over all of their rows, which is usual for a roster.
        order: SQL over what conditions see, by which the keys are put in order; their own order when left out.
        each: Whether there is one for each address, or one for each line of the list; for a roster, each line.
        name: What its files are called, unless they are those of each key; as the package when left out.
        cover: The report, over all of its rows, that is the cover of the joined PDF and the first sheet of the joined
            workbook.
        contents: Whether the joined PDF has a page with contents.
    """

    form: Literal["apart", "joined", "whole"] = Field(default="apart", alias="as")
    order: str | None = None
    each: Literal["address", "line"] | None = None
    name: Text | None = None
    cover: str | None = None
    contents: bool = False

    @model_validator(mode="after")
    def _cover_of_something(self) -> Bundle:
        if self.form != "joined" and (self.cover or self.contents):
            raise ValueError("`cover` and `contents` are for bundles `as: joined`")
        return self


class Settings(Section):
    """What is the same for everybody on a list, unless a rule says otherwise.

    Attributes:
        message: The message that they get.
        format: The format of all of their documents.
        documents: The documents that they get, by name or by report.
        ways: The ways by which these leave, where a line says none; `$NAME` stands for what a parameter says.
        language: The language in which they read, where the list has no column with it.
    """

    message: str | None = None
    format: Format | None = Field(default=None, alias="as")
    documents: Names = ()
    ways: Names = Field(default=(), alias="way")
    language: str | None = None


class RecipientList(Section):
    """Who receives: a line for each contact, matched to the slices by key.

    Attributes:
        rows: The data set with the lines; or
        lines: the lines themselves, for a few; or
        roster: a workbook that people keep, with who belongs to which circle, and what each may see.
        circle: The circle of the roster; the one called as the job when left out.
        sees: The columns of the data by which lines of the roster say what they may see.
        where: SQL over a line: only those for which it holds.
        key: The column with the key, or as many as the split has; or
        keys: the column with all keys that a line may see, separated by `;`, or `*` for every key; or
        group: the column whose value a line shares with all rows that it may see; it has the same name in both.
        everything: Whether `*` is allowed, all rows; in a roster, in all columns.
        to: The column with the address; there need be none where nothing is mailed.
        name: The column with the name of each.
        language: The column with the language of each (`de`, `fr-CH`); the house's where it is empty.
        way: The column with the ways by which a line gets it, separated by `;`; the usual ones where it is empty.
        cc: Columns with addresses that get a copy, or addresses.
        bcc: Columns with addresses, or addresses, that get a copy unseen.
        certificate: The column with the certificate of each, to which messages are encrypted: PEM, or DER in Base64.
        role: The column with the role of each contact.
        roles: Who is written to by role; every line when left out.
        together: Whether all contacts of a key get one message, instead of one each.
        bundle: That an address gets one package of everything it may see, and how.
        settings: What is the same for the whole list.
    """

    rows: str | None = None
    lines: Annotated[tuple[dict[str, str | int | Decimal | None], ...], BeforeValidator(as_tuple)] = ()
    roster: str | None = None
    circle: str | None = None
    sees: Names = ()
    where: str | None = None
    key: Names = ()
    keys: str | None = None
    group: str | None = None
    everything: bool = False
    to: str | None = None
    name: str | None = None
    language: str | None = None
    way: str | None = None
    cc: Names = ()
    bcc: Names = ()
    certificate: str | None = None
    role: str | None = None
    roles: Roles | None = None
    together: bool = False
    bundle: Bundle | None = None
    settings: Settings = Settings()

    @model_validator(mode="after")
    def _one_source_and_roles_with_a_column(self) -> RecipientList:
        if sum((self.rows is not None, bool(self.lines), self.roster is not None)) != 1:
            raise ValueError("a list needs one source: `rows`, a data set; `lines`; or `roster`, a workbook")
        if (self.role is None) != (self.roles is None):
            raise ValueError("`role`, the column, and `roles`, who is written to, go together")
        return self

    @model_validator(mode="after")
    def _one_thing_that_says_what_it_sees(self) -> RecipientList:
        if self.roster is not None:
            self._require_roster()
            return self
        if self.sees or self.circle is not None:
            raise ValueError("`circle` and `sees` are for a `roster`")
        if sum(map(bool, (self.key, self.keys, self.group))) != 1:
            raise ValueError("a list needs one of `key`, `keys` and `group`, the column that says what a line may see")
        if self.everything and self.keys is None:
            raise ValueError("`everything` allows `*` in the column that `keys` names")
        if self.together and self.bundle is not None:
            raise ValueError(
                "a list either bundles by address, or has one message for all contacts of a key: `together`"
            )
        if self.role is not None and not self.key:
            raise ValueError("roles are of the contacts of one key: name its column with `key`")
        if self.settings.language is not None and self.language is not None:
            raise ValueError("the language is either in a column, or the same for the whole list, in `settings`")
        return self

    def _require_roster(self) -> None:
        if any((self.key, self.keys, self.group, self.role, self.together)):
            raise ValueError("in a roster each line says what it may see, by the columns under `sees`")
        if not self.sees and not self.everything:
            raise ValueError("a roster needs `sees`, the columns by which a line may be limited; or `everything: true`")

    @model_validator(mode="before")
    @classmethod
    def _as_rosters_have_it(cls, tree: object) -> object:
        """The columns of a roster have names of their own."""
        if not isinstance(tree, Mapping) or tree.get("roster") is None:
            return tree
        if given := [name for name in _OF_ROSTER if name in tree]:
            raise ValueError(f"`{given[0]}` is a column of the roster itself; leave it out")
        return {**tree, **_OF_ROSTER}

    @property
    def is_fixed(self) -> bool:
        """Whether it was written as addresses alone: they get all rows."""
        return bool(self.lines) and all(line.keys() == {_ALL, "name", "to"} for line in self.lines)

    @property
    def says(self) -> tuple[str, ...]:
        """The columns that say what a line may see."""
        if self.roster is not None:
            return ("gonnet_line",)
        return self.key or tuple(column for column in (self.keys, self.group) if column)

    @property
    def is_by_line(self) -> bool:
        """Whether each of its lines gets a bundle of its own, whatever its address."""
        each = self.bundle.each if self.bundle is not None else None
        return each == "line" if each is not None else self.roster is not None

    @property
    def bundled(self) -> Bundle | None:
        """How what an address of this list may see arrives; None where it gets a package for each key."""
        if self.roster is None:
            return self.bundle or (None if self.key else Bundle())
        own = self.bundle or Bundle()
        return own if "form" in own.model_fields_set else own.model_copy(update={"form": "whole"})


def as_lists(value: object) -> object:
    """One list, or several; or addresses alone, each of which gets the package of all rows."""
    addresses = [value] if isinstance(value, str) else value
    if not isinstance(addresses, list | tuple) or not addresses or not all(isinstance(one, str) for one in addresses):
        return as_tuple_of_one(value)
    lines = [{_ALL: "all", "name": _NAMED.sub(r"\1", one).strip(' "') or one, "to": one} for one in addresses]
    return (RecipientList(lines=tuple(lines), key=(_ALL,), name="name", to="to"),)
