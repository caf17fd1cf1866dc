"""Texts with merge fields: Jinja2, sandboxed, an undefined name an error, values never markup."""

from __future__ import annotations

import datetime as dt
import html
import re
from collections.abc import Callable, Iterator, Mapping
from decimal import Decimal
from urllib.parse import quote, unquote

from jinja2 import StrictUndefined, TemplateSyntaxError, UndefinedError, nodes
from jinja2.environment import Template as CompiledTemplate
from jinja2.exceptions import SecurityError, TemplateError
from jinja2.sandbox import SandboxedEnvironment

from gonnet.errors import DataError, JobError, meant
from gonnet.wording.differing import Differing
from gonnet.wording.filled import BEGIN, END, Filled
from gonnet.wording.formats import House
from gonnet.wording.links import Link, link_of
from gonnet.wording.template import Template

# CommonMark 0.31, section 2.4: any ASCII punctuation may be escaped by a backslash.
_MARKUP = re.compile(r"([!-/:-@\[-`{-~])")
_ESCAPED = re.compile(r"\\([!-/:-@\[-`{-~])")
_NEEDED = (
    "money and number need a number, date needs a date, time needs a time such as run.started; "
    "an empty figure needs coalesce(…, 0)"
)
_BETWEEN_FOLDERS = "\ue012"  # of private use, so that no text has it
_MARKS = ("{{", "{%", "{#", "\r")  # of which a text is changed when it is filled
_SINGLE = re.compile(r"^\s*\{\{((?:(?!\}\}).)*)\}\}\s*$", re.DOTALL)
_BREAKS = re.compile(r"\s*[\r\n\u0085\u2028\u2029]+\s*")


class Wording:
    """Fills templates for one house; keeps compiled ones, so it is made once per run. Several threads may use it."""

    def __init__(self, house: House) -> None:
        self.house = house
        self._known: dict[tuple[int, str], CompiledTemplate] = {}
        self._plain = self._environment(lambda text: text)
        self._markup = self._environment(lambda text: _MARKUP.sub(r"\\\1", text))
        self._html = self._environment(lambda text: html.escape(text, quote=True))
        self._names = self._environment(lambda text: text, plain=self._sortable)
        self._steps = self._environment(lambda text: text, plain=self._sortable)
        self._steps.filters["path"] = _several_folders
        self._files = self._environment(_no_way_out, plain=self._sortable, all_marked=True)
        self._links = self._environment(lambda text: quote(text, safe=""), plain=_for_programs, all_marked=True)
        self._addresses = self._environment(lambda text: text, plain=_for_programs, all_marked=True)

    def check(
        self, template: Template, known: Mapping[str, tuple[str, ...] | None], *, of_folders: bool = False
    ) -> Iterator[JobError]:
        """Yield a mistake for each syntax error and each name or field that `known` does not hold.

        Args:
            template: The text to look at.
            known: Name → its fields, or None where the fields are not known beforehand.
            of_folders: Whether it is the path of folders, in which a value may name several.
        """
        try:
            tree = self._plain.parse(template.source)
        except TemplateSyntaxError as error:
            yield JobError(
                f"this text cannot be read: {error.message}",
                where=template.where,
                fix="Merge fields are written {{ recipient.name }}",
            )
            return
        local = {name.name for name in tree.find_all(nodes.Name) if name.ctx != "load"}
        for name in tree.find_all(nodes.Name):
            if name.ctx == "load" and name.name not in known and name.name not in local:
                yield JobError(
                    f"unknown name '{name.name}' in a text",
                    where=template.where,
                    fix=meant(name.name, sorted(known), noun="name"),
                )
        for access in tree.find_all(nodes.Getattr):
            if not isinstance(access.node, nodes.Name):
                continue
            fields = known.get(access.node.name)
            if fields is not None and access.attr not in fields:
                yield JobError(
                    f"'{access.node.name}' has no field '{access.attr}'",
                    where=template.where,
                    fix=meant(access.attr, fields, noun="field"),
                )
        for used in tree.find_all(nodes.Filter):
            if used.name == "path" and not of_folders:
                yield JobError(
                    "`path` makes folders of a value, and this text names none",
                    where=template.where,
                    fix="Drop it here; it is for `path:` of a folder",
                )
            elif used.name != "path" and used.name not in self._plain.filters:
                yield JobError(
                    f"unknown format '{used.name}' in a text",
                    where=template.where,
                    fix=meant(used.name, ["money", "number", "date", "time"]),
                )

    def fill(self, template: Template, values: Mapping[str, object], *, key: str = "") -> Filled:
        """The text with `values` merged in, as plain text; outer blank lines trimmed.

        Raises:
            DataError: a name is missing or a value cannot be formatted; names the template's place and `key`.
        """
        return self._fill(self._plain, template, values, key)

    def fill_name(self, template: Template, values: Mapping[str, object], *, key: str = "") -> Filled:
        """As `fill`, for the name of a file or a folder: dates are written so that names sort by them."""
        return self._fill(self._names, template, values, key)

    def fill_folders(self, template: Template, values: Mapping[str, object], *, key: str = "") -> list[str]:
        """As `fill_name`, for a folder: one name, or several where a value with `/` is merged by `path` on purpose."""
        return self._fill(self._steps, template, values, key).text.split(_BETWEEN_FOLDERS)

    def fill_pattern(self, template: Template, values: Mapping[str, object], *, key: str = "") -> str:
        """As `fill_name`, for the pattern of files that are there: each merged value stands between BEGIN and END.

        Raises:
            DataError: as `fill`; or a value leads to another folder.
        """
        return self._rendered(self._files, template, values, key)

    def value(self, template: Template, values: Mapping[str, object], *, key: str = "") -> tuple[object, Filled]:
        """The value and what `fill` gives: a text that is one merge field alone has that field's own value.

        Raises:
            DataError: a name is missing or a value cannot be formatted; names the template's place and `key`.
        """
        filled = self.fill(template, values, key=key)
        single = _SINGLE.match(template.source)
        if single is None:
            return filled.text, filled
        value = self._plain.compile_expression(single[1], undefined_to_none=False)(values)
        return (filled.text if isinstance(value, str) else value), filled

    def fill_link(self, template: Template, values: Mapping[str, object], *, key: str = "") -> Link:
        """As `fill`, for a link: no merged value adds a part to the address, unless it is all of it.

        Raises:
            DataError: a name is missing; names the template's place and `key`.
        """
        environment = self._addresses if _SINGLE.match(template.source) else self._links
        filled = self._fill(environment, template, values, key)
        return link_of(filled.text, tuple(map(unquote, filled.numbers)))

    def fill_markup(self, template: Template, values: Mapping[str, object], *, key: str = "") -> Filled:
        """As `fill`, for a CommonMark text: merged values are escaped, so that none of them acts as markup."""
        filled = self._fill(self._markup, template, values, key)
        return filled._replace(rest=_ESCAPED.sub(r"\1", filled.rest))

    def fill_page(self, template: Template, values: Mapping[str, object], *, key: str = "") -> Filled:
        """As `fill`, for an HTML text: merged values are escaped, so that none of them acts as a tag."""
        return self._fill(self._html, template, values, key)

    def _fill(
        self, environment: SandboxedEnvironment, template: Template, values: Mapping[str, object], key: str
    ) -> Filled:
        is_fixed = "{{" not in template.source and "{%" not in template.source
        return Filled.of(self._rendered(environment, template, values, key).strip("\n"), is_fixed=is_fixed)

    def _rendered(
        self, environment: SandboxedEnvironment, template: Template, values: Mapping[str, object], key: str
    ) -> str:
        if not any(sign in template.source for sign in _MARKS):
            return template.source
        about = f"{template.where} for key {key}" if key else template.where
        try:
            return self._compiled(environment, template.source).render(values)
        except DataError as error:
            raise DataError(error.what, where=about, fix=error.fix) from error
        except UndefinedError as error:
            raise DataError(
                f"a merge field has no value: {error.message}", where=about, fix="Correct the name, or the list"
            ) from error
        except (SecurityError, TemplateError) as error:
            raise DataError(f"this text cannot be filled: {error}", where=about, fix="Correct the text") from error
        except (TypeError, ValueError, ArithmeticError) as error:
            raise DataError(
                f"a merge field cannot be formatted: {error}",
                where=about,
                fix=_NEEDED,
            ) from error

    def _compiled(self, environment: SandboxedEnvironment, source: str) -> CompiledTemplate:
        place = id(environment), source
        if place not in self._known:
            found = environment.from_string(source)
            found.globals = dict(found.globals)  # they are copied whenever it is filled, and a chain of maps slowly
            self._known[place] = found
        return self._known[place]

    def _environment(
        self, escaped: Callable[[str], str], plain: Callable[[object], str] | None = None, *, all_marked: bool = False
    ) -> SandboxedEnvironment:
        shown = plain or self.house.plain

        def finalize(value: object) -> str:
            text = _BREAKS.sub(" ", shown(value)) if not isinstance(value, _Figure) else str(value)
            text = text.replace(BEGIN, "").replace(END, "")
            if not isinstance(value, _Folders):
                text = text.replace(_BETWEEN_FOLDERS, "")
            if all_marked or isinstance(value, (_Figure, int, float, Decimal, dt.date)):
                return f"{BEGIN}{escaped(text)}{END}"
            return escaped(text)

        environment = SandboxedEnvironment(
            undefined=StrictUndefined, finalize=finalize, keep_trailing_newline=True, cache_size=400
        )
        environment.filters |= {"money": self._money, "number": self._number, "date": self._date, "time": self._time}
        return environment

    def _money(self, value: object, currency: object = None) -> _Figure:
        for part in (value, currency):
            _require_one(part)
        return _Figure(self.house.money(_number(value), None if currency is None else str(currency).strip() or None))

    def _number(self, value: object, pattern: str = "#,##0.###") -> _Figure:
        return _Figure(self.house.number(_number(value), pattern))

    def _date(self, value: object, pattern: str | None = None) -> _Figure:
        return _Figure(self.house.date(_date(value), pattern))

    def _time(self, value: object, pattern: str | None = None) -> _Figure:
        _require_one(value)
        if not isinstance(value, dt.datetime):
            raise TypeError(f"{_said(value)} has no time of day")
        return _Figure(self.house.time(value, pattern))

    def _sortable(self, value: object) -> str:
        """A value in the name of a file: dates as ISO 8601 has them, times without the sign that names cannot have."""
        if isinstance(value, dt.datetime):
            return f"{value:%Y-%m-%d %H%M}"
        return value.isoformat() if isinstance(value, dt.date) else self.house.plain(value)


def fields_of(template: Template, name: str) -> tuple[str, ...]:
    """The fields of `name` that a text which can be read merges: `row.load_no`, `row['Load no']`."""
    tree = SandboxedEnvironment().parse(template.source)
    found = [access.attr for access in tree.find_all(nodes.Getattr) if _is_of(access.node, name)]
    items = [access.arg for access in tree.find_all(nodes.Getitem) if _is_of(access.node, name)]
    return tuple(dict.fromkeys((*found, *(str(item.value) for item in items if isinstance(item, nodes.Const)))))


def _is_of(node: nodes.Node, name: str) -> bool:
    return isinstance(node, nodes.Name) and node.name == name


def _no_way_out(text: str) -> str:
    """A value in the path of a file, which leads no further up.

    Raises:
        DataError: it does.
    """
    if "\\" in text or ".." in text.split("/"):
        raise DataError(f"'{text}' leads to another folder", fix="Correct the value in the data or in the list")
    return text


def _for_programs(value: object) -> str:
    """A value in a link: as programs write it, whatever the language of the reader."""
    match value:
        case None:
            return ""
        case bool():
            return str(value).lower()
        case Decimal():
            return f"{value:f}"
        case dt.date():
            return value.isoformat()
        case _:
            return str(value)


class _Folders(str):
    """A text that names several folders."""

    __slots__ = ()


def _several_folders(value: object) -> _Folders:
    """A value that names folders, one in the other, separated by `/`."""
    _require_one(value)
    text = "" if value is None else str(value).replace(_BETWEEN_FOLDERS, "")
    return _Folders(text.replace("\\", "/").replace("/", _BETWEEN_FOLDERS))


class _Figure(str):
    """The text of a formatted number or date."""

    __slots__ = ()


def _number(value: object) -> int | float | Decimal:
    _require_one(value)
    if isinstance(value, bool) or not isinstance(value, (int, float, Decimal)):
        raise TypeError(f"{_said(value)} is not a number")
    return value


def _date(value: object) -> dt.date:
    _require_one(value)
    if not isinstance(value, dt.date):
        raise TypeError(f"{_said(value)} is not a date")
    return value


def _require_one(value: object) -> None:
    if isinstance(value, Differing):
        value.refuse()


def _said(value: object) -> str:
    match value:
        case None:
            return "an empty value"
        case bool():
            return "yes or no"
        case str():
            return "a text"
        case int() | float() | Decimal():
            return "a number"
        case dt.date():
            return "a date"
        case _:
            return f"a {type(value).__name__.lower()}"
