"""Files go into folders: never outside them, whole, and never over what somebody else put there."""

from __future__ import annotations

from email import message_from_bytes
from email.policy import default
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gonnet.delivery.folder import OutsideError, TakenError, put_file
from gonnet.errors import JobError
from gonnet.ledger import State
from gonnet.packages.places import path_of
from gonnet.pipeline.send import Wish, send
from scripted_smtp import Script, serving
from support import MEMBERS, SETTINGS, Dairy

EMAIL = '  - email: {from: "Statements <statements@tarnvale.example>"}\n'
FOLDERS = "folders: {archive: {path: archive, link: 'https://files.tarnvale.example/milk', mode: '640'}}\n"


def names(folder: Path) -> list[str]:
    return sorted(path.name for path in folder.iterdir())


def never(_digest: str) -> bool:
    return False


def test_a_file_is_put_whole_with_its_permissions_and_again_changes_nothing(tmp_path: Path) -> None:
    assert put_file(tmp_path, "a/b/c.pdf", b"one", "keep both", never, 0o640) == "a/b/c.pdf"
    found = tmp_path / "a/b/c.pdf"
    assert (found.read_bytes(), found.stat().st_mode & 0o777) == (b"one", 0o640)
    for existing in ("keep both", "replace", "refuse"):
        assert put_file(tmp_path, "a/b/c.pdf", b"one", existing, never) == "a/b/c.pdf"
    assert names(tmp_path / "a/b") == ["c.pdf"]


def test_what_becomes_of_another_file_of_the_name(tmp_path: Path) -> None:
    put_file(tmp_path, "c.pdf", b"one", "refuse", never)
    assert put_file(tmp_path, "c.pdf", b"two", "keep both", never) == "c (2).pdf"
    assert put_file(tmp_path, "c.pdf", b"two", "keep both", never) == "c (2).pdf"
    with pytest.raises(TakenError, match="another file"):
        put_file(tmp_path, "c.pdf", b"two", "refuse", never)
    with pytest.raises(TakenError, match="somebody changed it"):
        put_file(tmp_path, "c.pdf", b"two", "replace", never)
    assert put_file(tmp_path, "c.pdf", b"two", "replace", lambda _digest: True) == "c.pdf"
    assert (tmp_path / "c.pdf").read_bytes() == b"two"


@pytest.mark.parametrize("place", ["../x", "a/../../x", "/etc/x", "", "a\\..\\x"])
def test_no_place_is_outside(tmp_path: Path, place: str) -> None:
    with pytest.raises(OutsideError):
        put_file(tmp_path / "root", place, b"x", "refuse", never)


def test_a_link_does_not_lead_out(tmp_path: Path) -> None:
    (tmp_path / "root").mkdir()
    (tmp_path / "root/out").symlink_to(tmp_path, target_is_directory=True)
    with pytest.raises(OutsideError, match="leads out"):
        put_file(tmp_path / "root", "out/x.pdf", b"x", "refuse", never)


@given(st.text(max_size=30), st.text(max_size=30))
def test_a_merged_value_adds_no_folder(region: str, name: str) -> None:
    values = {"region": region, "name": name}

    def filled(part: str) -> list[str]:
        for key, value in values.items():
            part = part.replace(f"{{{{ {key} }}}}", value)
        return [part]

    parts = path_of("2026/{{ region }}/{{ name }} x", filled).split("/")
    assert len(parts) == 3
    assert not {"", ".", ".."} & set(parts)


def deliver(*ways: str) -> tuple[str, str]:
    return EMAIL, "".join(f"  - {way}\n" for way in ways)


def ready(dairy: Dairy, *changes: tuple[str, str]) -> Any:  # noqa: ANN401  tools, run and packages
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + FOLDERS)
    with dairy.tools() as tools:
        run = dairy.prepared(tools, *changes)
        return run, dairy.by_key(tools, run)


def test_packages_go_into_folders_by_a_template(dairy: Dairy) -> None:
    dairy.write(
        "members.csv",
        MEMBERS.replace("ines@tarnvale.example", "north/../../etc").replace("email,adviser", "email,route"),
    )
    change = ("to: email, cc: adviser", "to: email")
    run, found = ready(dairy, change, deliver('folder: {path: "2026-10/{{ recipient.route }}"}'))
    assert [part.target.place for part in found["117"].placed] == [
        "2026-10/north_.._.._etc/117 statement.pdf",
        "2026-10/north_.._.._etc/117 statement.xlsx",
    ]
    with dairy.tools() as tools:
        assert send(run, tools).states == {State.SENT: 2}
        after = dairy.by_key(tools, run)
    assert {str(part.state) for part in after.values()} == {"sent", "held", "skipped"}
    folder = dairy.folder / "archive/2026-10/north_.._.._etc"
    assert names(folder) == [
        "00042 statement.pdf", "00042 statement.xlsx", "117 statement.pdf", "117 statement.xlsx",
    ]  # fmt: skip
    assert (folder / "117 statement.pdf").stat().st_mode & 0o777 == 0o640


def test_a_second_run_replaces_what_the_first_put_there_and_nothing_else(dairy: Dairy) -> None:
    change = deliver("folder: {existing: replace}")
    run, _ = ready(dairy, change)
    with dairy.tools() as tools:
        send(run, tools)
    (dairy.folder / "archive/117 statement.pdf").write_bytes(b"somebody's notes")
    dairy.write(
        "milk.csv",
        (dairy.folder / "milk.csv").read_text("utf-8").replace("392.40", "392.41").replace("588.05", "588.06"),
    )
    run, _ = ready(dairy, change)
    with dairy.tools() as tools:
        assert send(run, tools, Wish(again=True)).states == {State.SENT: 1, State.FAILED: 1}
        failed = dairy.by_key(tools, run)["117"]
    assert (
        "folder archive: 117 statement.pdf: file refused: the file of this name is not what was put there"
        in failed.reason
    )
    assert (dairy.folder / "archive/117 statement.pdf").read_bytes() == b"somebody's notes"


def test_a_file_that_is_only_put_into_a_folder_is_linked_to(dairy: Dairy) -> None:
    ways = deliver('email: {from: "s@tarnvale.example"}', "folder: {path: a b, existing: refuse}")
    change = ("{report: statement, as: xlsx}", "{report: statement, as: xlsx, attach: false}")
    body = ("payable: **", "{% for link in links %}[{{ link.name }}]({{ link.url }}) {% endfor %}\n      payable: **")
    _, found = ready(dairy, ways, change, body)
    assert found["117"].messages[0].files == ("117 statement.pdf",)
    text = text_of(dairy, found["117"].messages[0].sha256)
    assert "(https://files.tarnvale.example/milk/a%20b/117%20statement.xlsx)" in text


def text_of(dairy: Dairy, sha256: str) -> str:
    with dairy.tools() as tools:
        mail: Any = message_from_bytes(b"Date: x\r\n" + tools.store.get(sha256), policy=default)
    return str(mail.get_body(("plain",)).get_content())


def test_files_that_are_too_large_for_a_message_are_linked_to(dairy: Dairy) -> None:
    ways = deliver('email: {from: "s@tarnvale.example"}', "folder: {existing: refuse}")
    limit = ('name: "{{ key }} statement"', 'name: "{{ key }} statement"\n  limit: {size: 20 kB, over: link}')
    _, found = ready(dairy, ways, limit)
    assert (str(found["117"].state), found["117"].messages[0].files) == ("ready", ())
    assert "- 117 statement.pdf (https://files.tarnvale.example/milk/117%20statement.pdf)" in text_of(
        dairy, found["117"].messages[0].sha256
    )


def test_a_rule_says_by_which_way(dairy: Dairy) -> None:
    ways = deliver('email: {from: "s@tarnvale.example"}', "{name: archive, optional: true, folder: {path: x}}")
    rule = ("rules:\n", "rules:\n  - {name: on paper, when: litres < 2000, way: archive}\n")
    _, found = ready(dairy, ways, rule)
    assert (len(found["117"].messages), len(found["117"].placed)) == (0, 2)
    assert (len(found["00042"].messages), len(found["00042"].placed)) == (1, 0)


def test_no_message_leaves_before_its_files_are_there(dairy: Dairy) -> None:
    ways = deliver('email: {from: "s@tarnvale.example"}', "folder: {existing: refuse}")
    run, _ = ready(dairy, ways)
    (dairy.folder / "archive").mkdir()
    for key in ("00042", "117"):
        (dairy.folder / f"archive/{key} statement.pdf").write_bytes(b"other")
    script = Script()
    with dairy.tools() as tools, serving(script, dairy.port):
        assert send(run, tools).states == {State.FAILED: 2}
    assert script.stored == []


@pytest.mark.parametrize(
    ("change", "what"),
    [
        (deliver("folder: {root: other}"), "there is no folder 'other' in gonnet.yaml. Name one with `root:`: archive"),
        (deliver("folder: {path: a}", "folder: {path: b}"), "two ways to deliver are called 'folder'"),
        (deliver("folder: {path: '{{ nobody }}'}"), "unknown name 'nobody'"),
        (
            deliver("{name: x, optional: true, folder: {path: a}}"),
            "no list and no rule says `way: x`, which is optional",
        ),
        (("as: xlsx}", "as: xlsx, attach: false}"), "is only put into folders or printed, and the job does neither"),
        (("payable: **", "{{ links[0].url }} **"), "messages link to files, and no folder has an address"),
        (("skip: no milk", "way: archive"), "there is no way 'archive' to deliver"),
    ],
)
def test_ways_that_cannot_be_are_told(dairy: Dairy, change: tuple[str, str], what: str) -> None:
    with pytest.raises(JobError) as found:
        ready(dairy, change)
    assert what in str(found.value)
