"""What a package is made of: documents, enclosures, and how they become files."""

from __future__ import annotations

import codecs
import re
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BeforeValidator, Field, field_validator, model_validator

from gonnet.jobs import secrets
from gonnet.jobs.sections import Name, Section
from gonnet.jobs.texts import Text
from gonnet.jobs.values import OfDocument, as_tuple_of_text


def merged_or_named(value: str) -> str:
    """A password as a file may have it: merged from the recipient's line, or named.

    Raises:
        ValueError: it stands in the file itself.
    """
    if "{{" not in value and not secrets.is_reference(value):
        raise ValueError("a password does not stand in a file: merge one, or write ${NAME} and set NAME")
    return value


class Password(Section):
    """What protects a document.

    Attributes:
        open: A text such as `{{ recipient.pin }}`, or `${NAME}` from the environment; a recipient without one is held.
        change: What allows everything, of a PDF: only `${NAME}`; a password that nobody knows when left out.
        allow_print: Whether those who opened it may print it.
        allow_copy: Whether they may copy from it.
    """

    open: str
    change: str | None = Field(default=None, repr=False)
    allow_print: bool = Field(default=True, alias="print")
    allow_copy: bool = Field(default=True, alias="copy")

    @field_validator("change")
    @classmethod
    def _never_in_the_file(cls, value: str | None) -> str | None:
        return secrets.required(value)

    @field_validator("open")
    @classmethod
    def _not_the_same_for_all_in_the_file(cls, value: str) -> str:
        return merged_or_named(value)


class DocumentSpec(Section):
    """One document of a package: a report in a format.

    Attributes:
        report: The report that it shows, by name; or
        arrival: the arrival, by name, of which it is the part of a key.
        format: The format of its file: when left out, `pdf` for a report, and for an arrival what it is; `file` stands
            for files as they are.
        name: What rules call it; its report's name will do too.
        optional: Whether it is only in packages to which a rule adds it.
        file: What its file is called, without ending; as the package when left out.
        delimiter: What stands between the values of a CSV file; as the language of the house has it when left out.
        decimal: The decimal sign of a CSV file; as the language of the house has it when left out.
        quoting: Whether a CSV file quotes what it must (`needed`), or everything (`all`).
        encoding: The encoding of a CSV file; `utf-8-sig` is UTF-8 with a mark by which spreadsheets know it.
        dates: How a CSV file writes dates: `iso`, for programs, or as they are `shown` to the reader.
        password: What protects it.
        sign: Whose signature a PDF gets: the name of one under `smime: signers` in gonnet.yaml.
        attach: Whether it goes with messages; else it is only printed, or put into folders, to which messages may link.
    """

    report: str | None = None
    arrival: Name | None = None
    format: OfDocument = Field(default="pdf", alias="as")
    name: Name | None = None
    optional: bool = False
    file: Text | None = None
    delimiter: Literal[",", ";", "\t", "|"] | None = None
    decimal: Literal[".", ","] | None = None
    quoting: Literal["needed", "all"] | None = None
    encoding: str | None = None
    dates: Literal["iso", "shown"] | None = None
    password: Password | None = None
    sign: Name | None = None
    attach: bool = True

    @model_validator(mode="after")
    def _one_source(self) -> DocumentSpec:
        if (self.report is None) == (self.arrival is None):
            raise ValueError("a document shows either a `report`, or the part of a key of an `arrival`")
        if self.report is not None and self.format == "file":
            raise ValueError("only what came from elsewhere is a `file`: choose pdf, xlsx, html, csv, txt, docx or ods")
        return self

    @model_validator(mode="after")
    def _csv_alone_has_them(self) -> DocumentSpec:
        given = [
            name for name in ("delimiter", "decimal", "quoting", "encoding", "dates") if getattr(self, name) is not None
        ]
        if given and self.format != "csv":
            raise ValueError(f"`{given[0]}` is for documents `as: csv`")
        if self.delimiter == self.decimal == ",":
            raise ValueError("the delimiter and the decimal sign must differ")
        if self.password and self.format not in ("pdf", "xlsx"):
            raise ValueError(f"a document `as: {self.format}` cannot have a password")
        if self.sign and self.format != "pdf":
            raise ValueError("only a PDF is signed: `as: pdf`")
        if self.password and self.password.change and self.format != "pdf":
            raise ValueError("only a PDF has a password to change it")
        try:
            codecs.lookup(self.encoding or "utf-8")
        except LookupError as error:
            raise ValueError(f"'{self.encoding}' is not an encoding") from error
        return self

    @property
    def called(self) -> set[str]:
        """What rules may call it."""
        return {self.shows} | ({self.name} if self.name else set())

    @property
    def shows(self) -> str:
        """The report or the arrival, by name."""
        return self.report or self.arrival or ""


Count = Literal["at least one", "exactly one", "any number"]
"""How many files of its own a recipient must have."""


class Enclosure(Section):
    """A file that goes with packages: the same one with all of them, or each recipient's own.

    Attributes:
        file: A file of the workspace; with merge fields, such as `post/{{ key }} *.pdf`, each recipient's own, where
            `*` and `?` stand for any signs.
        name: What rules call it; the file's name without ending when left out.
        optional: Whether it is only in packages to which a rule adds it.
        how_many: How many files of its own a recipient must have, else the package is held: `at least one`, which is
            usual, `exactly one`, or `any number`, which may be none.
    """

    file: Text
    name: Name | None = None
    optional: bool = False
    how_many: Count | None = None

    @model_validator(mode="after")
    def _counts_own_files(self) -> Enclosure:
        if not self.is_own and self.how_many is not None:
            raise ValueError("`how_many` is for files of each recipient, such as `post/{{ key }}.pdf`")
        plain, merged = _FIELD.sub("", self.file), " ".join(_FIELD.findall(self.file))
        folder, _, name = plain.rpartition("/")
        if self.is_own and re.search(r"[*?]", folder):
            raise ValueError("`*` and `?` stand for signs in the name of a file, not in that of a folder")
        if self.is_own and re.search(r"[*?]", name) and not re.search(r"\b(key|recipient)\b", merged):
            raise ValueError("this names the files of all: merge `key`, or a column of `recipient`")
        return self

    @property
    def is_own(self) -> bool:
        """Whether each recipient gets files of their own."""
        return "{{" in self.file or "{%" in self.file

    @property
    def called(self) -> set[str]:
        """What rules may call it."""
        return {self.name or Path(self.file).stem}


def _as_enclosures(value: object) -> object:
    if not isinstance(value, list):
        return value
    keys = {"file", "name", "optional", "how_many"}
    return tuple(part if isinstance(part, dict) and part.keys() & keys else {"file": part} for part in value)


_FIELD = re.compile(r"\{\{.*?\}\}|\{%.*?%\}", re.DOTALL)
_Joined = Literal["pdf", "xlsx"]


class JoinSpec(Section):
    """How documents of the same format become one file.

    Attributes:
        formats: Which are joined: PDFs one after the other, workbooks sheet by sheet.
        contents: Whether the PDF has a page with contents.
        cover: The report that is the cover of the PDF and the first sheet of the workbook.
    """

    formats: Annotated[
        tuple[_Joined, ...], BeforeValidator(as_tuple_of_text, json_schema_input_type=_Joined | tuple[_Joined, ...])
    ] = Field(default=("pdf", "xlsx"), alias="as", min_length=1)
    contents: bool = False
    cover: str | None = None


class ZipSpec(Section):
    """That all files of a package go as one zip.

    Attributes:
        password: What opens it (AES-256): a text such as `{{ recipient.pin }}`, or `${NAME}` from the environment.
    """

    password: str | None = None

    @field_validator("password")
    @classmethod
    def _not_the_same_for_all_in_the_file(cls, value: str | None) -> str | None:
        return value if value is None else merged_or_named(value)


def _as_zip(value: object) -> object:
    return {} if value is True else None if value is False else value


_UNITS = {"kb": 1000, "mb": 1000**2, "kib": 1024, "mib": 1024**2}


_SIZE = Annotated[str, Field(pattern=r"^\s*\d+(\.\d+)?\s*[kKmM]i?[bB]\s*$")]


def _as_bytes(value: object) -> object:
    found = re.fullmatch(r"\s*(\d+(?:\.\d+)?)\s*([kKmM]i?[bB])\s*", value) if isinstance(value, str) else None
    if found is None:
        raise ValueError(f"'{value}' is not a size; write one such as 10 MB")
    return int(float(found[1]) * _UNITS[found[2].lower()])


class Limit(Section):
    """How large a message may be.

    Attributes:
        size: Bytes, as the message travels.
        over: What becomes of a larger one: it is held, its files are put into a zip, go in several messages, or are
            linked to in the folder that they are put into.
    """

    size: Annotated[int, BeforeValidator(_as_bytes, json_schema_input_type=_SIZE), Field(ge=1000)]
    over: Literal["hold", "zip", "split", "link"] = "hold"


class PackageSpec(Section):
    """What a recipient is to get, and what the files are called.

    Attributes:
        join: That documents of one format become one file, and how.
        zip: That all files go as one zip.
        limit: How large a message may be, and what becomes of a larger one.
        enclose: Files that go with packages.
        documents: The documents; none where the message says it all.
        name: What the files are called; it may be left out where there are none.
    """

    join: JoinSpec | None = None
    zip: Annotated[ZipSpec | None, BeforeValidator(_as_zip, json_schema_input_type=bool | ZipSpec | None)] = None
    limit: Limit | None = None
    enclose: Annotated[
        tuple[Enclosure, ...], BeforeValidator(_as_enclosures, json_schema_input_type=tuple[Text | Enclosure, ...])
    ] = ()
    documents: tuple[DocumentSpec, ...]
    name: Text = "{{ key }}"

    @field_validator("documents", mode="before")
    @classmethod
    def _documents_as_tuple(cls, value: object) -> object:
        return tuple(value) if isinstance(value, list) else value
