"""A stranger's look at a finished file: whatever it shows or says anywhere is found."""

from __future__ import annotations

import pytest

from gonnet.checks import Identity, ReadBack, Watch, read_back
from gonnet.checks.reading.drawn_pdf import parts_of_drawn
from gonnet.demo import logo
from gonnet.reports import draw
from opened import laid
from support import Dairy

TEXT_BLOCK = '      - text: "Collected in October."\n'
CHART = "chart: {kind: bars, over: day, series: {value: litres, label: LABEL}, title: TITLE, unit: UNIT, alt: ALT}"
PLACES = {
    "the title of a table": "table: {title: Hallbank, columns: [{field: day}]}",
    "a heading of a column": "table: {columns: [{field: day, label: Hallbank}]}",
    "what is said of the rest": "table: {columns: [{field: day}], first: 1, rest: '{} at Hallbank'}",
    "a heading": "heading: Hallbank",
    "a fact": "facts: {Neighbour: Hallbank}",
    "a label of a fact": "facts: {Hallbank: neighbour}",
    "a link": "text: '[here](https://tarnvale.example/Hallbank)'",
    "the title of a chart": CHART.replace("TITLE", "Hallbank"),
    "the unit of a chart": CHART.replace("UNIT", "Hallbank"),
    "what a chart shows": CHART.replace("ALT", "like Hallbank"),
    "what a picture shows": "{image: logo.png, alt: the yard of Hallbank}",
    "a total of bands": "bands: {amount: amount, of: litres, edges: [900], by: remark, total: Hallbank}",
}
UNSEEN = {("xlsx", "a link")}
"""Where a format does not say it at all."""


@pytest.mark.parametrize("form", ["pdf", "xlsx", "html"])
@pytest.mark.parametrize("place", PLACES)
def test_another_recipients_name_is_found_wherever_it_stands(dairy: Dairy, place: str, form: str) -> None:
    logo.write(dairy.folder / "logo.png")
    layout, look = laid(dairy, "117", (TEXT_BLOCK, f"      - {PLACES[place]}\n"))
    watch = Watch(
        [
            Identity(key="117", values=(("key", "117"), ("farm_name", "Łąka Górna"))),
            Identity(key="118", values=(("key", "118"), ("farm_name", "Hallbank"))),
        ]
    )
    data = draw(layout, form, look).data  # type: ignore[arg-type]
    readings = [read_back(data, form)]
    if form == "pdf":
        readings.append(ReadBack(parts=tuple(parts_of_drawn(data))))
    for reading in readings:
        hits = watch.search(("117",), "the file", reading)
        assert [hit.value for hit in hits] == ([] if (form, place) in UNSEEN else ["Hallbank"]), reading


@pytest.mark.parametrize("place", PLACES)
def test_what_the_job_itself_says_holds_nobody_and_is_told(dairy: Dairy, place: str) -> None:
    logo.write(dairy.folder / "logo.png")
    with dairy.tools() as tools:
        run = dairy.prepared(tools, (TEXT_BLOCK, f"      - {PLACES[place]}\n"))
        package = dairy.by_key(tools, run)["117"]
    assert str(package.state) == "ready", package.reason
    if place != "what a picture shows":
        assert any("'Hallbank'" in text and "a word of this run" in text for _, text in run.findings), run.findings


@pytest.mark.parametrize("form", ["pdf", "xlsx"])
def test_what_is_no_file_of_its_format_is_told(form: str) -> None:
    with pytest.raises(ValueError, match="not a"):
        read_back(b"something else", form)


def test_many_keys_that_begin_alike_are_told_apart() -> None:
    identities = [
        Identity(key=f"TV-{n:04}", values=(("key", f"TV-{n:04}"), ("name", f"Farm {n} Hill"))) for n in range(3000)
    ]
    watch = Watch(identities)
    text = "TV-0007 and Farm 7 Hill, TV-2999, TV-3000, Farm 12 Hills, tv - 0012"
    hits = watch.search(("TV-0007",), "a", read_back(text.encode(), "text"))
    assert sorted(hit.value for hit in hits) == ["TV-0012", "TV-2999"]
