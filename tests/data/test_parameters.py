"""Parameters have the value that was asked for, or a sentence that says why not."""

from __future__ import annotations

import datetime as dt
from decimal import Decimal

import pytest

from gonnet.data import resolve
from gonnet.data.parameters import month
from gonnet.errors import ParameterError
from gonnet.jobs.models import Parameter

AS_OF = dt.date(2027, 1, 15)


@pytest.mark.parametrize(
    ("text", "id_", "start", "end"),
    [
        ("2026-02", "2026-02", "2026-02-01", "2026-02-28"),
        ("2028-02", "2028-02", "2028-02-01", "2028-02-29"),
        ("current", "2027-01", "2027-01-01", "2027-01-31"),
        ("previous", "2026-12", "2026-12-01", "2026-12-31"),
        ("next", "2027-02", "2027-02-01", "2027-02-28"),
    ],
)
def test_a_month_has_both_its_ends(text: str, id_: str, start: str, end: str) -> None:
    found = month(text, AS_OF)
    assert (found.id, str(found.start), str(found.end)) == (id_, start, end)


def test_a_month_is_called_as_the_house_calls_it() -> None:
    assert month("2026-10", AS_OF, "de_AT").label == "Oktober 2026"


def test_what_is_asked_for_stands_above_the_default() -> None:
    declared = {
        "period": Parameter(kind="month", default="previous"),
        "limit": Parameter(kind="number", default=3),
        "day": Parameter(kind="date", default="2026-10-31"),
    }
    values = resolve(declared, {"period": "2026-10", "limit": "2.5"}, AS_OF, "en")
    assert values.recorded() == {"period": "2026-10", "limit": "2.5", "day": "2026-10-31"}
    assert values.bound() == {
        "as_of": AS_OF,
        "period_start": dt.date(2026, 10, 1),
        "period_end": dt.date(2026, 10, 31),
        "limit": Decimal("2.5"),
        "day": dt.date(2026, 10, 31),
    }


@pytest.mark.parametrize(
    ("asked", "says"),
    [
        ({"perod": "2026-10"}, "no parameter 'perod'. Did you mean 'period'"),
        ({"period": "October"}, "'October' is not a value for parameter 'period'. Write a month such as 2026-10"),
        ({"period": "2026-13"}, "'2026-13' is not a value"),
        ({}, "parameter 'limit' has no value"),
    ],
)
def test_a_value_that_cannot_be_used_is_refused_in_words(asked: dict[str, str], says: str) -> None:
    declared = {"period": Parameter(kind="month", default="previous"), "limit": Parameter(kind="number")}
    with pytest.raises(ParameterError) as caught:
        resolve(declared, asked, AS_OF, "en")
    assert says in str(caught.value)
