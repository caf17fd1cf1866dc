"""Charts: what is laid out, what is drawn of it, and what a workbook's chart refers to."""

from __future__ import annotations

import io
import itertools
import re
import zipfile
from decimal import Decimal
from typing import Any

import pytest

from gonnet.pipeline.check import check
from gonnet.pipeline.survey import Request
from gonnet.reports import draw
from gonnet.reports.chart_drawing import ChartDrawing
from gonnet.reports.fonts import family
from gonnet.reports.html import SvgPen
from gonnet.reports.layout.charts import ChartLayout
from gonnet.reports.layout.models import Layout
from opened import HEAD, laid
from read_aloud import heard
from support import AS_OF, Dairy

TEXT_BLOCK = '      - text: "Collected in October."\n'
ROWS = [("01", 300, "30.00", "north"), ("01", 100, "10.00", "south"), ("02", 200, "", "north"), ("04", -50, "5.00", "")]


def charted(dairy: Dairy, options: str) -> tuple[ChartLayout, Layout, Any]:
    """The chart of farm 117 with these options, its layout and its look."""
    lines = [f"117,2026-10-{day},{litres},{amount},{remark}\n" for day, litres, amount, remark in ROWS]
    dairy.write("milk.csv", HEAD + "".join(lines))
    chart = f"      - chart: {{over: day, over_format: d MMM, alt: Litres of each day, {options}}}\n"
    layout, look = laid(dairy, "117", (TEXT_BLOCK, chart))
    return next(block for block in layout.blocks if isinstance(block, ChartLayout)), layout, look


def svg(chart: ChartLayout, accent: str = "#2f5d50") -> str:
    drawing = ChartDrawing(chart, family(), accent, 400)
    pen = SvgPen(drawing.height)
    drawing.draw(pen)
    return "".join(pen.parts)


@pytest.mark.parametrize(
    ("options", "series"),
    [
        ("kind: bars, series: {value: litres}", {"Litres": ("400", "200", "-50")}),
        ("kind: bars, series: {value: litres, show: count, label: Rounds}", {"Rounds": ("2", "1", "1")}),
        ("kind: lines, series: {value: litres, show: max}", {"Litres": ("300", "200", "-50")}),
        ("kind: lines, series: {value: amount, show: average}, format: '0.0'", {"Amount": ("20.0", "", "5.0")}),
        (
            "kind: stacked, series: {value: litres}, by: remark",
            {"north": ("300", "200", ""), "south": ("100", "", ""), "–": ("", "", "-50")},
        ),
        (
            "kind: bars, series: [{value: litres, show: min}, {value: amount, label: Paid}]",
            {"Litres": ("100", "200", "-50"), "Paid": ("40", "0", "5")},
        ),
    ],
)
def test_series_are_aggregates_of_the_slices_rows(
    dairy: Dairy, options: str, series: dict[str, tuple[str, ...]]
) -> None:
    chart, _, _ = charted(dairy, options)
    assert chart.places == ("1 Oct", "2 Oct", "4 Oct")
    assert {part.label: part.texts for part in chart.series} == series


def test_a_chart_of_shares_begins_with_the_largest_and_its_shares_are_of_the_whole(dairy: Dairy) -> None:
    chart, _, _ = charted(dairy, "kind: shares, series: {value: amount}, format: '0.00'")
    assert chart.places == ("1 Oct", "4 Oct", "2 Oct")
    assert chart.series[0].texts == ("40.00 (88.9\u00a0%)", "5.00 (11.1\u00a0%)", "0.00 (0.0\u00a0%)")


def test_more_shares_than_fit_a_page_are_one_bar_and_nothing_is_lost(dairy: Dairy) -> None:
    lines = [f"117,2026-10-01,{n},1.00,remark {n}\n" for n in range(1, 91)]
    dairy.write("milk.csv", HEAD + "".join(lines))
    chart = "      - chart: {title: Shares, kind: shares, over: remark, series: {value: litres}, alt: x}\n"
    layout, look = laid(
        dairy, "117", (TEXT_BLOCK, chart), ("    blocks:", "    paper: A5\n    landscape: true\n    blocks:")
    )
    found = next(block for block in layout.blocks if isinstance(block, ChartLayout))
    assert (len(found.places), found.places[-1]) == (20, "…")
    assert sum(value for value in found.series[0].values if value is not None) == sum(range(1, 91))
    assert draw(layout, "pdf", look).pages


def test_lines_straight_across_are_drawn_and_named(dairy: Dairy) -> None:
    options = "kind: bars, series: {value: litres}, target: 250, target_label: Wanted, average: true"
    chart, _, _ = charted(dairy, options)
    assert chart.lines == (("Wanted", Decimal(250), "250"), ("Average", Decimal(183), "183"))
    drawn = svg(chart)
    assert "Wanted: 250" in drawn
    assert "Average: 183" in drawn
    dashes = re.findall(r'stroke-dasharray="([^"]+)"', drawn)
    assert len(set(dashes)) == 2


@pytest.mark.parametrize("accent", ["#2f5d50", "#f5c400", "#000000"])
def test_every_line_can_be_seen_well_and_told_from_the_others(dairy: Dairy, accent: str) -> None:
    """Three to one against white paper (WCAG 2.1, 1.4.11), whatever the accent."""
    shown = ", ".join(f"{{value: litres, show: {how}}}" for how in ("min", "max", "sum", "average"))
    drawn = svg(charted(dairy, f"kind: lines, series: [{shown}]")[0], accent)
    lines = set(re.findall(r'<polyline [^>]*stroke="(#\w{6})"[^>]*stroke-dasharray="([^"]*)"', drawn))
    assert len({dash for _, dash in lines}) == 3
    for colour in {colour for colour, _ in lines}:
        parts = [int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5)]
        linear = [part / 12.92 if part <= 0.03928 else ((part + 0.055) / 1.055) ** 2.4 for part in parts]
        assert 1.05 / (0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2] + 0.05) >= 2.99


@pytest.mark.parametrize("kind", ["bars", "stacked", "lines"])
def test_what_is_drawn_stays_inside_and_is_as_high_as_its_value(dairy: Dairy, kind: str) -> None:
    chart, _, _ = charted(dairy, f"kind: {kind}, series: {{value: litres}}, unit: litres")
    drawn = svg(chart)
    heights = [float(found) for found in re.findall(r'<rect [^>]*height="([\d.]+)"', drawn)]
    ys = [float(found) for found in re.findall(r' y="(-?[\d.]+)"', drawn)]
    assert min(ys) >= 0
    assert max(ys) <= chart.height + 1
    if kind != "lines":
        largest, second, third = sorted(heights, reverse=True)[:3]
        assert largest == pytest.approx(2 * second, rel=0.02)
        assert second == pytest.approx(4 * third, rel=0.05)


def test_many_places_leave_out_texts_rather_than_let_them_touch(dairy: Dairy) -> None:
    lines = [f"117,2026-{month:02}-{day:02},5,1.00,\n" for month in (9, 10) for day in range(1, 31)]
    dairy.write("milk.csv", HEAD + "".join(lines))
    chart = "      - chart: {kind: bars, over: day, over_format: d MMMM, series: {value: litres}, alt: x}\n"
    layout, _ = laid(dairy, "117", (TEXT_BLOCK, chart))
    found = next(block for block in layout.blocks if isinstance(block, ChartLayout))
    drawn = re.findall(r'<text x="([\d.]+)"[^>]*>(\d+ \w+)</text>', svg(found))
    ends = [(float(x), float(x) + family().width(text, "Gonnet-Regular", 7)) for x, text in drawn]
    assert 5 <= len(ends) < 60
    assert all(first[1] < second[0] for first, second in itertools.pairwise(ends))


@pytest.mark.parametrize("kind", ["bars", "lines"])
def test_a_legend_takes_as_many_rows_as_it_needs_above_what_is_drawn(dairy: Dairy, kind: str) -> None:
    labels = [f"Litres of dairy {number}, by the month" for number in range(6)]
    shown = ", ".join(f"{{value: litres, label: '{label}'}}" for label in labels)
    drawn = svg(charted(dairy, f"kind: {kind}, series: [{shown}], against: {{show: quartiles}}, target: 250")[0])
    texts = re.findall(r'<text x="([\d.]+)" y="([\d.]+)"[^>]*>([^<]+)</text>', drawn)
    places = {text: (float(x), float(y)) for x, y, text in texts}
    legend = {text: place for text, place in places.items() if text[0].isalpha()}
    rows = itertools.groupby(sorted((y, x, text) for text, (x, y) in legend.items()), lambda place: place[0])
    ends = [[(x, x + family().width(text, "Gonnet-Regular", 7)) for _, x, text in row] for _, row in rows]
    assert len(legend) == 10
    assert len(ends) == 3
    assert len(set(re.findall(r'stroke-dasharray="([^"]+)"', drawn))) == (9 if kind == "lines" else 4)
    assert all(first[1] < second[0] for row in ends for first, second in itertools.pairwise(row))
    assert max(end for row in ends for _, end in row) <= 400
    ticks = [y for text, (_, y) in places.items() if text not in legend]
    assert max(y for _, y in legend.values()) < min(ticks)


def test_a_workbooks_chart_refers_to_the_cells_beside_it(dairy: Dairy) -> None:
    _, layout, look = charted(dairy, "kind: bars, series: {value: litres}, target: 250, unit: litres")
    data = draw(layout, "xlsx", look).data
    with zipfile.ZipFile(io.BytesIO(data)) as book:
        chart = book.read("xl/charts/chart1.xml").decode()
        drawing = book.read("xl/drawings/drawing1.xml").decode()
        sheet = book.read("xl/worksheets/sheet1.xml").decode()
    areas = re.findall(r"<c:f>Report!\$(\w+)\$(\d+):\$\w+\$(\d+)</c:f>", chart)
    assert {column for column, _, _ in areas} == {"A", "B", "C"}
    (rows,) = {(int(first), int(last)) for _, first, last in areas}
    assert rows[1] - rows[0] == 2
    cells = dict(re.findall(r'<c r="(B\d+)"[^>]*><v>(-?[\d.]+)</v>', sheet))
    assert [cells[f"B{row}"] for row in range(rows[0], rows[1] + 1)] == ["400", "200", "-50"]
    assert 'descr="Litres of each day"' in drawing
    assert "<c:barChart>" in chart
    assert "<c:lineChart>" in chart


@pytest.mark.parametrize("form", ["pdf", "html"])
def test_a_chart_says_what_it_shows_to_those_who_cannot_see_it(dairy: Dairy, form: Any) -> None:  # noqa: ANN401
    _, layout, look = charted(dairy, "kind: lines, series: {value: litres}")
    data = draw(layout, form, look).data
    if form == "html":
        assert b'role="img"><title>Litres of each day</title>' in data
    else:
        (figure,) = heard(data).all("Figure")
        assert figure.alternative == "Litres of each day. Litres: 1 Oct 400, 2 Oct 200, 4 Oct -50"


@pytest.mark.parametrize(
    ("language", "chart", "said"),
    [
        ("en_IE", "kind: bars, over: day, series: {value: litres}", "Chart: Litres (Day: 1 Oct 2026 – 2 Oct 2026)"),
        ("pl_PL", "kind: bars, over: day, series: {value: litres}", "Wykres: Litres (Day: 1 paź 2026 – 2 paź 2026)"),
        ("de_AT", "kind: shares, over: remark, series: {value: litres}", "Diagramm: Litres (Remark)"),
    ],
)
def test_a_chart_without_words_says_which_values_it_shows_and_check_tells(
    dairy: Dairy, language: str, chart: str, said: str
) -> None:
    settings = (dairy.folder / "gonnet.yaml").read_text("utf-8").replace("locale: en_IE", f"locale: {language}")
    dairy.write("gonnet.yaml", settings)
    dairy.write("milk.csv", HEAD + "117,2026-10-01,390,1.00,calm\n117,2026-10-02,250,2.00,Hallbank\n")
    change = (TEXT_BLOCK, f"      - chart: {{{chart}}}\n")
    layout, _ = laid(dairy, "117", change)
    (block,) = (part for part in layout.blocks if isinstance(part, ChartLayout))
    assert block.alt == said
    with dairy.tools() as tools:
        checked = check(dairy.job(change), tools, Request(as_of=AS_OF, asked={}))
        held = dairy.by_key(tools, dairy.prepared(tools, change))["117"].hits
    assert "a chart of 'statement' has no `alt`" in " ".join(finding.text for finding in checked.findings)
    assert {hit.value for hit in held} == {"Hallbank"}, "what the data say is not taken for what the job says"


def test_a_ticks_number_that_is_somebodys_key_holds_nobody(dairy: Dairy) -> None:
    people = "farm_no,farm_name,email,adviser\n117,Laka,laka@members.tarnvale.example,\n"
    others = "".join(f"{key},Farm {key},f{key}@members.tarnvale.example,\n" for key in (50, 100, 200, 250, 300, 400))
    dairy.write("members.csv", people + others)
    dairy.write("milk.csv", HEAD + "117,2026-10-01,390,1.00,\n117,2026-10-02,250,2.00,\n")
    chart = "      - chart: {kind: bars, over: day, series: {value: litres}, target: 250, alt: Litres}\n"
    documents = ("as: xlsx}", "as: xlsx}, {report: statement, as: html}")
    with dairy.tools() as tools:
        run = dairy.prepared(tools, (TEXT_BLOCK, chart), documents)
        package = dairy.by_key(tools, run)["117"]
    assert (str(package.state), package.reason) == ("ready", "")


@pytest.mark.parametrize(("show", "form"), [("count", "0.0"), ("sum", "#,##0")])
def test_the_axis_of_small_counts_has_whole_numbers_each_once(dairy: Dairy, show: str, form: str) -> None:
    dairy.write("milk.csv", HEAD + "117,2026-10-01,1,1.00,north\n117,2026-10-02,2,1.00,south\n")
    block = f"chart: {{kind: bars, over: remark, series: {{value: litres, show: {show}}}, format: '{form}', alt: all}}"
    layout, look = laid(dairy, "117", (TEXT_BLOCK, f"      - {block}\n"))
    (chart,) = (part for part in layout.blocks if isinstance(part, ChartLayout))
    assert all(value == int(value) for value, _ in chart.ticks)
    assert len({text for _, text in chart.ticks}) == len(chart.ticks)
    with zipfile.ZipFile(io.BytesIO(draw(layout, "xlsx", look).data)) as book:
        assert re.search('<c:majorUnit val="1(.0)?"/>', book.read("xl/charts/chart1.xml").decode())
