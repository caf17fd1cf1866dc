"""A way belongs to a recipient: it is in their line, of their list, by a rule or a parameter, and takes what it takes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import pytest

from delivery.test_printing import tray, with_printer
from gonnet.errors import GonnetError
from gonnet.ledger import PackageRecord, State
from gonnet.packages.places import path_of
from gonnet.pipeline.reviewing.amending.remaking import reroute
from gonnet.pipeline.send import send
from gonnet.wording.filling import Wording
from gonnet.wording.formats import House
from gonnet.wording.template import Template
from scripted_smtp import Script, serving
from support import Dairy, of

JOB = """\
title: Tank checks
parameters: {by: {kind: choice, of: [mail, letter], default: mail}}
data: {milk: {file: milk.csv}}
split: {rows: milk, by: farm_no}
recipients:
  key: farm_no
  name: called
  to: email
  way: way
  lines:
    - {farm_no: "00042", called: Zoë, email: zoe@members.tarnvale.example, way: "", place: North/Hill}
    - {farm_no: "117", called: Łąka, email: "", way: letter, place: South}
    - {farm_no: "118", called: Hallbank, email: "", way: "Shelf; letter", place: ../../etc}
    - {farm_no: "119", called: Idle, email: "", way: by_hand, place: ""}
reports:
  check: {title: "Check of {{ recipient.called }}", blocks: [table: {columns: [{field: day}, {field: litres}]}]}
package:
  documents: [{report: check, as: pdf}, {report: check, as: xlsx}, {report: check, as: csv}]
  name: "{{ key }} check"
messages: {standard: {subject: Tank check, body: "Dear {{ recipient.called }}"}}
deliver:
  - {name: mail, as: pdf, email: {from: lab@tarnvale.example}}
  - {name: letter, optional: true, print: {printer: office}}
  - {name: shelf, optional: true, as: [xlsx, csv], folder: {root: shelf, path: "{{ recipient.place | path }}/{{ recipient.place }}"}}
  - {name: by_hand, optional: true, as: xlsx, drafts: {from: lab@tarnvale.example, root: shelf}}
"""
MILK = "farm_no,day,litres\n00042,2026-10-01,1200\n117,2026-10-01,800\n118,2026-10-01,6400\n119,2026-10-02,77\n"


@pytest.fixture
def checks(dairy: Dairy) -> Dairy:
    dairy.write("milk.csv", MILK)
    with_printer(dairy)
    settings = (dairy.folder / "gonnet.yaml").read_text("utf-8")
    dairy.write("gonnet.yaml", settings + "folders: {shelf: {path: shelf}}\n")
    return dairy


def leaving(dairy: Dairy, *changes: tuple[str, str]) -> dict[str, Any]:
    """Key → where its things are to go, and what each message carries; or why it is held."""
    _, packages, _ = dairy.made("checks", JOB, *changes)
    return {
        key: package.reason
        or [str(part.target) for part in package.hand_overs]
        + [file for message in package.messages for file in message.files]
        for key, package in packages.items()
    }


def test_each_gets_it_by_the_way_of_their_line_and_only_mail_needs_an_address(checks: Dairy) -> None:
    assert leaving(checks) == {
        "00042": ["zoe@members.tarnvale.example", "00042 check.pdf"],
        "117": ["printer office: 117 check.pdf"],
        "118": ["printer office: 118 check.pdf", *(f"folder shelf: document/document/etc/_.._etc/118 check.{end}" for end in ("xlsx", "csv"))],
        "119": ["folder shelf: 119.eml", "119 check.xlsx"],
    }  # fmt: skip


def test_domains_are_asked_for_mail_alone(checks: Dairy) -> None:
    settings = (checks.folder / "gonnet.yaml").read_text("utf-8")
    checks.write("gonnet.yaml", settings + "limits: {domains: [elsewhere.example]}\n")
    posted = ('called: Łąka, email: ""', "called: Łąka, email: laka@members.tarnvale.example")
    found = leaving(checks, posted)
    assert found["117"] == ["printer office: 117 check.pdf"]
    assert found["00042"] == "gonnet.yaml does not allow mail to zoe@members.tarnvale.example"


def test_what_no_way_of_a_package_takes_is_not_made(checks: Dairy) -> None:
    _, packages, _ = checks.made("checks", JOB)
    assert {key: [one.format for one in package.documents] for key, package in packages.items()} == {
        "00042": ["pdf"],
        "117": ["pdf"],
        "118": ["pdf", "xlsx", "csv"],
        "119": ["xlsx"],
    }


def test_all_of_them_leave_and_are_told_apart(checks: Dairy) -> None:
    checks.made("checks", JOB)
    script = Script()
    with checks.tools() as tools, serving(script, checks.port):
        run = tools.ledger.run("last")
        assert send(run, tools).states == {State.SENT: 4}
        came = {package.key: package.came_to for package in tools.ledger.packages(run.id)}
    assert came == {"00042": "sent", "117": "printed", "118": "printed", "119": "drafted"}
    assert len(script.stored) == 1
    assert list(tray(checks)) == ["0 117 check.pdf", "1 118 check.pdf"]


@pytest.mark.parametrize(
    ("changes", "key", "expected"),
    [
        ([('way: "Shelf; letter"', "way: fax")], "118", "'fax' is no way to deliver: the job has mail, letter, shelf, by_hand"),
        ([('way: "Shelf; letter"', "way: mail")], "118", "no address on the list"),
        ([('way: "Shelf; letter"', 'way: "mail; by_hand"'), ('Hallbank, email: ""', "Hallbank, email: h@f.example")], "118",
            "one way at most writes messages, and it is to go by mail and by_hand"),
        ([("as: pdf, email", "as: html, email")], "00042", "nothing of it goes by 'mail', which takes html only"),
        ([("  way: way\n", '  settings: {way: "$by"}\n'), ("default: mail", "default: letter")], "00042", ["printer office: 00042 check.pdf"]),
        ([("reports:\n", "rules: [{name: old, when: \"recipient.email = ''\", way: [letter]}]\nreports:\n")], "119",
            ["printer office: 119 check.pdf"]),
        ([("reports:\n", 'rules: [{name: now, otherwise: true, way: "$by"}]\nreports:\n')], "117", "no address on the list"),
    ],
)  # fmt: skip
def test_who_says_the_way_and_what_it_lacks(
    checks: Dairy, changes: Sequence[tuple[str, str]], key: str, expected: object
) -> None:
    assert leaving(checks, *changes)[key] == expected


@pytest.mark.parametrize(
    ("change", "expected"),
    [
        (("as: pdf, email", "documents: chek, email"), "the package has no document 'chek'. Did you mean 'check'?"),
        (("of: [mail, letter], default: mail}}", "of: [mail, leter], default: mail}}\nrules: [{name: x, when: rows > 1, way: $by}]"), "there is no way 'leter' to deliver"),
        (("reports:\n", "rules: [{name: x, when: rows > 1, deliver: [letter]}]\nreports:\n"), "`deliver:` is now called `way:`"),
        (("  name: \"{{ key }}", "  name: \"{{ key | path }}"), "`path` makes folders of a value, and this text names none"),
        (("name: by_hand, optional: true, ", "name: by_hand, "), "one way at most that writes messages"),
        (("  to: email\n  way: way\n", ""), "who is on this list gets mail by 'mail', and no column has the address"),
    ],
)  # fmt: skip
def test_what_cannot_be_meant_is_said_before_anything_is_read(
    checks: Dairy, change: tuple[str, str], expected: str
) -> None:
    with pytest.raises(GonnetError) as caught:
        checks.made("checks", JOB, change)
    assert any(expected in f"{one.what}. {one.fix}" for one in caught.value.mistakes)


@pytest.mark.parametrize(
    ("text", "value", "expected"),
    [
        ("a/{{ x }}", "b/c", "a/b_c"),
        ("a/{{ x | path }}/d", "b/c", "a/b/c/d"),
        ("{{ x | path }}", "\\b\\..\\c/", "b/document/c"),
        ("{{ x | path }}/a", None, "a"),
        ("{{ x }}", "b\ue012c", "bc"),
        ("{{ x | path }} a", "CON/b", "_CON/b a"),
    ],
)
def test_only_path_makes_folders_of_a_value(text: str, value: object, expected: str) -> None:
    wording = Wording(House(locale="en_IE"))
    assert path_of(text, lambda part: wording.fill_folders(Template(source=part, where=""), {"x": value})) == expected


def amended(checks: Dairy, key: str, *ways: str) -> PackageRecord:
    with checks.tools() as tools:
        run = tools.ledger.run("last")
        (package,) = reroute(run, tools, of(key), ways, "called", "maren")
        return package


def test_a_person_lets_it_go_by_another_way_and_back(checks: Dairy) -> None:
    checks.made("checks", JOB)
    posted = amended(checks, "00042", "letter", "shelf")
    assert [str(part.target) for part in posted.hand_overs] == [
        "printer office: 00042 check.pdf",
        *(f"folder shelf: North/Hill/North_Hill/00042 check.{end}" for end in ("xlsx", "csv")),
    ]
    assert not posted.messages
    back = amended(checks, "00042", "mail")
    assert [[str(part.target), part.way] for part in back.hand_overs] == [["zoe@members.tarnvale.example", "mail"]]
    assert checks.gonnet("show", "last", "00042").stdout.count("way changed to") == 2
    with checks.tools() as tools, serving(Script(), checks.port):
        assert send(tools.ledger.run("last"), tools).states == {State.SENT: 4}


@pytest.mark.parametrize(
    ("first", "way", "expected"),
    [
        (("--subject", "Other"), "letter", "was changed by hand, which would be lost"),
        (("--message-text", "Other"), "letter", "was changed by hand, which would be lost"),
        ((), "fax", "the job 'checks' has no way 'fax'"),
    ],
)
def test_what_a_person_did_before_is_not_lost_by_another_way(
    checks: Dairy, first: tuple[str, ...], way: str, expected: str
) -> None:
    checks.made("checks", JOB)
    if first:
        checks.gonnet("amend", "last", "00042", *first)
    with pytest.raises(GonnetError, match=expected):
        amended(checks, "00042", way)


def test_another_way_needs_the_same_data_and_what_it_takes(checks: Dairy) -> None:
    checks.made("checks", JOB)
    with pytest.raises(GonnetError, match="package 117 cannot leave if it goes by mail: no address on the list"):
        amended(checks, "117", "mail")
    checks.write("milk.csv", MILK.replace("117,2026-10-01,800", "117,2026-10-01,801"))
    with pytest.raises(GonnetError, match="no longer those"):
        amended(checks, "117", "shelf")


def test_what_left_by_several_ways_is_sent_again_by_the_ways_that_are_named(checks: Dairy) -> None:
    with_shelf = (
        'email: zoe@members.tarnvale.example, way: ""',
        'email: zoe@members.tarnvale.example, way: "mail; letter"',
    )
    checks.made("checks", JOB, with_shelf)
    script = Script()
    with serving(script, checks.port):
        checks.gonnet("send", "last", "--yes")
        checks.gonnet("resend", "last", "00042", "--yes")
        assert (len(script.stored), len(tray(checks))) == (2, 3)
        checks.gonnet("resend", "last", "00042", "--way", "letter", "--yes")
        assert (len(script.stored), len(tray(checks))) == (2, 4)
        refused = checks.gonnet("resend", "last", "00042", "--way", "shelf", "--yes", code=2).stderr
    assert "nothing of package 00042 left by 'shelf'" in refused
