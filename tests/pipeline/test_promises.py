"""The promises over input that nobody chose: whose rows go where, and whether every figure agrees to the cent."""

from __future__ import annotations

import csv
import io
import re
import tempfile
import unicodedata
from collections import defaultdict
from decimal import Decimal
from email import message_from_bytes
from email.policy import default
from pathlib import Path
from typing import Any

import openpyxl
import pypdfium2
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gonnet.data import Periods, resolve
from gonnet.jobs.sources import Parameter
from support import AS_OF, SETTINGS, Dairy

KEYS = st.sampled_from(["00042", "42", " 42 ", "B1", "b1", "", "Łąka", "7-7", "=1+1", "x' or '1'='1", "../up", "9"])
REMARKS = st.text(st.characters(codec="utf-8", exclude_categories=("Cs", "Cc", "Co", "Cn")), max_size=12)
ROWS = st.lists(st.tuples(KEYS, st.decimals(-9_999, 9_999, places=2), REMARKS), min_size=1, max_size=25)
PLAIN = "documents: [{report: statement, as: pdf}, {report: statement, as: xlsx}]"


def made(folder: Path, rows: list[tuple[str, Decimal, str]]) -> Dairy:
    """A dairy whose rows are these, and whose list knows every key."""
    dairy = Dairy(folder=folder, port=1)
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", "1"))
    for name, head, lines in (
        ("milk.csv", "farm_no,day,litres,amount,remark", [[k, "2026-10-01", 1, f"{a:f}", r] for k, a, r in rows]),
        (
            "members.csv",
            "farm_no,farm_name,email,adviser",
            [
                [k, f"Farm of line {n}", f"f{n}@x.example", ""]
                for n, k in enumerate(sorted({k.strip() for k, *_ in rows} - {""}))
            ],
        ),
    ):
        target = io.StringIO()
        csv.writer(target, lineterminator="\n").writerows([head.split(","), *lines])
        dairy.write(name, target.getvalue())
    return dairy


def shown(data: bytes) -> list[tuple[Decimal, str]]:
    """Amount and remark of every row of a workbook's table."""
    sheet = openpyxl.load_workbook(io.BytesIO(data)).active
    assert sheet is not None
    rows: list[list[Any]] = [[cell.value for cell in row] for row in sheet.iter_rows()]
    return [(Decimal(str(row[2])).quantize(Decimal("0.01")), row[3] or "") for row in rows if hasattr(row[0], "year")]


@settings(max_examples=15, suppress_health_check=[HealthCheck.too_slow])
@given(ROWS)
def test_every_row_lands_in_its_own_keys_documents_and_in_no_other(rows: list[tuple[str, Decimal, str]]) -> None:
    wanted = defaultdict(list)
    for key, amount, remark in rows:
        if key.strip():
            wanted[key.strip()].append((amount, unicodedata.normalize("NFC", remark)))
    with tempfile.TemporaryDirectory() as folder:
        dairy = made(Path(folder), rows)
        with dairy.tools() as tools:
            changes = (
                (PLAIN, "documents: [{report: statement, as: xlsx}]"),
                ("{field: remark}", "{field: remark, width: 60}"),
                ("milk: {file: milk.csv}", "milk: {file: milk.csv, types: {remark: text}}"),
            )
            run = dairy.prepared(tools, *changes)
            packages = dairy.by_key(tools, run)
            found = {key: shown(tools.store.get(p.documents[0].sha256)) for key, p in packages.items() if p.documents}
    account: dict[str, Any] = dict(run.account)
    assert found == dict(wanted)
    assert account["read"] == len(rows) == account["delivered"] + sum(account["withheld"].values())
    amount = next(part for part in account["controls"] if part["column"] == "amount")
    assert Decimal(amount["whole"]) == sum(a for _, a, _ in rows)
    assert Decimal(amount["delivered"]) + Decimal(amount["withheld"]) == Decimal(amount["whole"])


def test_pdf_workbook_message_and_totals_agree_to_the_cent(tmp_path: Path) -> None:
    rows = [("1", Decimal("0.105"), "a"), ("1", Decimal("1234.105"), "b"), ("1", Decimal("-0.005"), "c")]
    dairy = made(tmp_path, rows)
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        package = dairy.by_key(tools, run)["1"]
        pdf, book = (tools.store.get(document.sha256) for document in package.documents)
        message = message_from_bytes(tools.store.get(package.messages[0].sha256), policy=default)
    text = pypdfium2.PdfDocument(pdf)[0].get_textpage().get_text_bounded()
    body = message.get_body(("plain",))
    assert body is not None
    sheet = openpyxl.load_workbook(io.BytesIO(book)).active
    assert sheet is not None
    total = next(row[2].value for row in sheet.iter_rows() if row[0].value == "Total")
    amounts = {Decimal(found.replace(",", "")) for found in re.findall(r"1,234\.\d\d", text + body.get_content())}
    assert amounts == {Decimal("1234.11"), Decimal("1234.21")}, "the row, and the total"
    assert Decimal(str(total)) == Decimal("1234.21")
    assert next(p for p in dict(run.account)["controls"] if p["column"] == "amount")["delivered"] == "1234.205"  # type: ignore[attr-defined]


@given(st.text(max_size=40), st.text(max_size=40))
def test_a_text_parameter_reaches_sql_as_it_was_given(name: str, value: str) -> None:
    values = resolve({"who": Parameter(kind="text")}, {"who": value}, AS_OF, Periods())
    assert values.bound()["who"] == value
    assert values.recorded() == {"who": value}
    assert name not in values.bound() or name in ("who", "as_of")
