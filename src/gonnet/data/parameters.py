"""Parameters: what may be asked for at run time, and the values that templates and SQL see."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation

from gonnet.data.periods import FORMS, Period, Periods
from gonnet.errors import ParameterError, meant
from gonnet.given import Repeated
from gonnet.jobs.sources import Parameter

EVERY = ("\ue000all",)
"""The value of a parameter of which every choice is wanted, until it is known which there are."""

_ALL = "all"
_TRUTHS = {"yes": True, "true": True, "1": True, "no": False, "false": False, "0": False}


@dataclass(frozen=True, slots=True, kw_only=True)
class Values:
    """The parameters of one run.

    Attributes:
        given: Name → value as templates see it: text, number, date, yes/no, `Period`, or a tuple of texts.
        as_of: The date the run is made for.
    """

    given: Mapping[str, object]
    as_of: dt.date

    def bound(self) -> dict[str, object]:
        """Name → value as SQL sees it: a `period` is `$period_start` and `$period_end`; there is always `$as_of`."""
        found: dict[str, object] = {"as_of": self.as_of}
        for name, value in self.given.items():
            if isinstance(value, Period):
                found |= {f"{name}_start": value.start, f"{name}_end": value.end}
            elif value != EVERY:
                found[name] = list(value) if isinstance(value, tuple) else value
        return found

    def said_by(self, periods: Periods) -> Values:
        """The same values, with periods called as `periods` calls them."""
        named = {
            name: periods.period(value.id, "day", self.as_of) if isinstance(value, Period) else value
            for name, value in self.given.items()
        }
        return Values(given=named, as_of=self.as_of)

    def recorded(self) -> dict[str, str]:
        """Name → text, for the ledger."""
        return {name: _recorded(value) for name, value in self.given.items()}


def _recorded(value: object) -> str:
    match value:
        case Period():
            return value.id
        case tuple():
            return ", ".join(map(str, value))
        case bool():
            return "yes" if value else "no"
        case _:
            return str(value)


def resolve(declared: Mapping[str, Parameter], asked: Mapping[str, str], as_of: dt.date, periods: Periods) -> Values:
    """Give every declared parameter its value: what was asked for, else its default.

    Args:
        declared: The job's parameters.
        asked: Name → text, as given with `--set`.
        as_of: The date of the run.
        periods: How periods are counted and called.

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
        raw: object = asked.get(name, parameter.default)
        if raw is None:
            fix = f"Say `--set {name}=…` ({form_of(parameter)}), or give it a default in the job"
            raise ParameterError(f"parameter '{name}' has no value", fix=fix)
        found[name] = value_of(name, parameter, raw, as_of, periods)
    return Values(given=found, as_of=as_of)


def form_of(parameter: Parameter) -> str:
    """How a value of the parameter is written."""
    match parameter.kind:
        case "text":
            return "a text"
        case "number":
            return "a number such as 12.5"
        case "date":
            return "a date such as 2026-10-31"
        case "yes/no":
            return "yes or no"
        case "choice":
            some = "one or several, separated by commas, or all, of" if parameter.several else "one of"
            given = parameter.of
            return (
                f"{some}: {', '.join(given)}" if isinstance(given, tuple) else f"{some} {given.column} in {given.rows}"
            )
        case span:
            return f"a {span} such as {FORMS[span]}, current, previous, next, last 30 days, or two dates with / between"


def value_of(name: str, parameter: Parameter, raw: object, as_of: dt.date, periods: Periods) -> object:
    """The value that a text, or a default, means.

    Raises:
        ParameterError: it is of the wrong kind, not among the choices, or given twice where one is wanted.
    """
    if isinstance(raw, Repeated) and not parameter.several:
        first, second, *_ = raw.parts
        fix = "Give it once" + ("; `several: true` in the job allows more" if parameter.kind == "choice" else "")
        what = f"parameter '{name}' is given twice: '{first}' and '{second}'"
        raise ParameterError(what, where="--set", fix=fix)
    try:
        match parameter.kind:
            case "text":
                return str(raw)
            case "number":
                return Decimal(str(raw))
            case "date":
                return raw if isinstance(raw, dt.date) else dt.date.fromisoformat(str(raw))
            case "yes/no":
                return raw if isinstance(raw, bool) else _TRUTHS[str(raw).casefold()]
            case "choice":
                return _chosen(name, parameter, raw)
            case span:
                return periods.period(str(raw), span, as_of)
    except (ValueError, KeyError, InvalidOperation) as error:
        fix = f"Write {form_of(parameter)}"
        raise ParameterError(f"'{raw}' is not a value for parameter '{name}'", fix=fix) from error


def _chosen(name: str, parameter: Parameter, raw: object) -> object:
    wanted = _parts(raw) if parameter.several else (str(raw),)
    known = parameter.of if isinstance(parameter.of, tuple) else None
    if parameter.several and wanted == (_ALL,) and _ALL not in (known or ()):
        return EVERY if known is None else known
    if known is not None:
        require_choices(name, wanted, known)
    return wanted if parameter.several else wanted[0]


def _parts(raw: object) -> tuple[str, ...]:
    """Several choices: a list, one after another, or separated by commas."""
    if isinstance(raw, tuple):
        return tuple(map(str, raw))
    parts = raw.parts if isinstance(raw, Repeated) else str(raw).split(",")
    return tuple(dict.fromkeys(part.strip() for part in parts))


def require_choices(name: str, wanted: Sequence[str], known: Sequence[str]) -> None:
    """Refuse a value of the parameter `name` that is not among the choices.

    Raises:
        ParameterError: names the value and the nearest choice.
    """
    for choice in wanted:
        if choice not in known:
            fix = meant(choice, known, noun="choice")
            raise ParameterError(f"'{choice}' is not a choice of parameter '{name}'", fix=fix)
