"""Lines of a list for one address: each counts with what it says, or the package is held; none is ignored."""

from __future__ import annotations

import io

import pikepdf
import pytest

from support import Dairy

LINES = """\
farm_no,farm_name,email,adviser,pin,region,cc,reads
00042,Zoë's Dairy,ines@tarnvale.example,,1111,north,anna@tarnvale.example,en
117,Łąka Górna,Ines@tarnvale.example,,2222,south,ben@tarnvale.example,en
118,Hallbank,hallbank@members.tarnvale.example,,3333,south,,en
"""
OWN = "recipients: {rows: members, key: farm_no, name: farm_name, to: email, cc: adviser}"
NEUTRAL = [
    ("{name: idle,", "{name: idle, for: all,"),
    ("{name: a lot,", "{name: a lot, for: all,"),
    ('    subject: "Statement of {{ recipient.farm_name }}"', "    subject: Milk"),
    ("Dear {{ recipient.farm_name }}", "Hello"),
    ('    title: "Statement of {{ recipient.farm_name }}"', "    title: Statement"),
]
PIN = ("{report: statement, as: pdf}", '{report: statement, as: pdf, password: {open: "{{ recipient.pin }}"}}')
FOLDER = ("deliver:\n", 'deliver:\n  - folder: {path: "{{ recipient.region }}"}\n')
INES = "ines@tarnvale.example"


def bundled(how: str) -> tuple[str, str]:
    return OWN, f"recipients: {{rows: members, key: farm_no, to: email, bundle: {{{how}}}}}"


@pytest.fixture
def farms(dairy: Dairy) -> Dairy:
    dairy.write("members.csv", LINES)
    settings = (dairy.folder / "gonnet.yaml").read_text("utf-8")
    dairy.write("gonnet.yaml", settings + "folders:\n  archive: {path: archive}\n")
    (dairy.folder / "archive").mkdir()
    return dairy


def test_each_file_has_the_password_and_the_folder_of_its_own_line(farms: Dairy) -> None:
    with farms.tools() as tools:
        run = farms.prepared(tools, bundled("as: apart"), *NEUTRAL, PIN, FOLDER)
        package = farms.by_key(tools, run)[INES]
        assert str(package.state) == "ready", package.reason
        where = {part.target.place for part in package.placed}
        assert where == {
            f"{region}/{key} statement.{form}"
            for region, key in (("north", "00042"), ("south", "117"))
            for form in ("pdf", "xlsx")
        }
        for document, pin, other in zip(
            [found for found in package.documents if found.format == "pdf"], ("1111", "2222"), ("2222", "1111"), strict=True
        ):  # fmt: skip
            data = tools.store.get(document.sha256)
            with pytest.raises(pikepdf.PasswordError):
                pikepdf.open(io.BytesIO(data), password=other)
            pikepdf.open(io.BytesIO(data), password=pin).close()


@pytest.mark.parametrize(
    ("how", "changes", "field"),
    [
        ("as: whole", [PIN], "pin"),
        ("as: joined", [PIN], "pin"),
        ("as: joined", [FOLDER], "region"),
        ("as: apart", [("Hello", "Hello {{ recipient.farm_name }}")], "farm_name"),
        ("as: apart", [("Hello", "{% if recipient.region == 'north' %}Hello{% endif %}")], "region"),
        ("as: joined, name: 'All of {{ recipient.farm_name }}'", [], "farm_name"),
        ("as: apart", [("when: rows = 0", "when: RECIPIENT.Region = 'east'")], "region"),
        ("as: apart", [("when: rows = 0", "when: recipient.region is null")], "region"),
    ],
)
def test_what_is_used_once_must_be_the_same_in_all_lines(
    farms: Dairy, how: str, changes: list[tuple[str, str]], field: str
) -> None:
    with farms.tools() as tools:
        found = farms.by_key(tools, farms.prepared(tools, bundled(how), *NEUTRAL, *changes))
        assert str(found[INES].state) == "held"
        assert f"lines 1 and 2 of members have one address and differ in '{field}'" in found[INES].reason
        assert "differ" not in found["hallbank@members.tarnvale.example"].reason
        same = (
            LINES.replace("2222", "1111")
            .replace("117,Łąka Górna", "117,Zoë's Dairy")
            .replace("1111,south", "1111,north")
        )
        farms.write("members.csv", same)
        found = farms.by_key(tools, farms.prepared(tools, bundled(how), *NEUTRAL, *changes))
        assert "differ" not in found[INES].reason


def test_one_address_reads_one_language(farms: Dairy) -> None:
    farms.write("members.csv", LINES.replace("ben@tarnvale.example,en", "ben@tarnvale.example,de"))
    own, lists = bundled("as: apart")
    with farms.tools() as tools:
        run = farms.prepared(tools, (own, lists.replace("to: email", "to: email, language: reads")), *NEUTRAL)
        package = farms.by_key(tools, run)[INES]
    assert str(package.state) == "held"
    assert "ask for different languages" in package.reason


def test_a_second_line_for_the_address_of_a_key_counts_with_its_copies(farms: Dairy) -> None:
    farms.write("members.csv", LINES.replace("\n117,", "\n00042,", 1))
    changes = [(OWN, "recipients: {rows: members, key: farm_no, to: email, cc: cc}"), *NEUTRAL]
    with farms.tools() as tools:
        (message,) = farms.by_key(tools, farms.prepared(tools, *changes))["00042"].messages
        assert message.cc == ("anna@tarnvale.example", "ben@tarnvale.example")
        found = farms.by_key(tools, farms.prepared(tools, *changes, ("Hello", "{{ recipient.farm_name }}")))
    assert "differ in 'farm_name'" in found["00042"].reason


def test_who_sees_the_farms_of_others_opens_them_with_their_own_password(farms: Dairy) -> None:
    lines = "[{who: ines@tarnvale.example, farms: '00042; 117', pin: '9999', region: desk}]"
    lists = f"recipients:\n  - {{rows: members, key: farm_no, to: email}}\n  - {{lines: {lines}, keys: farms, to: who, bundle: {{as: apart}}}}"
    farms.write("members.csv", LINES.replace("ines@", "zoe@").replace("Ines@", "laka@"))
    with farms.tools() as tools:
        found = farms.by_key(tools, farms.prepared(tools, (OWN, lists), *NEUTRAL, PIN, FOLDER))
        assert [part.target.place.partition("/")[0] for part in found["117"].placed] == ["south"] * 2
        assert {part.target.place.partition("/")[0] for part in found[INES].placed} == {"desk"}
        for key, pin in (("117", "2222"), (INES, "9999")):
            for document in found[key].documents:
                if document.format == "pdf":
                    pikepdf.open(io.BytesIO(tools.store.get(document.sha256)), password=pin).close()
