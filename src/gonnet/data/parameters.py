"""Parameters: what may be asked for at run time, and the values that templates and SQL see."""

from __future__ import annotations

import calendar
import datetime as dt
import re
from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation

from babel import dates

from gonnet.errors import ParameterError, meant
from gonnet.jobs.models import Parameter

_MONTH = re.compile(r"^(\d{4})-(0[1-9]|1[0-2])$")


@dataclass(frozen=True, slots=True, kw_only=True)
class Month:
    """A calendar month (ISO 8601 `2026-10`); both ends belong to it.

    Attributes:
        id: `2026-10`.
        label: The month in the house's language, `October 2026`.
        start: Its first day.
        end: Its last day.
    """

    id: str
    label: str
    start: dt.date
    end: dt.date

    def __str__(self) -> str:
        return self.label


@dataclass(frozen=True, slots=True, kw_only=True)
class Values:
    """The parameters of one run.

    Attributes:
        given: Name → value as templates see it: text, number, date or `Month`.
        as_of: The date the run is made for.
    """

    given: Mapping[str, object]
    as_of: dt.date

    def bound(self) -> dict[str, object]:
        """Name → value as SQL sees it: a month `period` is `$period_start`, `$period_end`; always `$as_of`."""
        found: dict[str, object] = {"as_of": self.as_of}
        for name, value in self.given.items():
            if isinstance(value, Month):
                found |= {f"{name}_start": value.start, f"{name}_end": value.end}
            else:
                found[name] = value
        return found

    def recorded(self) -> dict[str, str]:
        """Name → text, for the ledger."""
        return {name: value.id if isinstance(value, Month) else str(value) for name, value in self.given.items()}


def resolve(declared: Mapping[str, Parameter], asked: Mapping[str, str], as_of: dt.date, locale: str) -> Values:
    """Give every declared parameter its value: what was asked for, else its default.

    Raises:
        ParameterError: a name is unknown, a value is of the wrong kind, or a value is missing.
    """
    for name in asked:
        if name not in declared:
            raise ParameterError(
                f"this job has no parameter '{name}'",
                where="--set",
                fix=meant(name, sorted(declared), noun="parameter"),
            )
    found: dict[str, object] = {}
    for name, parameter in declared.items():
        raw = asked.get(name, parameter.default)
        if raw is None:
            raise ParameterError(
                f"parameter '{name}' has no value", fix=f"Say `--set {name}=…` or give it a default in the job"
            )
        found[name] = _value(name, parameter, raw, as_of, locale)
    return Values(given=found, as_of=as_of)


def _value(name: str, parameter: Parameter, raw: object, as_of: dt.date, locale: str) -> object:
    try:
        match parameter.kind:
            case "text":
                return str(raw)
            case "number":
                return Decimal(str(raw))
            case "date":
                return raw if isinstance(raw, dt.date) else dt.date.fromisoformat(str(raw))
            case "month":
                return month(str(raw), as_of, locale)
    except (ValueError, InvalidOperation) as error:
        form = {"number": "a number such as 12.5", "date": "a date such as 2026-10-31"}.get(
            parameter.kind, "a month such as 2026-10, or current, previous, next"
        )
        raise ParameterError(f"'{raw}' is not a value for parameter '{name}'", fix=f"Write {form}") from error


def month(text: str, as_of: dt.date, locale: str = "en") -> Month:
    """The month that `text` names: `2026-10`, or `current`, `previous`, `next` as seen from `as_of`.

    Raises:
        ValueError: `text` is none of these.
    """
    shift = {"current": 0, "previous": -1, "next": 1}.get(text)
    if shift is not None:
        year, index = divmod(as_of.year * 12 + as_of.month - 1 + shift, 12)
    elif found := _MONTH.match(text):
        year, index = int(found[1]), int(found[2]) - 1
    else:
        raise ValueError(text)
    start = dt.date(year, index + 1, 1)
    end = start.replace(day=calendar.monthrange(year, index + 1)[1])
    label = dates.format_skeleton("yMMMM", start, locale=locale)
    return Month(id=f"{year:04d}-{index + 1:02d}", label=label, start=start, end=end)
