"""Charts of a workbook: native ones, over values that stand beside them on the sheet."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from typing import Any

from gonnet.reports.layout.charts import LIGHTER, ChartLayout
from gonnet.reports.workbook.cells import xml_safe

_KINDS: dict[str, dict[str, str]] = {
    "bars": {"type": "column"},
    "stacked": {"type": "column", "subtype": "stacked"},
    "lines": {"type": "line"},
    "shares": {"type": "bar"},
}
_DASHES = ("solid", "dash", "round_dot", "dash_dot", "long_dash", "square_dot")

Column = tuple[str, tuple[Decimal | None, ...], bool]
"""A series: its label, its values, and whether it is a line whatever the kind of the chart."""


def columns_of(chart: ChartLayout) -> list[Column]:
    """The series of a chart, the lines straight across among them."""
    straight = [(label, (value,) * len(chart.places), True) for label, value, _ in chart.lines]
    return [*((series.label, series.values, series.of_run) for series in chart.series), *straight]


def add_chart(workbook: Any, sheet: Any, chart: ChartLayout, first: int, accent: str, at: int) -> None:  # noqa: ANN401
    """Put a chart on a sheet.

    Args:
        workbook: The XlsxWriter workbook.
        sheet: The sheet.
        chart: The chart; its values stand on the sheet, places first, below a line of labels.
        first: The row of these labels.
        accent: The colour of the first series.
        at: The row where the chart begins.
    """
    found = columns_of(chart)
    main = _drawn(workbook, sheet, chart, found, first, accent, lines=chart.kind == "lines")
    if chart.kind != "lines" and any(is_line for _, _, is_line in found):
        main.combine(_drawn(workbook, sheet, chart, found, first, accent, lines=True))
    quiet = {"color": "#5c6663", "size": 8}
    over: dict[str, object] = {"num_font": quiet}
    values: dict[str, object] = {
        "num_format": chart.pattern,
        "name": xml_safe(chart.unit),
        "name_font": quiet,
        "num_font": quiet,
    }
    values |= {"major_gridlines": {"visible": True, "line": {"color": "#d5dbd8"}}, "line": {"none": True}}
    if chart.ticks[0][0] >= 0:
        values["min"] = 0
    values["major_unit"] = float(chart.ticks[1][0] - chart.ticks[0][0])  # else small counts would have halves
    if chart.kind == "shares":  # of lying bars, XlsxWriter calls the axis of the values x
        main.set_x_axis(values)
        main.set_y_axis(over | {"reverse": True})
    else:
        main.set_x_axis(over)
        main.set_y_axis(values)
    main.set_legend({"position": "top"} if len(found) > 1 else {"none": True})
    main.set_title({"none": True})
    main.set_size({"width": 640, "height": round(chart.height / 0.75)})
    sheet.insert_chart(at, 0, main, {"description": xml_safe(chart.alt)})


def _drawn(
    workbook: Any,  # noqa: ANN401
    sheet: Any,  # noqa: ANN401
    chart: ChartLayout,
    found: Sequence[Column],
    first: int,
    accent: str,
    *,
    lines: bool,
) -> Any:  # noqa: ANN401
    """The series that are lines, or those that are not, as one XlsxWriter chart."""
    native = workbook.add_chart({"type": "line"} if lines else _KINDS[chart.kind])
    last, name = first + len(chart.places), sheet.get_name()
    for number, (_, _, is_line) in enumerate(found):
        if lines != (is_line or chart.kind == "lines"):
            continue
        look: dict[str, object] = {"fill": {"color": _mixed(accent, number)}, "border": {"color": accent}, "gap": 40}
        if lines:
            look = {"line": {"color": _mixed(accent, 0), "width": 1.5, "dash_type": _DASHES[number % len(_DASHES)]}}
        native.add_series(
            {
                "name": [name, first, number + 1],
                "categories": [name, first + 1, 0, last, 0],
                "values": [name, first + 1, number + 1, last, number + 1],
                **look,
            }
        )
    return native


def _mixed(accent: str, number: int) -> str:
    part = LIGHTER[number % len(LIGHTER)]
    values = (int(accent[at : at + 2], 16) for at in (1, 3, 5))
    return "#" + "".join(f"{round(value + (255 - value) * part):02x}" for value in values)
