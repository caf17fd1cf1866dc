"""A question for each key must show that it gives only rows of that key; or its rows are compared."""

from __future__ import annotations

import pytest

from gonnet.data.sql.limits import is_limited_to


@pytest.mark.parametrize(
    ("sql", "is_limited"),
    [
        ("select * from milk where farm_no = $key", True),
        ("select * from milk where $key = trim(farm_no) and litres > 1", True),
        ("select * from milk m join farms f on f.no = m.no where m.no = cast($key as integer)", True),
        ("select * from milk where farm_no = $key::int", True),
        ("with mine as (select * from milk where no = $key) select * from mine", True),
        ("select * from (select * from milk where no = $key) m left join prices p on p.id = m.price", True),
        ("select * from milk where no = $key union all select * from dues where no = $key", True),
        ("select *, (select max(day) from milk) from milk where no = $key", True),
        ("select $key", True),
        ("select * from milk", False),
        ("select *, $key from milk", False),
        ("select * from milk where no <= $key", False),
        ("select * from milk where no = $key or litres > 1", False),
        ("select * from milk where not no = $key", False),
        ("select * from milk where no like $key", False),
        ("select * from milk where left(no, 1) = left($key, 1)", False),
        ("select * from milk where upper(no) = $key", False),
        ("select * from milk where cast(no as integer) = cast($key as integer)", False),
        ("select * from milk where no = '$key'", False),
        ("select * from milk -- where no = $key", False),
        ("select * from milk where no = $key union all select * from dues", False),
        ("with mine as (select * from milk where no = $key) select * from milk", False),
        ("select * from milk left join (select * from farms where no = $key) f on f.no = milk.no", False),
        ("select * from (select * from farms where no = $key) f, milk", False),
        ("select top 5 * from milk where no = $key", False),  # not to be read: the key must come back
    ],
)
def test_an_equality_that_nothing_goes_round(sql: str, is_limited: bool) -> None:
    assert is_limited_to(sql, "key") is is_limited
