"""Working days: Monday to Friday, but for the public holidays of a country."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable

from gonnet.errors import JobError


def working_days(place: str | None, where: str = "gonnet.yaml, holidays") -> Callable[[dt.date], bool]:
    """Whether a date is a working day.

    Args:
        place: A country (ISO 3166-1), with or without a part of it (ISO 3166-2), such as `IE` or `GB-SCT`; None for no
            holidays.
        where: What to name in an error.

    Raises:
        JobError: the place is not known, or what knows holidays is not installed.
    """
    is_holiday = public_holidays(place, where)
    return lambda day: day.isoweekday() < 6 and not is_holiday(day)


def public_holidays(place: str | None, where: str = "gonnet.yaml, holidays") -> Callable[[dt.date], bool]:
    """Whether a date is a public holiday; see `working_days`.

    Raises:
        JobError: as for `working_days`.
    """
    if place is None:
        return lambda _day: False
    try:
        from holidays import country_holidays
    except ModuleNotFoundError as error:
        fix = "pip install 'gonnet[holidays]'"
        raise JobError("the library of public holidays is not installed", where=where, fix=fix) from error
    country, _, part = place.partition("-")
    try:
        known = country_holidays(country.upper(), subdiv=part or None)
    except NotImplementedError as error:
        raise JobError(
            f"the public holidays of '{place}' are not known", where=where, fix="Write a country such as IE or GB-SCT"
        ) from error
    return lambda day: day in known
