"""Small functions for what SQL says badly; `docs/sql.md` documents them one by one.

They exist in every SQL that runs in the engine: data sets over data sets, figures, conditions.
"""

from __future__ import annotations

MACROS = {
    # Whole days from a date to another, negative when it lies behind it.
    "age_in_days(since, until)": "date_diff('day', cast(since as date), cast(until as date))",
    # The first day in a period that is an anniversary of a date; 29 February counts as 28 February in other years.
    # NULL where the period holds none, and before the date itself.
    "anniversary_in(born, first_day, last_day)": """
      list_min(list_filter(
        list_transform(
          range(year(cast(first_day as date)), year(cast(last_day as date)) + 1),
          lambda y: cast(cast(born as date) + to_years(cast(y - year(cast(born as date)) as integer)) as date)),
        lambda d: d between cast(first_day as date) and cast(last_day as date) and d > cast(born as date)))""",
    # Which interval a number lies in: edges [30, 60] make bands 0 (up to 30), 1 (above 30 up to 60) and 2 (above 60).
    "band_of(amount, edges)": """
      case when amount is null then null else len(list_filter(edges, lambda e: amount > e)) end""",
    # The name of that interval: `up to 30`, `30 to 60`, `over 60`.
    "band_name(amount, edges)": """
      case when amount is null then null
        when amount > list_max(edges) then 'over ' || list_max(edges)
        when amount <= edges[1] then 'up to ' || edges[1]
        else edges[len(list_filter(edges, lambda e: amount > e))] || ' to '
          || edges[len(list_filter(edges, lambda e: amount > e)) + 1] end""",
    # A quotient that is NULL, not infinite and no error, where the divisor is 0 or missing.
    "safe_div(amount, divisor)": "case when divisor = 0 then null else amount / divisor end",
}
