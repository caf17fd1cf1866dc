"""A job takes files of its workspace and of folders that gonnet.yaml names, and runs programs that it names."""

from __future__ import annotations

import sys
from pathlib import Path

import pytest

from gonnet.errors import GonnetError
from support import MILK, SETTINGS, Dairy, run_gonnet

DOCUMENTS = "  documents: [{report: statement, as: pdf}, {report: statement, as: xlsx}]\n"
TEXT = '      - text: "Collected in October."\n'
OUTSIDE = {
    "data": ("{file: milk.csv}", "{file: FILE}"),
    "pattern of data": ("{file: milk.csv}", "{file: FILE*}"),
    "enclosure": (DOCUMENTS, f"  enclose: [FILE]\n{DOCUMENTS}"),
    "picture": (TEXT, "      - {image: FILE, alt: a}\n"),
    "logo": ("title: Milk statements\n", "title: Milk statements\nstyle: {logo: FILE}\n"),
}


def told(dairy: Dairy, *change: tuple[str, str]) -> str:
    with dairy.tools() as tools, pytest.raises(GonnetError) as caught:
        dairy.prepared(tools, *change)
    return str(caught.value)


@pytest.mark.parametrize("how", ["absolute", "above", "link", "folder that is a link"])
@pytest.mark.parametrize("what", OUTSIDE)
def test_files_outside_are_refused_whatever_way_leads_there(
    dairy: Dairy, tmp_path_factory: pytest.TempPathFactory, what: str, how: str
) -> None:
    aside = tmp_path_factory.mktemp("aside")
    (aside / "milk.csv").write_text(MILK, "utf-8")
    names = {
        "absolute": str(aside / "milk.csv"),
        "above": str(Path("..") / ".." / aside.name / "milk.csv"),
        "link": "linked.csv",
        "folder that is a link": "linked/milk.csv",
    }
    (dairy.folder / "linked.csv").symlink_to(aside / "milk.csv")
    (dairy.folder / "linked").symlink_to(aside)
    old, new = OUTSIDE[what]
    assert "lies outside of the workspace" in told(dairy, (old, new.replace("FILE", names[how])))


@pytest.mark.parametrize("name", [".env", ".gonnet/ledger.db", "data/.env.local"])
def test_passwords_and_the_files_of_others_are_never_taken(dairy: Dairy, name: str) -> None:
    dairy.write("data/.env.local", "A=b")
    dairy.write(".env", "A=b").chmod(0o600)
    with dairy.tools() as tools:
        dairy.prepared(tools)
    assert "cannot be taken" in told(dairy, (DOCUMENTS, f"  enclose: [{name}]\n{DOCUMENTS}"))


def test_a_folder_that_the_workspace_names_may_be_read(dairy: Dairy, tmp_path_factory: pytest.TempPathFactory) -> None:
    aside = tmp_path_factory.mktemp("exports")
    (aside / "milk.csv").write_text(MILK, "utf-8")
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + f"reads: [{aside}]\n")
    with dairy.tools() as tools:
        run = dairy.prepared(tools, ("{file: milk.csv}", f"{{file: {aside}/milk.csv}}"))
    assert sum(run.counts.values()) == 4


def test_programs_are_those_of_the_workspace(dairy: Dairy) -> None:
    begin = "title: Milk statements\n"
    assert "there is no program 'fetch' in gonnet.yaml" in told(
        dairy, (begin, f"{begin}steps: [{{program: fetch, at: start}}]\n")
    )
    given = f"{begin}steps: [{{program: {{run: [rm, x]}}, at: start}}]\n"
    assert "programs are named in gonnet.yaml" in told(dairy, (begin, given))
    assert "is now `steps: [{program: NAME, at: start, stops: true}]`" in told(dairy, (begin, f"{begin}before: x\n"))
    programs = f"programs: {{fetch: {{run: [{sys.executable}, -c, 'print(1)']}}}}\n"
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + programs)
    with dairy.tools() as tools:
        dairy.prepared(
            tools, (begin, f"{begin}steps: [{{program: fetch, at: start}}, {{program: fetch, at: prepared}}]\n")
        )


@pytest.mark.parametrize(
    ("limit", "sql", "says"),
    [
        ("seconds: 1", "select count(*) as n from range(100000000) a, range(100000) b where a.range % 7 = b.range % 11", "longer than the 1 seconds"),
        ("megabytes: 100", "select list(range) as n from range(100000000)", "more memory than gonnet.yaml allows"),
    ],
)  # fmt: skip
def test_a_statement_that_takes_too_much_is_ended(dairy: Dairy, limit: str, sql: str, says: str) -> None:
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + f"queries: {{{limit}}}\n")
    members = "  members: {file: members.csv}\n"
    assert says in told(dairy, (members, f"{members}  more: {{sql: '{sql}'}}\n"))


@pytest.mark.parametrize(
    "url", ["postgresql://reader:pa/ss@host/name", "mysql://r:p@host/n", "postgresql://host/n?user=r&password=p"]
)
def test_a_password_in_an_address_is_refused(dairy: Dairy, url: str) -> None:
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + f"databases: {{pool: {{url: '{url}'}}}}\n")
    assert "a password does not stand in a file" in dairy.gonnet("check", "statements", code=2).stderr


def test_a_new_workspace_may_read_where_its_first_table_is(dairy: Dairy, tmp_path: Path) -> None:
    folder = tmp_path / "fresh"
    folder.mkdir()
    words = ("--rows", str(dairy.folder / "milk.csv"), "--by", "farm_no")
    assert run_gonnet(("new", "milk", *words), folder).returncode == 0
    assert f'reads: ["{dairy.folder}"]' in (folder / "gonnet.yaml").read_text("utf-8")
    assert run_gonnet(("check", "milk"), folder).returncode == 0
    (folder / "gonnet.yaml").write_text(SETTINGS.replace("PORT", "9"), "utf-8")
    refused = run_gonnet(("new", "other", *words), folder)
    assert (refused.returncode, (folder / "jobs/other.yaml").exists()) == (2, False)
    assert "--rows" in refused.stderr
