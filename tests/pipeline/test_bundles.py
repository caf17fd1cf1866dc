"""Bundles: who may see several keys gets these and no others, in one package; no total changes by it."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gonnet.errors import JobError
from gonnet.ledger import PackageRecord, RunRecord
from gonnet.pipeline.tools import Tools
from made import FORM_CHANGE, form
from opened import pdf_pages, sheet
from support import Dairy

OWN = "recipients: {rows: members, key: farm_no, name: farm_name, to: email, cc: adviser}"
FARM = "{rows: members, key: farm_no, name: farm_name, to: email}"
ADVISER = "where: adviser is not null, key: farm_no, to: adviser"
NEUTRAL = [  # what says the same to whoever sees several farms
    ('    subject: "Statement of {{ recipient.farm_name }}"', "    subject: Milk"),
    ("Dear {{ recipient.farm_name }}", "Hello"),
]
TITLE = ('    title: "Statement of {{ recipient.farm_name }}"', "    title: Statement")
ROUTES = "farm_no,day,litres,amount,remark,route\n" + "".join(
    f"{farm},2026-10-0{day},{100 * number + day},{number}.{day}5,,{'north' if number < 3 else 'south'}\n"
    for number, farm in enumerate(("00042", "117", "118", "201"), 1)
    for day in (1, 2)
)


def prepared(dairy: Dairy, tools: Tools, lists: str, *changes: tuple[str, str]) -> tuple[RunRecord, dict[str, Any]]:
    run = dairy.prepared(tools, (OWN, f"recipients:\n{lists}"), *changes)
    return run, dairy.by_key(tools, run)


def files(tools: Tools, package: PackageRecord) -> dict[str, bytes]:
    return {document.name: tools.store.get(document.sha256) for document in package.documents}


@pytest.mark.parametrize(
    ("bundle", "names"),
    [
        ("as: apart", ["00042 statement.pdf", "00042 statement.xlsx", "117 statement.pdf", "117 statement.xlsx"]),
        ("as: joined, name: 'Farms of {{ recipient.adviser }}'", ["Farms of ines@tarnvale.example.pdf"] * 2),
        ("as: whole, name: All", ["All.pdf", "All.xlsx"]),
    ],
)
def test_an_adviser_gets_the_farms_of_their_address_and_each_farm_its_own(
    dairy: Dairy, bundle: str, names: list[str]
) -> None:
    lists = f"  - {FARM}\n  - {{rows: members, {ADVISER}, bundle: {{{bundle}}}}}\n"
    with dairy.tools() as tools:
        whole = (TITLE,) if "whole" in bundle else ()
        run, found = prepared(dairy, tools, lists, *NEUTRAL, *whole)
        assert list(found) == ["00042", "117", "118", "119", "ines@tarnvale.example"]
        package = found["ines@tarnvale.example"]
        assert (str(package.state), package.keys, package.rows) == ("ready", ("00042", "117"), 4)
        assert package.figures["payable"] == "1946.46"
        assert [document.name.rpartition(".")[0] for document in package.documents] == [
            name.rpartition(".")[0] for name in names
        ]
        shown = "\n".join(
            text for data in files(tools, package).values() if data[:4] == b"%PDF" for text in pdf_pages(data)
        )
        assert "Zoë's Dairy" in shown or "as: whole" in bundle
        assert "577.90" in shown
        assert "392.40" in shown
        assert "3,136.00" not in shown, "farm 118 is of another adviser"
        assert run.account["delivered"] == 4
        assert run.account["bundles"] == {"packages": 1, "rows": 4}
        controls: Any = run.account["controls"]
        assert controls[1] == {
            "column": "amount", "whole": "5082.46", "delivered": "1946.46", "withheld": "3136.00", "sent": "0",
        }  # fmt: skip


def test_a_joined_bundle_has_the_keys_in_the_order_asked_for_with_a_sheet_and_an_entry_each(dairy: Dairy) -> None:
    bundle = "bundle: {as: joined, order: litres, contents: true, cover: statement, name: All}"
    with dairy.tools() as tools:
        lists = f"  - {FARM}\n  - {{rows: members, {ADVISER}, {bundle}}}\n"
        _, found = prepared(dairy, tools, lists, *NEUTRAL, TITLE)
        data = files(tools, found["ines@tarnvale.example"])
    book = openpyxl.load_workbook(io.BytesIO(data["All.xlsx"]))
    assert book.sheetnames == ["Report", "117 Łąka Górna", "00042 Zoë's Dairy"]
    assert [row[1] for row in book["Report"].iter_rows(values_only=True) if row[1]][-1] == 3970, "the cover, over all"
    pages = pdf_pages(data["All.pdf"])
    assert pages[1].splitlines()[-3:] == ["Contents", "117 Łąka Górna 3", "00042 Zoë's Dairy 4"]
    assert "3,970" in pages[0], "the cover is over all of them"


def test_a_group_sees_the_rows_of_its_group_and_the_director_sees_all(dairy: Dairy) -> None:
    dairy.write("milk.csv", ROUTES)
    lists = """\
  - {lines: [{who: north@x.example, route: north}, {who: south@x.example, route: south}], group: route, to: who, bundle: {as: whole}}
  - {lines: [{who: all@x.example, farms: '*'}], keys: farms, everything: true, to: who, bundle: {as: whole}}
"""
    text = ('"Statement of {{ recipient.farm_name }}"', '"Statement"')
    rules = ("  - {name: idle, when: rows = 0, skip: no milk}\n  - {name: a lot, when: litres > 5000, hold: more than the tank holds}\n", "  - {name: x, for: bundles, when: rows = 0, skip: no milk}\n")  # fmt: skip
    with dairy.tools() as tools:
        job = [("    title: " + text[0], "    title: Statement"), ("subject: " + text[0], "subject: Milk"), rules]
        body = ("Dear {{ recipient.farm_name }}", "Dear {{ recipient.who }} ({{ parts | length }})")
        run, found = prepared(dairy, tools, lists, *job, body, ("checks: {identifying: [farm_name]}\n", ""))
        assert {key: (str(part.state), part.keys) for key, part in found.items()} == {
            "all@x.example": ("ready", ("00042", "117", "118", "201")),
            "north@x.example": ("ready", ("00042", "117")),
            "south@x.example": ("ready", ("118", "201")),
        }
        assert run.account["delivered"] == run.account["read"] == 8
        rows = sheet(files(tools, found["south@x.example"])["south@x.example statement.xlsx"])
        assert sum(1 for row in rows if row[1] in (301, 302, 401, 402)) == 4
        assert not [row for row in rows if row[1] in (101, 102, 201, 202)]


def test_where_every_list_bundles_rows_that_nobody_may_see_are_withheld(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        lists = f"  - {{rows: members, {ADVISER}, bundle: {{as: apart}}}}\n"
        run, found = prepared(
            dairy,
            tools,
            lists,
            ("rules:\n", "rules:\n  - {name: b, for: bundles, when: rows > 9, hold: x}\n"),
            *_no_rules(),
            *NEUTRAL,
        )
        assert {key: str(part.state) for key, part in found.items()} == {
            "118": "held",
            "ines@tarnvale.example": "ready",
        }
        assert (run.account["delivered"], run.account["withheld"]) == (4, {"no recipient": 1})


def _no_rules() -> list[tuple[str, str]]:
    return [
        ("  - {name: idle, when: rows = 0, skip: no milk}\n", ""),
        ("  - {name: a lot, when: litres > 5000, hold: more than the tank holds}\n", ""),
    ]


@pytest.mark.parametrize("by_rule", [False, True])
def test_a_joined_bundle_has_a_form_for_each_key_with_the_rows_of_this_key(dairy: Dairy, *, by_rule: bool) -> None:
    form(dairy.folder)
    lists = f"  - {FARM}\n  - {{rows: members, {ADVISER}, bundle: {{as: joined, name: All}}}}\n"
    changes = (
        [*NEUTRAL, FORM_CHANGE, ("{report: statement, as: xlsx}", "{report: statement, as: html}")]
        if by_rule
        else [*NEUTRAL, FORM_CHANGE]
    )
    if by_rule:
        changes.append(("rules:\n", "rules:\n  - {name: sheets, for: bundles, when: rows > 0, as: xlsx}\n"))
    with dairy.tools() as tools:
        _, found = prepared(dairy, tools, lists, *changes)
        package = found["ines@tarnvale.example"]
        made = {name: data for name, data in files(tools, package).items() if name.endswith("xlsx")}
    assert str(package.state) == "ready", package.reason
    litres = {name: [row[1] for row in sheet(data)[6:] if isinstance(row[1], int)] for name, data in made.items()}
    assert litres == {"00042 statement.xlsx": [1200, 1180], "117 statement.xlsx": [800, 790]}
    assert {d.name: d.rows for d in package.documents if d.format == "xlsx"} == dict.fromkeys(litres, 2)


def test_a_stranger_in_a_bundle_is_found_and_its_own_are_not(dairy: Dairy) -> None:
    dairy.write("milk.csv", (dairy.folder / "milk.csv").read_text("utf-8").replace("second tank", "see Hallbank"))
    with dairy.tools() as tools:
        lists = f"  - {FARM}\n  - {{rows: members, {ADVISER}, bundle: {{as: whole}}}}\n"
        _, found = prepared(dairy, tools, lists, *NEUTRAL, TITLE)
        package = found["ines@tarnvale.example"]
        assert str(package.state) == "held"
        assert "'Hallbank', the farm_name of 118," in package.reason
        assert "Łąka" not in package.reason


@pytest.mark.parametrize(
    ("change", "what"),
    [
        (("when: rows = 0", "for: bundles, when: rows = 0"), "rule 'idle' is for bundles, of which this job has none"),
        (("to: email, cc", "settings: {message: other}, to: email, cc"), "there is no message 'other'"),
        (("to: email, cc", "settings: {documents: [other]}, to: email, cc"), "the package has no document 'other'"),
        (("to: email, cc", "bundle: {as: joined, cover: x}, to: email, cc"), "there is no report 'x'"),
        (
            ("to: email, cc", "bundle: {as: joined, cover: statement}, to: email, cc"),
            "fills in a form, which cannot be the",
        ),
        (("to: email, cc", "bundle: {as: joined, cover: statement}, to: email, cc"), "nothing would have the cover"),
        (("to: email, cc", "bundle: {order: nothing}, to: email, cc"), "the order of the bundle does not run"),
        (("key: farm_no", "key: [farm_no, farm_name]"), "the key has 2 columns here and 1 where the job splits"),
        (("key: farm_no", "group: route"), "has no column 'route'"),
        (("key: farm_no", "keys: farm_no, key: farm_no"), "one of `key`, `keys` and `group`"),
    ],
)
def test_what_cannot_be_is_told_with_its_place(dairy: Dairy, change: tuple[str, str], what: str) -> None:
    rules = _no_rules() if any(word in change[1] for word in ("bundle:", "group:")) else []
    empty = [("rules:\n", "")] if rules else []
    if "form" in what:
        rules.append(("    blocks:\n", "    form: {file: own.xlsx}\n    blocks:\n"))
    if "cover" in what:
        rules.append(("{report: statement, as: pdf}, {report: statement, as: xlsx}", "{report: statement, as: html}"))
    with dairy.tools() as tools, pytest.raises(Exception, match=what) as found:
        dairy.prepared(tools, change, *rules, *empty)
    assert isinstance(found.value, JobError) or "no column" in what


def test_a_list_has_its_own_message_format_and_documents(dairy: Dairy) -> None:
    other = "settings: {message: short, as: html, documents: [statement]}"
    lists = f"  - {{rows: members, where: \"farm_no = '117'\", key: farm_no, name: farm_name, to: email, {other}}}\n  - {FARM}\n"
    message = ("deliver:", "  short: {subject: Short, body: 'Hello {{ recipient.farm_name }}'}\ndeliver:")
    with dairy.tools() as tools:
        _, found = prepared(dairy, tools, lists, message)
        assert [(d.name, d.format) for d in found["117"].documents] == [("117 statement.html", "html")]
        assert [m.called for m in found["117"].messages] == ["short"]
        assert [d.format for d in found["00042"].documents] == ["pdf", "xlsx"]


def test_a_key_of_two_columns(dairy: Dairy) -> None:
    dairy.write("milk.csv", ROUTES + "00042,2026-10-03,7,1.00,,south\n117,2026-10-03,7,1.00,,\n")
    dairy.write(
        "members.csv",
        "farm_no,route,farm_name,email,adviser\n00042,north,Up,up@x.example,\n00042,south,Down,down@x.example,\n",
    )
    by = [("by: farm_no", "by: [route, farm_no]"), ("key: farm_no", "key: [route, farm_no]")]
    with dairy.tools() as tools:
        found = dairy.by_key(tools, dairy.prepared(tools, *by))
        assert {key: part.rows for key, part in found.items()} == {
            "north/00042": 2, "south/00042": 1, "north/117": 2, "south/118": 2, "south/201": 2,
        }  # fmt: skip
        assert found["south/00042"].to == ("down@x.example",)
        assert found["south/00042"].documents[0].name == "south_00042 statement.pdf"
    dairy.write("milk.csv", ROUTES.replace("south", "so/uth"))
    with dairy.tools() as tools, pytest.raises(Exception, match="the part 'route' of the key has a '/'"):
        dairy.prepared(tools, *by)


FARMS = ("00042", "117", "118", "201", "202")
SEES = st.lists(st.sets(st.sampled_from((*FARMS, "999")), min_size=1), min_size=1, max_size=4)


@given(sees=SEES, own=st.sets(st.sampled_from(FARMS)), rows=st.lists(st.sampled_from(FARMS), min_size=1, max_size=12))
@settings(max_examples=8, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_every_row_is_in_exactly_the_packages_whose_contacts_may_see_it(
    dairy: Dairy, sees: list[set[str]], own: set[str], rows: list[str]
) -> None:
    """Each row has an amount of its own, by which it is found in the workbooks."""
    lines = [f"{farm},2026-10-01,{10_000 + at},{at}.25,\n" for at, farm in enumerate(rows)]
    dairy.write("milk.csv", "farm_no,day,litres,amount,remark\n" + "".join(lines))
    dairy.write(
        "members.csv",
        "farm_no,farm_name,email\n999,x,x@x.example\n" + "".join(f"{f},Farm {f},f{f}@x.example\n" for f in own),
    )
    advisers = "".join(f"a{at}@x.example,{';'.join(sorted(keys))}\n" for at, keys in enumerate(sees))
    dairy.write("advisers.csv", "email,farms\n" + advisers)
    lists = f"  - {FARM}\n  - {{rows: advisers, keys: farms, to: email, bundle: {{as: joined, name: All}}}}\n"
    changes = [("  members: {file: members.csv}", "  members: {file: members.csv}\n  advisers: {file: advisers.csv}")]
    changes += [(text, text.replace("{{ recipient.farm_name }}", "{{ key }}")) for text in ("Statement of {{ recipient.farm_name }}\"\n    blocks", "Statement of {{ recipient.farm_name }}\"\n    body", "Dear {{ recipient.farm_name }}")]  # fmt: skip
    changes += [("rules:\n", "rules: []\n"), *_no_rules()]
    with dairy.tools() as tools:
        run, found = prepared(dairy, tools, lists, *changes)
        for package in found.values():
            may_see = set(package.keys or (package.key,))
            wanted = sorted(10_000 + at for at, farm in enumerate(rows) if farm in may_see)
            assert _litres(tools, package) == (wanted if package.documents else [])
        for at, keys in enumerate(sees):
            mine = found[f"a{at}@x.example"]
            assert set(mine.keys) == keys & set(rows)
            assert mine.figures["rows"] == str(sum(farm in keys for farm in rows))
        delivered = sum(farm in own for farm in rows)
        assert run.account["delivered"] == delivered, "bundles change no total"
        withheld: Any = run.account["withheld"]
        assert run.account["delivered"] + sum(withheld.values()) == len(rows)


def _litres(tools: Tools, package: PackageRecord) -> list[int]:
    found: list[int] = []
    for name, data in files(tools, package).items():
        if Path(name).suffix == ".xlsx":
            for page in openpyxl.load_workbook(io.BytesIO(data)).worksheets:
                found += [
                    c.value
                    for row in page.iter_rows()
                    for c in row[1:2]
                    if isinstance(c.value, int) and not row[0].font.bold
                ]
    return sorted(found)
