"""The same job for readers of several languages: texts, numbers, dates and names of months, in every output."""

from __future__ import annotations

import io
import zipfile

import pytest

from gonnet.delivery import plain_text
from gonnet.jobs import load_job, load_workspace
from gonnet.pipeline.prepare import prepare
from gonnet.pipeline.survey import Request
from gonnet.wording.languages import chosen, locale_of
from opened import pdf_pages
from support import AS_OF, Dairy

LIST = """\
farm_no,farm_name,email,language
00042,Zoë's Dairy,zoe@members.tarnvale.example,
117,Łąka Górna,laka@members.tarnvale.example,pl
118,Sonnhof,sonnhof@members.tarnvale.example,de-AT
119,Pré Vert,pre@members.tarnvale.example,fr_CH
120,Al Waha,waha@members.tarnvale.example,ar
121,Nowhere,nowhere@members.tarnvale.example,qq
"""
ROWS = "farm_no,day,litres,amount,remark\n" + "".join(
    f"{key},2026-10-0{day},{1234 * day},{588.05 * day:.2f},\n" for key in range(117, 122) for day in (1, 2)
)
JOB = """\
title: Milk statements
parameters: {period: {kind: month, default: "2026-10"}}
data:
  milk: {file: milk.csv, types: {farm_no: text}}
  members: {file: members.csv}
split: {rows: milk, by: farm_no}
recipients: {rows: members, key: farm_no, name: farm_name, to: email, language: language}
figures: {payable: sum(amount)}
phrases: {regards: {en: Regards, de: Mit Gruß, fr: Salutations}}
reports:
  statement:
    title: {en: "Milk statement {{ period.label }}", de: "Milchabrechnung {{ period.label }}",
            fr: "Décompte de lait {{ period.label }}", pl: "Rozliczenie {{ period.label }}"}
    blocks:
      - facts:
          Payable: {value: "{{ figures.payable | money }}", label: {en: Payable, de: Zahlbar, fr: À payer, pl: Do wypłaty}}
      - table:
          columns:
            - {field: day, label: {en: Day, de: Tag, fr: Jour}, format: d MMMM}
            - {field: litres, label: {en: Litres, de: Liter, fr: Litres, pl: Litry}, format: "#,##0", total: sum}
            - {field: amount, label: {en: Amount, de: Betrag, fr: Montant, pl: Kwota}, format: "#,##0.00", total: sum}
          emphasise: {when: litres > 2000, cells: Betrag, as: bold}
package:
  documents: [{report: statement, as: pdf}, {report: statement, as: xlsx}, {report: statement, as: html}, {report: statement, as: csv}]
  name: "{{ key }} {{ period.id }}"
messages:
  standard:
    subject: {en: "Statement {{ period.label }}", de: "Abrechnung {{ period.label }}", fr: "Décompte {{ period.label }}"}
    body: "{{ figures.payable | money }} {{ 1234.5 | number }} {{ period.end | date }} {{ phrases.regards }}"
deliver: [{email: {from: "Statements <statements@tarnvale.example>"}}]
"""
# Key → what must stand in its PDF, its message, its CSV file and its workbook's styles (rare blanks as plain ones).
WANTED = {
    "117": ("Rozliczenie październik 2026|Do wypłaty 1 764,15 €|2 października|3 702|Razem|strona 1 z 1",
            "Statement październik 2026|1 764,15 € 1 234,5 31 paź 2026 Regards", "Day;Litry;Kwota|588,05", "[$-415]"),
    "118": ("Milchabrechnung Oktober 2026|Zahlbar € 1.764,15|2 Oktober|3.702|Summe|Seite 1 von 1",
            "Abrechnung Oktober 2026|€ 1.764,15 1.234,5 31.10.2026 Mit Gruß", "Tag;Liter;Betrag|588,05", "[$-C07]"),
    "119": ("Décompte de lait octobre 2026|À payer 1 764,15 €|2 octobre|3 702|Total|page 1 sur 1",
            "Décompte octobre 2026|1 764,15 € 1 234,5 31 oct. 2026 Salutations", "Jour;Litres;Montant|588,05", "[$-100C]"),
    "121": ("Milk statement October 2026|Payable €1,764.15|2 October|3,702|Total|page 1 of 1",
            "Statement October 2026|€1,764.15 1,234.5 31 Oct 2026 Regards", "Day,Litres,Amount|588.05", "[$-1809]"),
}  # fmt: skip


@pytest.fixture
def shop(dairy: Dairy) -> Dairy:
    dairy.write("members.csv", LIST)
    dairy.write("milk.csv", ROWS)
    dairy.write("jobs/statements.yaml", JOB)
    return dairy


def plain(text: str) -> str:
    """Rare blanks as plain ones, and the apostrophe that some editions of CLDR put between the digits of a group."""
    return text.translate(dict.fromkeys((0xA0, 0x202F, 0x27, 0x2019), " "))


def test_every_output_speaks_the_language_of_its_reader(shop: Dairy) -> None:
    shop.write("members.csv", LIST.replace(",qq", ","))
    with shop.tools() as tools:
        run = prepare(load_job(tools.workspace, "statements"), tools, Request(as_of=AS_OF, asked={}))
        found = shop.by_key(tools, run)
        for key, (pages, said, lines, style) in WANTED.items():
            package = found[key]
            assert str(package.state) == "ready", package.reason
            files = {document.format: tools.store.get(document.sha256) for document in package.documents}
            written = (
                ("pdf", pages, " ".join(pdf_pages(files["pdf"]))),
                (
                    "message",
                    said,
                    f"{package.messages[0].subject} {plain_text(tools.store.get(package.messages[0].sha256))}",
                ),
                ("csv", lines, files["csv"].decode("utf-8-sig")),
                ("xlsx", style, zipfile.ZipFile(io.BytesIO(files["xlsx"])).read("xl/styles.xml").decode()),
                ("html", pages.split("|")[0], files["html"].decode()),
            )
            for form, wanted, text in written:
                for part in wanted.split("|"):
                    assert part in " ".join(plain(text).split()), (key, form, part)
        assert str(found["120"].state) == "held"
        assert "arabic letter" in found["120"].reason


def test_check_names_texts_that_lack_and_scripts_that_cannot_be_printed(shop: Dairy) -> None:
    said = shop.gonnet("check", "statements", code=3).stdout
    assert "in Polish, which 1 line asks for, these texts are not given" in said
    assert "messages.standard.subject (jobs/statements.yaml:28:14)" in said
    assert "German" not in said
    assert "its PDF is to show it in Arabic" in said
    assert "121  Nowhere: 'qq' is not a language" in said


def test_right_to_left_readers_get_pages_and_workbooks_that_run_that_way(shop: Dairy) -> None:
    shop.write("jobs/statements.yaml", JOB.replace("{report: statement, as: pdf}, ", ""))
    shop.gonnet("preview", "statements", "--only", "120", "--into", "look")
    assert '<html lang="ar" dir="rtl">' in (shop.folder / "look/120 2026-10.html").read_text("utf-8")
    book = zipfile.ZipFile(shop.folder / "look/120 2026-10.xlsx")
    assert 'rightToLeft="1"' in book.read("xl/worksheets/sheet1.xml").decode()


def test_preview_has_a_case_for_each_language(shop: Dairy) -> None:
    said = shop.gonnet("preview", "statements", "--into", "look").stdout
    assert all(
        f"{name}" in said for name in ("Polish", "German (Austria)", "French (Switzerland)", "English (Ireland)")
    )


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ("pl: Litry}", "xx: Litry}", "'xx' is not a language"),
        ("de: Liter,", "de: 5,", "must be text, this is the number 5"),
        ("{en: Regards, de: Mit Gruß, fr: Salutations}", "{}", "one for each language, is missing"),
        ('de: "Abrechnung {{ period.label }}"', 'de: "Abrechnung {{ perid.label }}"', "unknown name 'perid'"),
    ],
)
def test_a_mistake_in_one_language_is_told_where_it_stands(shop: Dairy, old: str, new: str, says: str) -> None:
    assert old in JOB
    shop.write("jobs/statements.yaml", JOB.replace(old, new))
    said = shop.gonnet("check", "statements", code=2).stderr
    line = next(at for at, text in enumerate(JOB.replace(old, new).splitlines(), 1) if new in text)
    assert says in said
    assert f"jobs/statements.yaml:{line}:" in said


@pytest.mark.parametrize(
    ("locale", "tag"),
    [
        ("de_AT", "de"),
        ("fr_CH", "fr-CH"),
        ("fr_CA", "fr"),
        ("en_GB", "en-IE"),
        ("pl", "en-IE"),
        ("zh_Hant_TW", "en-IE"),
    ],
)
def test_a_reader_gets_the_nearest_text(locale: str, tag: str) -> None:
    assert chosen({"de": "", "fr-CH": "", "fr": "", "en-IE": ""}, locale_of(locale), "en_GB") == tag


def test_a_job_without_languages_reads_as_before(dairy: Dairy) -> None:
    job = load_job(load_workspace(dairy.folder), "statements")
    assert job.read_for("de_AT", "en_IE").file == job.file
