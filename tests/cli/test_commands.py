"""The installed program: what it says, what it prints for machines, and how it ends."""

from __future__ import annotations

import json
import resource
import signal
import sqlite3
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from support import JOB, MILK, Dairy, run_gonnet

Serve = Callable[..., Any]


def test_a_strangers_table_becomes_pdfs_in_a_folder_in_three_commands(tmp_path: Path) -> None:
    (tmp_path / "Orders 2026.csv").write_text(
        "Order No;Region;Customer;Ordered on;Net amount;On account\n"
        '1001;North;"Bell; Sons";2026-03-01;12.50;true\n'
        "1002;South East;Ωmega;2026-03-02;7.25;false\n"
        "1003;North;=cmd;2026-03-03;1.00;true\n",
        "utf-8",
    )
    run = Dairy(folder=tmp_path, port=0).gonnet
    assert (
        "splits 3 rows by 'Region' for 2 recipients"
        in run("new", "orders", "--rows", "Orders 2026.csv", "--by", "Region").stdout
    )
    run("prepare", "orders")
    run("review", "--into", "look")
    assert sorted(path.name for path in (tmp_path / "look").iterdir()) == [
        "North orders 2026-03.pdf", "North orders 2026-03.xlsx", "South East orders 2026-03.pdf", "South East orders 2026-03.xlsx",
    ]  # fmt: skip
    found = run("send", "last", "--yes", code=2)
    assert "delivers nothing" in found.stderr


def test_new_with_recipients_finds_the_key_column_and_mails_at_once(dairy: Dairy, serve: Serve) -> None:
    dairy.write("people.csv", "number,full name,mail\n00042,Zoë,zoe@x.example\n117,Łąka,laka@x.example\n")
    words = ("new", "mine", "--rows", "milk.csv", "--by", "farm_no", "--recipients", "people.csv", "--to", "mail")
    assert "The list's column 'number' knows 2 of the 3 keys." in dairy.gonnet(*words).stdout
    serve(dairy)
    found = dairy.json("run", "mine", "--yes", code=3)
    assert found["states"] == {"held": 1, "sent": 2}
    assert dairy.mail() == ["zoe@x.example", "laka@x.example"]
    assert "already" in dairy.gonnet(*words, code=2).stderr


def test_new_copes_with_columns_that_are_called_like_sql_or_yaml(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text('"a: b",null,order,group,"it\'s","q""q"\n1.5,2,x,7,3,4\n2.5,3,y,8,5,6\n')
    dairy = Dairy(folder=tmp_path, port=0)
    dairy.gonnet("new", "odd", "--rows", "t.csv", "--by", "group")
    found = dairy.json("prepare", "odd")
    assert found["states"] == {"ready": 2}
    assert {part["column"]: part["whole"] for part in found["totals"]} == {
        "a: b": "4.0",
        "null": "5",
        "it's": "8",
        'q"q': "10",
    }


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["--rows", "nothing.csv", "--by", "farm_no"], "there is no file"),
        (
            ["--rows", "milk.csv", "--by", "farm"],
            "milk.csv has no column 'farm'. Did you mean 'farm_no'?|has no column 'farm'",
        ),
        (["--rows", "milk.csv", "--by", "farm_no", "--to", "email"], "--to: milk.csv has no column 'email'"),
        (["--rows", "milk.csv", "--by", "farm_no", "--recipients", "members.csv"], "--recipients and --to go together"),
        (
            ["--rows", "milk.csv", "--by", "day", "--recipients", "members.csv", "--to", "email"],
            "holds the keys of column 'day'",
        ),
    ],
)
def test_new_says_what_it_cannot_do_and_writes_nothing(dairy: Dairy, words: list[str], says: str) -> None:
    found = dairy.gonnet("new", "other", *words, code=2)
    assert any(part in found.stderr for part in says.split("|")), found.stderr
    assert not (dairy.folder / "jobs" / "other.yaml").exists()


def test_from_the_check_to_the_mailbox(dairy: Dairy, serve: Serve) -> None:
    assert "118  Hallbank: more than the tank holds" in dairy.gonnet("check", "statements", code=3).stdout
    prepared = dairy.json("prepare", "statements", code=3)
    assert prepared["run"] == 1
    assert prepared["rows"] == {
        "read": 5,
        "delivered": 4,
        "delivered_so_far": 0,
        "withheld": 1,
        "withheld_by_reason": {"rule": 1},
    }
    assert prepared["states"] == {"ready": 2, "held": 1, "skipped": 1}
    first = prepared["packages"][0]
    assert (first["key"], first["name"], first["to"], first["state"]) == (
        "00042", "Zoë's Dairy", ["zoe@members.tarnvale.example"], "ready",
    )  # fmt: skip
    assert {"name", "sha256", "bytes", "rows"} <= set(first["documents"][0])
    assert dairy.json("review", code=3)["packages"] == prepared["packages"]
    serve(dairy)
    found = dairy.gonnet("send", "1", "--yes", code=3)
    assert "About to send 2 packages: 4 messages to 3 addresses" in found.stdout
    assert "Done: 2 sent" in found.stdout
    assert [m["for"] for m in dairy.json("mailbox", "list")["messages"]] == dairy.mail()
    assert "Payable: €1,165.95" not in dairy.gonnet("mailbox", "show", "1").stdout
    assert "payable: €1,165.95" in dairy.gonnet("mailbox", "show", "1", "--save", "got").stdout
    assert (dairy.folder / "got" / "00042 statement.pdf").read_bytes().startswith(b"%PDF")
    shown = dairy.gonnet("show", "1", "00042", code=3).stdout
    assert "zoe@members.tarnvale.example: sent 250 kept" in shown
    assert json.loads(dairy.gonnet("runs", "--json").stdout)["runs"][0]["states"] == {
        "held": 1,
        "skipped": 1,
        "sent": 2,
    }
    assert "Nothing to send: run 1 has 1 held, 1 skipped, 2 sent." in dairy.gonnet("send", "1", "--yes", code=3).stdout
    dairy.gonnet("prepare", "statements", code=3)
    (line,) = dairy.gonnet("runs", "--job", "statements", "--state", "sent", "--csv").stdout.splitlines()[1:]
    assert line.startswith("1,statements,")
    assert line.endswith(",0,1,1,2,0,0")
    assert "None of 2 runs fits" in dairy.gonnet("runs", "--state", "failed").stdout
    assert "is not an address" in dairy.gonnet("send", "last", "--trial", "me", "--yes", code=2).stderr


def test_without_a_terminal_nothing_is_sent_unless_told(dairy: Dairy, serve: Serve) -> None:
    serve(dairy)
    dairy.gonnet("prepare", "statements", code=3)
    assert "say --yes" in dairy.gonnet("send", "1", code=2).stderr
    assert "say --yes" in dairy.gonnet("run", "statements", code=2).stderr
    assert dairy.mail() == []


@pytest.mark.parametrize("words", [["check", "statements"], ["prepare", "statements"], ["review"], ["show"], ["runs"]])
def test_what_prepares_and_looks_contacts_nobody(dairy: Dairy, serve: Serve, words: list[str]) -> None:
    serve(dairy)
    dairy.gonnet("prepare", "statements", code=3)
    dairy.gonnet(*words, code=None)
    assert dairy.mail() == []


@pytest.mark.parametrize(
    ("change", "words", "code", "says"),
    [
        (
            {"jobs/statements.yaml": "title: [\n"},
            ["check", "statements"],
            2,
            "jobs/statements.yaml:2:1: this is not YAML",
        ),
        ({"jobs/statements.yaml": JOB.replace("split", "splt")}, ["prepare", "statements"], 2, "Did you mean 'split'?"),
        ({"milk.csv": "farm_no;day\n1;2;3\n"}, ["check", "statements"], 2, "line 2 has 3 columns"),
        (
            {"milk.csv": MILK.replace("litres", "liters")},
            ["prepare", "statements"],
            2,
            "no column 'litres' Did you mean 'liters'?",
        ),
        ({"milk.csv": b"\xff\xfe\x00"}, ["check", "statements"], 2, "milk.csv is not UTF-16 text"),
        ({}, ["check", "statment"], 2, "Did you mean 'statements'?"),
        ({}, ["prepare", "statements", "--only", "43"], 2, "there is no key '43' in this run"),
        ({}, ["prepare", "statements", "--set", "x=1"], 2, "this job has no parameter 'x'"),
        ({}, ["prepare", "statements", "--as-of", "tomorrow"], 2, "'tomorrow' is not a date"),
        ({}, ["review"], 2, "there is no run yet"),
        ({}, ["show", "7"], 2, "there is no run 7"),
        ({}, ["send", "x"], 2, "there is no run of a job 'x'"),
        ({"gonnet.yaml": "styl: {}\n"}, ["runs"], 2, "gonnet.yaml:1:1: unknown key 'styl' Did you mean 'style'?"),
        ({}, ["mailbox", "list"], 2, "there is no mailbox here"),
        ({}, ["runs", "--workspace", "jobs"], 2, "this folder is not a workspace"),
    ],
)
def test_mistakes_are_told_in_words_with_the_right_code(
    dairy: Dairy, change: dict[str, str | bytes], words: list[str], code: int, says: str
) -> None:
    for name, text in change.items():
        dairy.write(name, text)
    found = dairy.gonnet(*words, code=code)
    said = " ".join(found.stderr.split())
    assert says in said
    assert "Traceback" not in found.stderr
    assert not (dairy.folder / ".gonnet" / "store").exists()


def test_a_misspelt_command_is_told_with_the_one_that_was_meant(tmp_path: Path) -> None:
    found = run_gonnet(["revew"], tmp_path)
    assert found.returncode == 2
    assert "there is no command 'revew'. Did you mean 'gonnet review'?" in found.stderr


def test_outside_a_workspace_it_says_how_to_begin(tmp_path: Path) -> None:
    found = run_gonnet(["runs"], tmp_path)
    assert found.returncode == 2
    assert "gonnet demo" in found.stderr


def test_a_refused_connection_loses_nothing(dairy: Dairy, serve: Serve) -> None:
    dairy.gonnet("prepare", "statements", code=3)
    found = dairy.gonnet("send", "1", "--yes", code=4)
    assert "Nothing is lost; run it again" in found.stderr
    assert dairy.json("show", "1", code=3)["states"]["ready"] == 2
    serve(dairy)
    dairy.gonnet("send", "1", "--yes", code=3)
    assert len(dairy.mail()) == 4


def test_a_folder_that_cannot_be_written_is_told_and_nothing_is_begun(dairy: Dairy) -> None:
    dairy.write("gonnet.yaml", "ledger: {folder: /proc/gonnet}\n")  # not even root can write there
    found = dairy.gonnet("prepare", "statements", code=2)
    assert "the folder for the ledger cannot be made" in found.stderr
    assert "Traceback" not in found.stderr


@pytest.mark.parametrize("limit", [4_096, 20_000, 70_000])
def test_a_full_disk_leaves_a_true_ledger(dairy: Dairy, serve: Serve, limit: int) -> None:
    """A limit on the size of files stands for the full disk: writing beyond it fails in the same way."""

    def full() -> None:
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        resource.setrlimit(resource.RLIMIT_FSIZE, (limit, limit))

    dairy.gonnet("runs")
    found = dairy.gonnet("prepare", "statements", code=2, preexec_fn=full)
    assert "error:" in found.stderr
    assert "Traceback" not in found.stderr
    runs = json.loads(dairy.gonnet("runs", "--json").stdout)["runs"]
    assert all(run["states"].get("sent", 0) == 0 for run in runs)
    serve(dairy)
    for run in runs:
        assert "was aborted before its end" in dairy.gonnet("send", str(run["run"]), "--yes", code=2).stderr
    dairy.gonnet("run", "statements", "--yes", code=3)
    assert len(dairy.mail()) == 4


def test_a_ledger_of_another_version_is_left_alone(dairy: Dairy) -> None:
    dairy.gonnet("runs")
    with sqlite3.connect(dairy.folder / ".gonnet" / "ledger.db") as ledger:
        ledger.execute("update about set version = 99")
    assert "a newer Gonnet" in dairy.gonnet("runs", code=2).stderr


def test_quiet_prints_only_what_needs_attention(dairy: Dairy) -> None:
    dairy.write("milk.csv", MILK + "nobody,2026-10-03,10,4.90,\n")
    found = dairy.gonnet("prepare", "statements", "--quiet", code=3)
    assert found.stdout.splitlines() == ["! nobody on the list has key 'nobody' (1 row)"]


def test_a_value_cannot_steer_the_terminal(dairy: Dairy) -> None:
    dairy.write("members.csv", "farm_no,farm_name,email,adviser\n117,\x1b]0;x\x07[bold]Farm,a@x.example,\n")
    found = dairy.gonnet("prepare", "statements", code=3)
    out = found.stdout + dairy.gonnet("review", code=3).stdout
    assert "\x1b" not in out
    assert "\x07" not in out
    assert "[bold]Farm" in out
