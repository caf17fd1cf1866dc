"""A review goes out as a sheet, is changed in any program, and comes back: all of what it asks for is done, or nothing."""

from __future__ import annotations

import csv
import datetime as dt
import io
import random
import re
import shutil
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gonnet.errors import DataError, RunError
from gonnet.ledger import PackageRecord, RunRecord, State
from gonnet.pipeline.reviewing.amending.amendment import Amendment
from gonnet.pipeline.reviewing.by_hand import move
from gonnet.pipeline.reviewing.decisions import Intention
from gonnet.pipeline.reviewing.from_sheet import amend_from
from gonnet.pipeline.reviewing.sheet.deciding import decisions_of
from gonnet.pipeline.reviewing.sheet.lines import KEY, MARK, table_of
from gonnet.pipeline.reviewing.sheet.reading import read_sheet
from gonnet.pipeline.reviewing.sheet.writing import text, workbook
from gonnet.pipeline.tools import Tools
from opened import saved_again
from support import MEMBERS, MILK, SETTINGS, Dairy, of

OWING = (
    "  standard:\n",
    '  owing: {subject: "{{ key }} owes", body: "Pay {{ figures.payable | money }}"}\n  standard:\n',
)
MESSAGES = ("owing", "standard")
Edits = Mapping[str, Mapping[str, Any]]
"""Key → heading → what is written there."""
Reviewed = tuple[Dairy, Tools, RunRecord, tuple[PackageRecord, ...]]
DECIDED: Edits = {
    "00042": {"Decision": "hold", "Reason": "prices"},
    "117": {
        "Other To": "piotr@x.example; eva@x.example",
        "Other Cc": "nobody",
        "Other message": "owing",
        "Reason": "asked",
    },
    "118": {
        "Decision": "Send",
        "Reason": "called",
        "Other subject": "=Corrected",
        "Other text": "Dear all,\n\nhere it is.",
    },
}


def agreed(_intention: Intention) -> bool:
    return True


def written(dairy: Dairy, tools: Tools, run: RunRecord, name: str) -> Path:
    table = table_of(run, tools.ledger.packages(run.id), MESSAGES)
    return dairy.write(name, text(table) if name.endswith(".csv") else workbook(table))


def edited(path: Path, edits: Edits, more: Callable[[Any], None] = lambda _sheet: None) -> None:
    """Write into a workbook as somebody does who opens it."""
    book = openpyxl.load_workbook(path)
    sheet: Any = book["Packages"]
    columns = {cell.value: cell.column for cell in sheet[1]}
    for row in range(2, sheet.max_row + 1):
        for heading, value in edits.get(sheet.cell(row, columns[KEY]).value, {}).items():
            cell = sheet.cell(row, columns[heading])
            cell.value = value
            if isinstance(value, str) and value.startswith("="):
                cell.data_type = "s"  # typed as text, as the cell's format says
    more(sheet)
    book.save(path)


def edited_text(path: Path, edits: Edits, sign: str, encoding: str) -> None:
    """The same in CSV, saved as another program does."""
    rows = list(csv.DictReader(io.StringIO(path.read_text("utf-8-sig"), newline="")))
    for row in rows:
        row.update(edits.get(row[KEY], {}))
        row[KEY] = row[KEY].lstrip("0")  # as a program does that takes keys for numbers
    target = io.StringIO()
    writer = csv.DictWriter(target, list(rows[0]), delimiter=sign)
    writer.writeheader()
    writer.writerows(rows)
    path.write_bytes(target.getvalue().encode(encoding))


@pytest.mark.parametrize("how", ["openpyxl", "xlsx", "ods", "csv", "own csv", "csv of an office"])
def test_what_is_decided_in_a_sheet_is_done_whatever_program_saved_it(dairy: Dairy, how: str) -> None:
    if how in ("xlsx", "ods", "csv") and shutil.which("soffice") is None:
        pytest.skip("LibreOffice is not installed")
    with dairy.tools() as tools:
        run = dairy.prepared(tools, OWING)
        path = written(dairy, tools, run, "r.csv" if "own" in how or "office" in how else "r.xlsx")
        if path.suffix == ".csv":
            edited_text(path, DECIDED, *((",", "utf-8") if "own" in how else (";", "cp1250")))
        else:
            edited(path, DECIDED)
            path = path if how == "openpyxl" else saved_again(path, how)
        seen: list[Intention] = []

        def ask(intention: Intention) -> bool:
            seen.append(intention)
            return True

        found = amend_from(run, tools, path, "maren", ask)
        packages = dairy.by_key(tools, run)
        events = [what for key in ("117", "118") for _, what in tools.ledger.history(run.id, packages[key].id)]
        assert all(tools.seals.trouble(package, run.id, leaves=False) is None for package in found)
    assert [package.key for package in found] == ["00042", "117", "118"]
    assert [package.key for package in seen[0].packages] == ["00042", "117", "118"]
    assert {key: (str(package.state), package.reason) for key, package in packages.items()} == {
        "00042": ("held", "prices"),
        "117": ("ready", ""),
        "118": ("ready", ""),
        "119": ("skipped", "no milk"),
    }
    (owing,), (corrected,) = packages["117"].messages, packages["118"].messages
    assert (owing.to, owing.cc, owing.called, owing.subject) == (
        ("piotr@x.example", "eva@x.example"), (), "owing", "117 owes",
    )  # fmt: skip
    assert corrected.subject == "=Corrected"
    assert "released by maren: called" in events
    assert any(what.endswith("by maren: asked") and "message changed to 'owing'" in what for what in events)


def shuffled(sheet: Any, chance: random.Random) -> None:  # noqa: ANN401
    """Lines in another order, some taken out, a column of somebody's own before the others."""
    head, *rows = [[cell.value for cell in row] for row in sheet.iter_rows()]
    kept = [row for row in rows if chance.random() < 0.8]
    chance.shuffle(kept)
    sheet.delete_rows(1, sheet.max_row)
    for row in (["Seen"], *[["x"] for _ in kept]):
        sheet.append(row)
    for number, row in enumerate([head, *kept], 1):
        for column, value in enumerate(row, 2):
            sheet.cell(number, column).value = value


@pytest.fixture(scope="module")
def reviewed(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Reviewed]:
    """A run of several packages, ready to be decided about."""
    dairy = Dairy(tmp_path_factory.mktemp("sheet"), 2525)
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", "2525"))
    more = "".join(f"{number},2026-10-02,10,1.00,\n" for number in range(200, 206))
    dairy.write("milk.csv", MILK + more)
    dairy.write("members.csv", MEMBERS + "".join(f"{n},Farm {n} End,f{n}@x.example,\n" for n in range(200, 206)))
    with dairy.tools() as tools:
        run = dairy.prepared(tools, OWING)
        yield dairy, tools, run, tools.ledger.packages(run.id)


CHOICES = {
    "Decision": st.sampled_from(["", "send", "hold", "SKIP", " hold "]),
    "Other To": st.sampled_from(["", "a@x.example", "Ada <a@x.example>; b@x.example"]),
    "Other message": st.sampled_from(["", "owing"]),
    "Other text": st.text(st.characters(codec="utf-8", categories=["L", "N", "P", "Zs"]), max_size=20),
}
STATES = {"send": "ready", "hold": "held", "skip": "skipped"}


@settings(max_examples=40, deadline=None)
@given(data=st.data())
def test_exactly_what_was_written_is_asked_for(reviewed: Reviewed, data: st.DataObject) -> None:
    dairy, tools, run, packages = reviewed
    edits: dict[str, dict[str, str]] = {
        package.key: {"Reason": "said", **{heading: data.draw(choice) for heading, choice in CHOICES.items()}}
        for package in packages
        if data.draw(st.booleans())
    }
    path = written(dairy, tools, run, "random.xlsx")
    chance = random.Random(data.draw(st.integers()))
    left: list[str] = []

    def change(sheet: Any) -> None:  # noqa: ANN401
        shuffled(sheet, chance)
        left.extend(str(row[1].value) for row in sheet.iter_rows(min_row=2))

    edited(path, edits, change)
    decisions, refusals = decisions_of(read_sheet(path), table_of(run, packages, MESSAGES), tools)
    assert refusals == () or all("merge fields" in refusal.why for refusal in refusals)
    found = {decision.package.key: decision for decision in decisions}
    for package in packages:
        asked = edits.get(package.key, {}) if package.key in left else {}
        texts = {heading: value.strip() for heading, value in asked.items() if heading != "Reason"}
        if "{{" in texts.get("Other text", "") or "{%" in texts.get("Other text", ""):
            continue
        to = STATES.get(texts.pop("Decision", "").casefold())
        to = None if to == str(package.state) else to
        wanted = {heading: value for heading, value in texts.items() if value}
        assert (package.key in found) == bool(to or wanted)
        if package.key in found:
            decision = found[package.key]
            assert (str(decision.to) if decision.to else None) == to
            mine = decision.wanted or Amendment()
            said = {"Other To": mine.to, "Other message": mine.message, "Other text": mine.text}
            assert {heading: value for heading, value in said.items() if value} == wanted


def merged(sheet: Any) -> None:  # noqa: ANN401
    sheet.merge_cells("F2:F3")


def formula(sheet: Any) -> None:  # noqa: ANN401
    sheet["F3"] = '=IF(1=1,"send","hold")'


def sorted_alone(sheet: Any) -> None:  # noqa: ANN401
    keys = sorted((sheet.cell(row, 1).value for row in range(2, 6)), reverse=True)
    for row, key in enumerate(keys, 2):
        sheet.cell(row, 1).value = key


def added(sheet: Any) -> None:  # noqa: ANN401
    sheet.append(["999", "Somebody", "", "", "", "send", "why not"])


def twice(sheet: Any) -> None:  # noqa: ANN401
    sheet.append([cell.value for cell in sheet[2]])


def of_another_run(sheet: Any) -> None:  # noqa: ANN401
    column = next(cell.column for cell in sheet[1] if cell.value == "Run")
    for row in range(2, 6):
        sheet.cell(row, column).value = 7


@pytest.mark.parametrize(
    ("edits", "more", "says"),
    [
        ({"117": {"Decision": "send it"}}, None, ["line 3: 'send it' is no decision"]),
        ({"117": {"Decision": "skip"}}, None, ["line 3: say the reason for 'skip'"]),
        ({"118": {"Other text": "{{ figures.payable }}"}}, None, ["line 4: merge fields are not filled"]),
        ({"118": {"Other message": "owed"}}, None, ["line 4: the job has no message 'owed'; it has owing, standard"]),
        ({"118": {"Other To": "nowhere"}}, None, ["line 4: 'nowhere' is not an address"]),
        ({"118": {"Other To": "Nobody"}}, None, ["line 4: 'nobody' cannot stand under 'Other To'"]),
        (
            {"118": {"Other To": "zoe@members.tarnvale.example", "Decision": "send", "Reason": "x"}},
            None,
            ["line 4: it would be written to zoe@members.tarnvale.example, the address of 00042"],
        ),
        ({"118": {"Other subject": "Like Zoë's Dairy"}}, None, ["line 4: this names somebody else: 'Zoë's Dairy'"]),
        ({"118": {"One more file": "../../etc/passwd"}}, None, ["line 4: under 'One more file': .* lies outside"]),
        ({"118": {"One more file": "none.txt"}}, None, ["line 4: under 'One more file': there is no file none.txt"]),
        ({"118": {"To": "me@x.example"}}, None, ["line 4: 'To' only tells, and was changed; write under 'Other To'"]),
        ({"119": {"Decision": "send", "Reason": "x"}}, None, ["line 5: package 119 has no documents"]),
        ({"119": {"Other To": "a@x.example"}}, None, ["line 5: package 119 is skipped"]),
        ({}, merged, ["line 2: under 'Decision' stands merged with other cells", "line 3"]),
        (
            {},
            sorted_alone,
            ["line 2: its key is '119', and its mark is that of key '00042'", "line 3", "line 4", "line 5"],
        ),
        ({}, added, ["line 12: it is not a line of the sheet"]),
        ({}, twice, ["line 2: key '00042' stands in 2 lines", "line 12"]),
        ({}, of_another_run, ["line 2: it is of run 7, not of run 1", "line 3", "line 4", "line 5"]),
        (
            {"117": {"Decision": "hold", "Reason": "fine"}, "118": {"Decision": "?"}},
            None,
            ["line 4: '\\?' is no decision"],
        ),
    ],
)
def test_a_line_that_cannot_be_used_is_named_and_then_nothing_is_done(
    reviewed: Reviewed, edits: Edits, more: Callable[[Any], None] | None, says: list[str]
) -> None:
    dairy, tools, run, before = reviewed
    path = written(dairy, tools, run, "r.xlsx")
    edited(path, edits, more or (lambda _sheet: None))
    with pytest.raises(DataError, match=r".") as told:
        amend_from(run, tools, path, "maren", agreed)
    assert tools.ledger.packages(run.id) == before
    found = [f"{one.where}: {one.what}".removeprefix("r.xlsx, ") for one in told.value.mistakes]
    assert len(found) == len(says), found
    for line, wanted in zip(found, says, strict=True):
        assert re.match(wanted, line), (line, wanted)


def test_what_has_moved_on_since_the_sheet_was_written_is_refused_by_name(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        path = written(dairy, tools, run, "r.xlsx")
        edited(path, {"00042": {"Decision": "skip", "Reason": "gone"}})
        move(run, tools, of("117"), State.HELD, "waits", "elin")
        with pytest.raises(DataError, match="package 117 was changed since the sheet was written; it is held now"):
            amend_from(run, tools, path, "maren", agreed)
        other = dairy.prepared(tools)
        with pytest.raises(DataError, match="it is of run 1, not of run 2"):
            amend_from(other, tools, path, "maren", agreed)
        again = written(dairy, tools, run, "again.xlsx")
        edited(again, {"00042": {"Decision": "skip", "Reason": "gone"}})

        def somebody_else(_intention: Intention) -> bool:
            move(run, tools, of("00042"), State.HELD, "mine", "elin")
            return True

        with pytest.raises(RunError, match="package 00042 was changed meanwhile"):
            amend_from(run, tools, again, "maren", somebody_else)


def test_letters_that_cannot_be_read_are_no_words_to_send(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        path = written(dairy, tools, run, "r.csv")
        edited_text(path, {"117": {"Other subject": "Für Sie"}}, ";", "cp1250")
        with pytest.raises(DataError, match="line 3: letters under 'Other subject' cannot be read"):
            amend_from(run, tools, path, "maren", agreed)


def test_what_was_edited_in_a_sheet_that_is_none_is_told(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        for name, data in (("a.xlsx", b"no workbook"), ("b.csv", b"Key,Decision\n117,hold\n")):
            with pytest.raises(DataError, match=r"no workbook that can be read|not the sheet of a review"):
                amend_from(run, tools, dairy.write(name, data), "maren", agreed)


def test_by_the_commands_with_what_was_before(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        dairy.sent(tools, dt.date(2026, 10, 5))
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    told = dairy.gonnet("review", "last", "--sheet", "review.xlsx", code=3).stdout
    assert "gonnet amend 2 --from review.xlsx" in told
    path = dairy.folder / "review.xlsx"
    assert path.stat().st_mode & 0o077 == 0
    book = openpyxl.load_workbook(path)
    sheet: Any = book["Packages"]
    assert sheet.protection.sheet is True
    rows = [
        dict(zip([c.value for c in sheet[1]], [c.value for c in row], strict=True))
        for row in sheet.iter_rows(min_row=2)
    ]
    first = next(row for row in rows if row[KEY] == "117")
    assert (first["payable"], first["payable before"], first["payable change"]) == (780.51, 780.51, 0)
    assert {"State": "held", "Why": "more than the tank holds"}.items() <= rows[0].items()
    assert len({row[MARK] for row in rows}) == 4
    edited(path, {"117": {"Decision": "hold", "Reason": "prices"}, "118": {"Decision": "send", "Reason": "called"}})
    asked = dairy.gonnet("amend", "last", "--from", "review.xlsx", code=2)
    assert "say --yes" in asked.stderr
    assert "held by" in asked.stdout
    assert "→ hallbank@members.tarnvale.example" in asked.stdout
    dairy.gonnet("amend", "last", "--from", "review.xlsx", "--yes")
    again = dairy.gonnet("amend", "last", "--from", "review.xlsx", "--yes", code=2).stderr
    assert "line 2: package 118 was changed since the sheet was written; it is ready now" in again
    assert "--from goes alone" in dairy.gonnet("amend", "last", "117", "--from", "review.xlsx", code=2).stderr
