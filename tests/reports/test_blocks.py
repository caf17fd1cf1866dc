"""The blocks of a report: what they show is what the rows say, in every format."""

from __future__ import annotations

import io
import re
from collections.abc import Iterable
from decimal import Decimal
from typing import Any

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gonnet.errors import JobError
from gonnet.reports import draw
from gonnet.reports.layout.charts import ChartLayout, nice_ticks
from gonnet.reports.layout.models import FactsLayout, Layout, TableLayout, TextLayout
from gonnet.reports.layout.spread import lay_out_bands, lay_out_crosstab
from gonnet.reports.plans.columns import CellText, ColumnPlan, ValueKind
from gonnet.reports.plans.models import BandsPlan, CrosstabPlan
from gonnet.wording.formats import House, rounded_half_up
from gonnet.wording.marked import paragraphs
from opened import HEAD, laid, pdf_pages, sheet
from support import Dairy

TEXT_BLOCK = '      - text: "Collected in October."\n'
MILK = HEAD + (
    "117,2026-10-02,300,30.00,north\n"
    "117,2026-10-01,100,40.00,south\n"
    "117,2026-10-01,200,,north\n"
    "117,2026-10-03,400,20.10,\n"
    "00042,2026-10-01,999,9999.99,north\n"
)


def with_blocks(dairy: Dairy, *blocks: str) -> tuple[Layout, Any]:
    """The layout of farm 117 with the given blocks in place of the text."""
    dairy.write("milk.csv", MILK)
    return laid(dairy, "117", (TEXT_BLOCK, "".join(f"      - {block}\n" for block in blocks)))


def first_table(layout: Layout) -> TableLayout:
    return next(layout.tables())


def flat(layout: Layout, look: Any) -> str:  # noqa: ANN401
    return " ".join(" ".join(pdf_pages(draw(layout, "pdf", look).data)).split())


def test_a_table_is_sorted_grouped_and_totalled_in_every_format(dairy: Dairy) -> None:
    layout, look = with_blocks(
        dairy,
        "table: {columns: [{field: day, format: d MMM}, {field: litres, total: sum, format: '0'}, "
        "{value: amount / litres, label: Price, format: '0.000', total: weighted, weight: litres}, "
        "{field: amount, total: average}], group: {by: remark, label: Tanker}, sort: [litres descending]}",
    )
    table = first_table(layout)
    assert table.texts[1] == ("300", "200", "100", "400")
    assert [(line.before, line.texts[:2]) for line in table.lines] == [
        (0, ("Tanker: north",)),
        (2, ("Total north", "500")),
        (2, ("Tanker: south",)),
        (3, ("Total south", "100")),
        (3, ("Tanker: –",)),
        (4, ("Total –", "400")),
    ]
    # 30.00 + 40.00 + 20.10 over the 800 litres that have a price.
    assert table.totals[0].texts == ("Total", "1000", "0.113", "30.03")
    assert "Tanker: north 2 Oct 300 0.100 30.00 1 Oct 200 Total north 500 0.100 30.00" in flat(layout, look)
    rows = [row[:2] for row in sheet(draw(layout, "xlsx", look).data)]
    assert [str(row[0]) for row in rows].index("Total north") < [str(row[0]) for row in rows].index("Tanker: south")
    assert ["Total", 1000] in rows


def test_values_come_in_the_order_that_the_job_gives_them(dairy: Dairy) -> None:
    dairy.write("milk.csv", MILK + "117,2026-10-04,500,1.00,west\n")
    blocks = (
        "table: {columns: [{field: litres, total: sum}], group: {by: remark}, sort: [litres]}",
        "table: {columns: [{field: remark}], sort: [remark descending]}",
        "crosstab: {rows: remark, columns: {field: litres, format: '0 l'}, show: count}",
        "crosstab: {rows: {field: litres, label: Milk}, columns: remark, show: count}",
        "bands: {amount: amount, of: litres, edges: [200], by: [remark, {field: day, label: Collected, format: d MMM}]}",
        "chart: {kind: bars, over: remark, series: {value: litres}, alt: all}",
        "chart: {kind: bars, over: day, by: remark, series: {value: litres}, alt: all}",
    )
    order = ("reports:", "in_order: {remark: [south, west], litres: [400, 100]}\nreports:")
    layout, _ = laid(dairy, "117", (TEXT_BLOCK, "".join(f"      - {block}\n" for block in blocks)), order)
    grouped, sorted_, *crosstabs, bands, _ = (block for block in layout.blocks if isinstance(block, TableLayout))
    over, by = (block for block in layout.blocks if isinstance(block, ChartLayout))
    groups = ["south", "west", "north"]
    assert [line.texts[0] for line in grouped.lines if not line.is_total] == [*groups, "–"]
    assert grouped.texts[0] == ("100", "500", "200", "300", "400")
    assert sorted_.texts[0] == ("north", "north", "west", "south", "")
    assert crosstabs[0].texts[0] == (*groups, "")
    assert [column.label for column in crosstabs[0].columns[1:3]] == ["400 l", "100 l"]
    assert [column.label for column in crosstabs[1].columns] == ["Milk", *groups, "–", "Total"]
    assert crosstabs[1].texts[0] == ("400", "100", "200", "300", "500")
    assert [column.label for column in bands.columns[:2]] == ["Remark", "Collected"]
    assert "1 Oct" in bands.texts[1]
    assert over.places == (*groups, "–")
    assert [series.label for series in by.series] == [*groups, "–"]


@pytest.mark.parametrize(
    ("order", "said"),
    [
        ("{remrk: [north, south]}", "no data set has a column 'remrk'"),
        ("{litres: [10, a lot]}", "'a lot' is no value of column 'litres', which is bigint"),
        ("{remark: [north, north]}", "'north' is there twice in the order of 'remark'"),
    ],
)
def test_an_order_that_cannot_be_is_a_mistake_of_the_job(dairy: Dairy, order: str, said: str) -> None:
    dairy.job()
    path = dairy.folder / "jobs/statements.yaml"
    text = path.read_text().replace("reports:", f"in_order: {order}\nreports:")
    path.write_text(text.replace("          columns:", "          sort: [litres]\n          columns:"))
    found = dairy.gonnet("check", "statements", code=2).stderr
    assert said in " ".join(found.split())
    assert "statements.yaml:" in found


CURRENCY = HEAD + "".join(
    f"117,2026-10-0{day},{litres},{amount},{code}\n"
    for day, litres, amount, code in [
        (1, 10, "1.50", "EUR"),
        (2, 20, "2000.25", "JPY"),
        (3, 40, "3.004", "EUR"),
        (4, 80, "", "EUR"),
    ]
)
MONEY = (
    "table: {columns: [{field: day, format: d MMM}, {field: litres, format: '0', total: sum}, "
    "{field: amount, total: sum, currency: '{{ row.remark }}'}, "
    "{value: amount / litres, label: Price, format: '0.0000', currency: '{{ row.remark }}'}], totals: formulas}"
)


def test_amounts_are_written_and_totalled_in_the_currency_of_their_row(dairy: Dairy) -> None:
    dairy.write("milk.csv", CURRENCY)
    layout, look = laid(dairy, "117", (TEXT_BLOCK, f"      - {MONEY}\n"))
    table = first_table(layout)
    assert table.texts[2] == ("€1.50", "JP¥2,000", "€3.00", "")
    assert table.texts[3] == ("€0.1500", "JP¥100.0125", "€0.0751", "")
    assert [line.texts[:3] for line in table.totals] == [
        ("Total, EUR", "130", "€4.50"),
        ("Total, JPY", "20", "JP¥2,000"),
    ]
    assert "Total, JPY 20 JP¥2,000" in flat(layout, look)
    book: Any = openpyxl.load_workbook(io.BytesIO(draw(layout, "xlsx", look).data)).active
    cells = [cell for row in book.iter_rows() for cell in row if cell.number_format != "General"]
    shown = {cell.value: cell.number_format for cell in reversed(cells)}
    assert (shown[1.5], shown[2000], shown[4.5]) == ('"€"#,##0.00', '"JP¥"#,##0', '"€"#,##0.00')
    assert not any(str(value).startswith("=") for value in shown)  # no formula adds up two currencies


def test_where_all_rows_have_one_currency_there_is_one_total(dairy: Dairy) -> None:
    dairy.write("milk.csv", CURRENCY.replace("JPY", "EUR"))
    layout, look = laid(dairy, "117", (TEXT_BLOCK, f"      - {MONEY}\n"))
    assert [line.texts[:3] for line in first_table(layout).totals] == [("Total", "150", "€2,004.75")]
    assert "=SUBTOTAL(9" in str(sheet(draw(layout, "xlsx", look).data))
    fixed = MONEY.replace("{{ row.remark }}", "{{ recipient.adviser }}")
    dairy.write("members.csv", "farm_no,farm_name,email,adviser\n117,Laka,laka@members.tarnvale.example,USD\n")
    layout, look = laid(dairy, "117", (TEXT_BLOCK, f"      - {fixed}\n"), (", cc: adviser", ""))
    assert first_table(layout).texts[2][0] == "US$1.50"


def test_what_is_no_currency_holds_the_package(dairy: Dairy) -> None:
    dairy.write("milk.csv", CURRENCY.replace("JPY", "Yen"))
    with dairy.tools() as tools:
        run = dairy.prepared(tools, (TEXT_BLOCK, f"      - {MONEY}\n"))
        package = dairy.by_key(tools, run)["117"]
    assert "'Yen' is no currency; write its code of three letters, such as EUR" in package.reason


def test_only_the_first_rows_are_shown_but_all_are_totalled(dairy: Dairy) -> None:
    layout, look = with_blocks(
        dairy,
        "table: {columns: [{field: litres, total: sum}], sort: litres descending, first: 2, rest: 'and {} others'}",
    )
    table = first_table(layout)
    assert (table.texts, table.rows, table.exact) == ((("400", "300"),), 4, {'"litres"': Decimal(1000)})
    assert "400 300 and 2 others 1000" in flat(layout, look)


def test_what_stands_out_does_so_without_colour(dairy: Dairy) -> None:
    layout, look = with_blocks(
        dairy,
        "table: {columns: [{field: remark}, {field: litres, format: '#,##0'}], "
        "emphasise: {when: litres > 350, cells: [litres], as: [tint, mark]}}",
    )
    assert first_table(layout).emphasis == {3: {1: frozenset({"tint", "mark"})}}
    assert "‣ 400" in flat(layout, look)
    assert [None, 400] in [row[:2] for row in sheet(draw(layout, "xlsx", look).data)]


def test_a_block_shows_only_where_its_condition_holds(dairy: Dairy) -> None:
    layout, _ = with_blocks(
        dairy, "{heading: shown, when: litres = 1000}", "{heading: not shown, when: litres > 1000}",
        "{heading: unknown, when: 'litres > null'}", "{heading: of Laka, when: recipient.farm_name like '%Górna'}",
    )  # fmt: skip
    assert [block.text for block in layout.blocks if hasattr(block, "text")] == ["shown", "of Laka"]


def test_a_table_too_wide_goes_on_beside_itself_and_repeats_what_it_keeps(dairy: Dairy) -> None:
    columns = ", ".join(f"{{value: 'litres * {n}000000', label: Column {n}, format: '#,##0.00'}}" for n in range(1, 31))
    layout, look = with_blocks(dairy, f"table: {{columns: [{{field: remark, label: Tanker}}, {columns}]}}")
    text = flat(layout, look)
    for n in range(1, 31):
        assert f"{300_000_000 * n:,}.00" in text
    assert text.count("Tanker") >= 3


PLAIN = ColumnPlan(
    field="v", label="v", kind=ValueKind.NUMBER, pattern="0.00", align="right", total=None, is_measure=True, font_size=8
)
NAMED = ColumnPlan(field="k", label="k", kind=ValueKind.TEXT, pattern=None, align="left", total=None, is_measure=False)


def added(values: Iterable[Any]) -> Decimal:
    return sum((value for value in values if value is not None), Decimal(0))


amounts = st.one_of(st.none(), st.decimals(-1000, 1000, places=2))
keys = st.sampled_from(["a", "b", None])


@given(st.lists(st.tuples(keys, amounts, st.one_of(st.none(), st.integers(-50, 200)))))
def test_bands_spread_every_amount_once(rows: list[tuple[Any, ...]]) -> None:
    plan = BandsPlan(
        title=None, columns=(NAMED, PLAIN, PLAIN, PLAIN, PLAIN), by=(0,), amount=1, of=2,
        edges=(Decimal(30), Decimal(60)), total="Total", shares=False, empty="",
    )  # fmt: skip
    table = lay_out_bands(plan, [CellText(column, House()) for column in plan.columns], rows, House())
    sums = [added(column) for column in table.values[1:]]
    for band, (low, high) in enumerate([(-999, 30), (31, 60), (61, 999)]):
        inside = [amount for _, amount, number in rows if number is not None and low <= number <= high]
        assert sums[band] == added(inside)
    assert sums[3] == added([amount for _, amount, _ in rows])


@given(st.lists(st.tuples(keys, st.sampled_from(["x", "y"]), amounts)), st.sampled_from(["sum", "count", "average"]))
def test_a_crosstab_agrees_with_its_rows_both_ways(rows: list[tuple[Any, ...]], show: Any) -> None:  # noqa: ANN401
    plan = CrosstabPlan(
        title=None, head=NAMED, top=NAMED, body=PLAIN, rows=0, columns=1, value=2, row_ranks={}, column_ranks={},
        show=show, total="All", empty="",
    )  # fmt: skip
    names = CellText(NAMED, House())
    table = lay_out_crosstab(plan, names, names, CellText(PLAIN, House()), rows, lambda columns, _: columns)
    values = [row[2] for row in rows if row[2] is not None]
    if not rows:
        assert table.height == 0
    elif show == "average":
        mean = rounded_half_up(added(values) / len(values), 2) if values else None
        assert table.totals[0].values[-1] == mean
    else:
        whole = added(values) if show == "sum" else len(values)
        assert (table.totals[0].values[-1] or 0) == whole
        assert added(table.totals[0].values[1:-1]) == added(table.values[-1]) == whole


@given(st.lists(st.decimals(-(10**9), 10**9, places=3), max_size=8))
def test_ticks_are_round_and_reach_over_every_value(values: list[Decimal]) -> None:
    ticks = nice_ticks(values)
    assert all(tick == int(tick) for tick in nice_ticks(values, Decimal(1)))
    assert ticks[0] <= min([Decimal(0), *values])
    assert ticks[-1] >= max([Decimal(0), *values])
    assert 2 <= len(ticks) <= 8
    assert 0 in ticks
    step = ticks[1] - ticks[0]
    assert step.normalize().as_tuple().digits in ((1,), (2,), (5,))


def crowd(dairy: Dairy, farms: int) -> None:
    """So many farms with 10, 20, 30 … litres on one day."""
    lines = [f"{n + 117},2026-10-01,{10 * (n + 1)},1.00,\n" for n in range(farms)]
    dairy.write("milk.csv", HEAD + "".join(lines))
    people = [f"{n + 117},Farm {n},f{n}@members.tarnvale.example,\n" for n in range(farms)]
    dairy.write("members.csv", "farm_no,farm_name,email,adviser\n" + "".join(people))


@pytest.mark.parametrize(("farms", "shown"), [(4, ()), (5, ("30",)), (9, ("50",))])
def test_the_run_is_shown_only_over_enough_recipients(dairy: Dairy, farms: int, shown: tuple[str, ...]) -> None:
    crowd(dairy, farms)
    chart = "chart: {kind: bars, over: day, series: {value: litres}, against: {label: All}, alt: Litres}"
    layout, _ = laid(dairy, "117", (TEXT_BLOCK, f"      - {chart}\n"))
    (found,) = (block for block in layout.blocks if isinstance(block, ChartLayout))
    run = [series for series in found.series if series.of_run]
    assert [text for series in run for text in series.texts if text] == list(shown)


def test_a_quartile_is_nobodys_own_figure(dairy: Dairy) -> None:
    lines = [f"{n},2026-10-01,{1000 + 137 * (n - 117)},1.00,\n" for n in range(117, 122)]
    crowd(dairy, 5)
    dairy.write("milk.csv", HEAD + "".join(lines))
    chart = "chart: {kind: lines, over: day, series: {value: litres}, against: {show: quartiles}, alt: Litres}"
    layout, _ = laid(dairy, "117", (TEXT_BLOCK, f"      - {chart}\n"))
    (found,) = (block for block in layout.blocks if isinstance(block, ChartLayout))
    assert [series.texts for series in found.series] == [("1,000",), ("1,100",), ("1,300",), ("1,400",)]


def test_a_chart_is_drawn_in_both_formats_and_says_what_it_shows(dairy: Dairy) -> None:
    layout, look = with_blocks(
        dairy,
        "chart: {title: Litres, kind: stacked, over: day, over_format: d MMM, series: {value: litres}, by: remark, "
        "target: 450, unit: litres, alt: Litres a day}",
        "chart: {kind: shares, over: remark, series: {value: litres}, alt: Shares}",
    )
    text = flat(layout, look)
    assert "Target: 450" in text
    assert "north 500 (50.0 %)" in text
    pdf = draw(layout, "pdf", look).data
    assert pdf == draw(layout, "pdf", look).data
    rows = [row[:5] for row in sheet(draw(layout, "xlsx", look).data)]
    assert ["1 Oct", 200, 100, None, 450] in rows


def test_a_place_on_an_axis_may_have_two_lines_and_still_stands_in_one(dairy: Dairy) -> None:
    chart = "chart: {kind: bars, over: remark, series: {value: litres}, alt: Litres}"
    dairy.write("milk.csv", HEAD + '117,2026-10-01,5,1.00,"north\ntanker"\n')
    layout, look = laid(dairy, "117", (TEXT_BLOCK, f"      - {chart}\n"))
    assert flat(layout, look).count("north tanker") == 2
    assert b"north" in draw(layout, "html", look).data


def test_groups_may_begin_pages_and_a_heading_never_ends_one(dairy: Dairy) -> None:
    lines = [f"117,2026-10-{n % 28 + 1:02},{n},1.00,tanker {n // 40}\n" for n in range(120)]
    dairy.write("milk.csv", HEAD + "".join(lines))
    table = (
        "table: {title: Every day, columns: [{field: day}, {field: litres, total: sum}], "
        "group: {by: remark, new_page: true}}"
    )
    layout, look = laid(dairy, "117", (TEXT_BLOCK, f"      - {table}\n"))
    pages = pdf_pages(draw(layout, "pdf", look).data)
    for number in (1, 2):
        assert [page for page in pages if re.search(rf"Day\s+Litres\s+tanker {number}\s", page)]
    for page in pages:
        body = [line for line in page.split("\r\n") if line and not line.startswith(("Tarnvale", "page "))]
        assert body[-1] not in ("Every day", "tanker 0", "tanker 1", "tanker 2")


@pytest.mark.parametrize("columns", [1, 2, 3])
def test_facts_stand_in_columns_and_long_values_wrap(dairy: Dairy, columns: int) -> None:
    facts = ", ".join(f"Label {n}: 'value {n} {'word ' * (12 if n == 2 else 1)}'" for n in range(1, 8))
    layout, look = with_blocks(dairy, f"{{facts: {{{facts}}}, columns: {columns}}}")
    text = flat(layout, look)
    for n in range(1, 8):
        assert f"Label {n}" in text
    assert text.count("word") == 18
    cells = [cell for row in sheet(draw(layout, "xlsx", look).data) for cell in row if str(cell).startswith("value")]
    assert len(cells) == 7


def test_a_text_has_looks_lists_and_links_but_values_have_none(dairy: Dairy) -> None:
    found = paragraphs(
        "Dear *all*, **see** [here](https://tarnvale.example/a) or [x](javascript:alert)\n\n1. one\n2. two"
    )
    assert [(p.mark, p.depth, p.text) for p in found] == [
        ("", 0, "Dear all, see here or [x](javascript:alert)"),
        ("1.", 1, "one"),
        ("2.", 1, "two"),
    ]
    assert [(s.text, s.bold, s.italic, s.link) for s in found[0].spans if s.bold or s.italic or s.link] == [
        ("all", False, True, ""),
        ("see", True, False, ""),
        ("here", False, False, "https://tarnvale.example/a"),
    ]
    layout, look = with_blocks(dairy, "text: \"**{{ recipient.farm_name }}** {{ '*a* [b](http://c) <i>d</i>' }}\"")
    (text,) = (block for block in layout.blocks if isinstance(block, TextLayout))
    assert [span.bold for span in text.paragraphs[0].spans if span.bold] == [True]
    assert "Łąka Górna *a* [b](http://c) <i>d</i>" in flat(layout, look)


@pytest.mark.parametrize(
    ("block", "says"),
    [
        ("table: {columns: [{field: litres, value: '1', label: x}]}", "a column needs one source"),
        ("table: {columns: [{value: '1'}]}", "a column with `value` needs a `label`"),
        ("table: {columns: [{value: nothing + 1, label: x}]}", "this does not run"),
        ("table: {columns: [{field: litres, total: weighted}]}", "go together"),
        ("table: {columns: [{field: remark, total: sum}]}", "column 'remark' is text and has no sum"),
        ("table: {columns: [{field: litres}], sort: [litre]}", "Did you mean 'litres'"),
        ("table: {columns: [{field: litres}], emphasise: {when: litres > 1, as: tint}}", "a tint alone is lost"),
        (
            "table: {columns: [{field: litres}], emphasise: {when: litres, cells: [day]}}",
            "the table has no column 'day'",
        ),
        ("table: {columns: [{field: litres}], first: 2, totals: formulas}", "do not go together"),
        ("bands: {amount: amount, of: litres, edges: [3, 2]}", "the edges of bands must rise"),
        ("bands: {amount: amount, of: remark, edges: [3]}", "bands are of numbers or of dates"),
        ("bands: {amount: remark, of: litres, edges: [3]}", "`amount` must be a column of numbers"),
        ("crosstab: {rows: day, columns: remark}", "needs `value`"),
        ("chart: {kind: bars, over: day, series: {value: remark}, alt: x}", "must be a column of numbers"),
        ("chart: {kind: shares, over: day, series: {value: litres}, target: 5, alt: x}", "one series and no lines"),
        ("standing: {figure: liters, label: x}", "there is no figure 'liters'"),
        ("standing: {figure: litres, label: x, least: 2}", "must be at least 3, this is 2"),
        ("image: nothing.png", "'alt' is missing here"),
        ("{image: nothing.png, alt: x}", "nothing.png cannot be read"),
        ("{image: milk.csv, alt: x}", "milk.csv is no PNG, JPEG or SVG"),
        ("{heading: x, when: litres >}", "the condition of this block does not run"),
        ("heading: '{{ nobody }}'", "unknown name 'nobody'"),
    ],
)
def test_what_cannot_be_drawn_is_told_with_its_place(dairy: Dairy, block: str, says: str) -> None:
    with pytest.raises(JobError) as found:
        with_blocks(dairy, block)
    assert says in str(found.value)
    assert "statements.yaml:1" in str(found.value)


STANDING = '- text: "Collected in October."'


def standing(dairy: Dairy, key: str, options: str, farms: int = 8) -> list[tuple[str, str]]:
    """Label and text of a standing, where farm n of so many farms collected 100 n litres; the last two as much."""
    litres = [100 * min(n, farms - 1) for n in range(1, farms + 1)]
    dairy.write("milk.csv", HEAD + "".join(f"F{n},2026-10-01,{value},1.00,\n" for n, value in enumerate(litres, 1)))
    dairy.write("members.csv", "farm_no,farm_name,email,adviser\n")
    block = f"- standing: {{figure: litres, label: Litres, {options}}}"
    found = laid(dairy, key, (STANDING, block), ("Statement of {{ recipient.farm_name }}", "Statement"))[0].blocks[1]
    assert isinstance(found, FactsLayout)
    return list(found.facts)


@pytest.mark.parametrize(
    ("key", "options", "place"),
    [
        ("F1", "first: highest", "8 of 8"),
        ("F1", "first: lowest", "1 of 8"),
        ("F6", "first: highest", "3 of 8"),
        ("F7", "first: highest", "1 of 8"),  # equal figures share the better place
        ("F8", "first: highest", "1 of 8"),
        ("F8", "first: lowest", "7 of 8"),
    ],
)
def test_a_recipient_sees_their_place_and_what_is_usual(dairy: Dairy, key: str, options: str, place: str) -> None:
    own = f"{100 * min(int(key[1:]), 7)}"
    found = standing(dairy, key, f"show: [place, average, quartiles], {options}")
    assert found[:3] == [("Litres", own), ("Place", place), ("All, average", "438")]
    # 2.75 and 6.25 are the quartiles of 1, 2, 3, 4, 5, 6, 7, 7, told in two digits
    assert [text for _, text in found[3:]] == ["280", "450", "620"]


def test_too_few_recipients_are_not_compared(dairy: Dairy) -> None:
    assert standing(dairy, "F1", "show: [place, average, quartiles]", farms=4) == [("Litres", "100")]
    assert len(standing(dairy, "F1", "show: [place, average], least: 4", farms=4)) == 3
