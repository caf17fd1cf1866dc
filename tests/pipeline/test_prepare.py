"""A prepared run: nobody's rows with anybody else, every row accounted for, the same bytes every time."""

from __future__ import annotations

import datetime as dt
import io
from decimal import Decimal
from typing import Any

import openpyxl
import pytest

from gonnet.errors import DataError, GonnetError
from gonnet.pipeline.prepare import prepare
from gonnet.pipeline.survey import Request
from support import AS_OF, MEMBERS, MILK, Dairy


def account(run: Any) -> dict[str, Any]:  # noqa: ANN401
    return dict(run.account)


def test_states_reasons_and_documents(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        found = dairy.by_key(tools, dairy.prepared(tools))
        assert {key: (str(p.state), p.reason) for key, p in found.items()} == {
            "00042": ("ready", ""),
            "117": ("ready", ""),
            "118": ("held", "more than the tank holds"),
            "119": ("skipped", "no milk"),
        }
        ready = found["00042"]
        assert [document.name for document in ready.documents] == ["00042 statement.pdf", "00042 statement.xlsx"]
        assert [document.rows for document in ready.documents] == [2, 2]
        assert ready.to == ("zoe@members.tarnvale.example",)
        assert [part.target.name for part in ready.mailed] == [
            "zoe@members.tarnvale.example",
            "ines@tarnvale.example",
        ]
        assert found["118"].documents, "what is held can be looked at"
        assert not found["119"].documents


def test_every_row_is_accounted_for_and_the_parts_are_the_whole(dairy: Dairy) -> None:
    dairy.write("milk.csv", MILK + "nobody,2026-10-03,10,4.90,\n,2026-10-03,20,9.80,\n")
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
    assert account(run) == {
        "measured": {
            "recipients": 4,
            "totals": {"litres": "10380", "payable": "5087.36", "rows": "6"},
            "rows": {"milk": 7, "members": 4},
        },
        "read": 7,
        "delivered": 4,
        "sent": 0,
        "withheld": {"rule": 1, "no recipient": 1, "no key": 1},
        "controls": [
            {"column": "litres", "whole": "10400", "delivered": "3970", "withheld": "6430", "sent": "0"},
            {"column": "amount", "whole": "5097.16", "delivered": "1946.46", "withheld": "3150.70", "sent": "0"},
        ],
    }


def test_the_rows_of_a_workbook_are_the_rows_of_the_source(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        found = dairy.by_key(tools, dairy.prepared(tools))
        for key in ("00042", "117"):
            data = tools.store.get(found[key].documents[1].sha256)
            sheet = openpyxl.load_workbook(io.BytesIO(data)).active
            assert sheet is not None
            rows = [[c.value for c in row] for row in sheet.iter_rows() if isinstance(row[0].value, dt.datetime)]
            source = [line.split(",") for line in MILK.splitlines() if line.startswith(f"{key},")]
            assert [[str(row[0])[:10], str(row[1]), Decimal(str(row[2]))] for row in rows] == [
                [line[1], line[2], Decimal(line[3])] for line in source
            ]


@pytest.mark.parametrize(
    ("milk", "members", "job", "says"),
    [
        ("second tank", None, None, None),
        (
            "as farm 117",
            None,
            None,
            "'117', the key of another recipient, stands in the pdf (page 1) and the xlsx (sheet1)",
        ),
        ("tell laka@members.tarnvale.example", None, None, "'laka@members.tarnvale.example', the address of 117,"),
        ("with Łąka Górna", None, None, "'Łąka Górna', the farm_name of 117, stands in"),
        (None, ("Zoë's Dairy", "Hallbank"), None, None),  # two farms of one name: it names neither
        (
            None,
            None,
            ("Dear {{ recipient.farm_name }},", "Dear {{ recipient.farm_name }} in place of farm 117,"),
            "'117', the key of another recipient, stands in the message",
        ),
        (None, None, ('text: "Collected in October."', 'text: "Not for farm 118."'), None),  # the job's own words
    ],
)
def test_a_value_of_somebody_else_holds_the_package(
    dairy: Dairy, milk: str | None, members: tuple[str, str] | None, job: tuple[str, str] | None, says: str | None
) -> None:
    if milk:
        dairy.write("milk.csv", MILK.replace("second tank", milk))
    if members:
        dairy.write("members.csv", MEMBERS.replace(*members))
    with dairy.tools() as tools:
        found = dairy.by_key(tools, dairy.prepared(tools, *([job] if job else [])))
        assert str(found["00042"].state) == ("held" if says else "ready")
        assert (says or "") in found["00042"].reason


def test_an_own_amount_that_looks_like_a_key_is_no_leak_but_an_identifier_is(dairy: Dairy) -> None:
    dairy.write("milk.csv", MILK.replace("1200,588.05", "117,588.05"))
    with dairy.tools() as tools:
        assert str(dairy.by_key(tools, dairy.prepared(tools))["00042"].state) == "ready"
        plain = ('{field: litres, format: "#,##0", total: sum}', "{field: litres}")
        assert str(dairy.by_key(tools, dairy.prepared(tools, plain))["00042"].state) == "held"


@pytest.mark.parametrize("place", ['title: "Statement of', 'title: "S"\n    footer: "', '- text: "'])
def test_an_own_figure_in_a_text_accounts_for_the_places_it_stands_in(dairy: Dairy, place: str) -> None:
    """Farm 00042 has 117 litres, and there is a farm 117; the same digits in a remark are somebody's key."""
    dairy.write("milk.csv", MILK.replace("1200,588.05", "1,588.05").replace("1180,577.90", "116,577.90"))
    merged = (place if "text" in place else 'title: "Statement of', place + "{{ figures.litres }} ")
    with dairy.tools() as tools:
        found = dairy.by_key(tools, dairy.prepared(tools, merged))
        assert str(found["00042"].state) == "ready", found["00042"].reason
        dairy.write("milk.csv", (dairy.folder / "milk.csv").read_text().replace("second tank", "as farm 117"))
        found = dairy.by_key(tools, dairy.prepared(tools, merged))
        assert (
            "'117', the key of another recipient, stands in the pdf (page 1) and the xlsx (sheet1)"
            in found["00042"].reason
        )


def test_preparing_twice_gives_the_same_documents_whatever_the_number_of_processes(dairy: Dairy) -> None:
    digests = []
    for processes in (1, 1, 2):
        with dairy.tools(processes) as tools:
            found = dairy.by_key(tools, dairy.prepared(tools))
            digests.append([d.sha256 for package in found.values() for d in package.documents])
    assert digests[0] == digests[1] == digests[2]
    assert len(set(digests[0])) == 6


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ((",laka@members.tarnvale.example,", ",laka,"), "'laka' is not an address: there is no @ in it"),
        ((",laka@members.tarnvale.example,", ",,"), "no address on the list"),
        (("Łąka Górna", "牛乳"), "'乳' (U+4E73, cjk unified ideograph-4e73) cannot be printed"),
    ],
)
def test_one_bad_line_of_the_list_holds_one_package(dairy: Dairy, change: tuple[str, str], says: str) -> None:
    dairy.write("members.csv", MEMBERS.replace(*change))
    with dairy.tools() as tools:
        found = dairy.by_key(tools, dairy.prepared(tools))
    assert says in found["117"].reason
    assert str(found["117"].state) == "held"
    assert str(found["00042"].state) == "ready"


def test_two_contacts_get_a_message_each_with_the_same_files(dairy: Dairy) -> None:
    dairy.write("members.csv", MEMBERS + "117,Second Reader,second@members.tarnvale.example,\n")
    with dairy.tools() as tools:
        package = dairy.by_key(tools, dairy.prepared(tools))["117"]
        subjects = [message.subject for message in package.messages]
    assert package.to == ("laka@members.tarnvale.example", "second@members.tarnvale.example")
    assert subjects == ["Statement of Łąka Górna", "Statement of Second Reader"]
    assert len({message.message_id for message in package.messages}) == 2


def test_only_some_keys_and_the_account_still_agrees(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        run = dairy.prepared(tools, only=("117",))
        assert list(dairy.by_key(tools, run)) == ["117"]
        assert account(run)["withheld"] == {"not chosen": 3}
        with pytest.raises(DataError, match=r"there is no key '11'.* Did you mean '11[789]'"):
            dairy.prepared(tools, only=("11",))


def test_what_fails_before_or_while_drawing_leaves_nothing_that_can_be_sent(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        with pytest.raises(GonnetError):
            dairy.prepared(tools, ("sum(amount)}", "sum(nothing)}"))
        assert tools.ledger.all_runs() == ()

        def fail(_done: int, _total: int) -> None:
            raise KeyboardInterrupt

        with pytest.raises(KeyboardInterrupt):
            prepare(dairy.job(), tools, Request(as_of=AS_OF, asked={}), fail)
        (run,) = tools.ledger.all_runs()
        assert str(run.state) == "aborted"
        assert not list(tools.work_folder.iterdir())


def test_names_that_collide_get_a_number(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        found = dairy.by_key(tools, dairy.prepared(tools, ('name: "{{ key }} statement"', 'name: "same"')))
        names = [document.name for package in found.values() for document in package.documents]
    assert names == ["same.pdf", "same.xlsx", "same (2).pdf", "same (2).xlsx", "same (3).pdf", "same (3).xlsx"]
