"""What makes two sends the same, what an extra run counts for, and that nothing to send is a success."""

from __future__ import annotations

from collections import Counter

import pytest

from scripted_smtp import Script, serving
from support import MILK, RULES, Dairy

BOTH_RECORDS = "asked"

PARAMETERS = "parameters:\n  month: {kind: month, default: previous}\n  kind: {kind: text, default: usual}\n"
NOBODY_HELD = ("  - {name: a lot, when: litres > 5000, hold: more than the tank holds}\n", "")
ONE_EACH = (", cc: adviser}", "}")
BEGIN = "title: Milk statements\n"


def run(dairy: Dairy, *words: str, code: int = 0) -> Counter[str]:
    """The addresses to which a run sends."""
    script = Script()
    with serving(script, dairy.port):
        dairy.gonnet("run", "statements", "--yes", *words, code=code)
    return Counter(address.partition("@")[0] for address, _ in script.stored)


EVERYBODY = Counter(zoe=1, laka=1, hallbank=1)


@pytest.mark.parametrize(
    ("once_per", "first", "second", "again"),
    [
        ("", "--set kind=usual --as-of 2026-11-05", "--set kind=usual --as-of 2026-11-29", False),
        ("", "--set kind=usual", "--set kind=late", True),  # all parameters count, not the period alone
        ("once_per: month\n", "--set kind=usual", "--set kind=late", False),
        ("once_per: [kind, month]\n", "--set kind=usual", "--set kind=late", True),
        ('once_per: "{{ month.start.year }}"\n', "--set month=2026-09", "--set month=2026-10", False),
        ('once_per: "{{ month.id }}"\n', "--set month=2026-09", "--set month=2026-10", True),
    ],
)
def test_two_sends_are_the_same_by_what_the_job_says(
    dairy: Dairy, once_per: str, first: str, second: str, again: bool
) -> None:
    dairy.job((BEGIN, BEGIN + once_per + PARAMETERS), NOBODY_HELD, ONE_EACH)
    assert run(dairy, *first.split()) == EVERYBODY
    assert run(dairy, *second.split()) == (EVERYBODY if again else Counter())


def test_a_figure_makes_it_the_same_for_each_recipient_by_itself(dairy: Dairy) -> None:
    dairy.job((BEGIN, f"{BEGIN}once_per: payable\n"), NOBODY_HELD, ONE_EACH)
    assert run(dairy, "--as-of", "2026-11-05") == EVERYBODY
    dairy.write("milk.csv", MILK.replace("388.11", "388.12"))
    assert run(dairy, "--as-of", "2026-11-06") == Counter(laka=1)


def test_what_was_sent_already_is_shown_before_anything_is_sent(dairy: Dairy) -> None:
    dairy.job(NOBODY_HELD)
    run(dairy, "--as-of", "2026-11-05")
    said = dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05").stdout
    assert "3 packages were already sent in run 1 for the same period (00042, 117, 118): they are left out" in said
    assert "sent already in run 1" in dairy.gonnet("review").stdout
    assert dairy.json("review")["sent_already"] == {"00042": 1, "117": 1, "118": 1}
    dairy.gonnet("review", "--html", "look.html")
    assert "3 packages were already sent in run 1" in (dairy.folder / "look.html").read_text("utf-8")


def test_an_extra_run_is_recorded_and_counts_for_nothing_else(dairy: Dairy) -> None:
    dairy.job(NOBODY_HELD, ONE_EACH)
    assert run(dairy, "--extra", "--only", "117", "--as-of", "2026-11-05") == Counter(laka=1)
    assert run(dairy, "--extra", "--as-of", "2026-11-05") == EVERYBODY
    assert run(dairy, "--as-of", "2026-11-05") == EVERYBODY
    assert run(dairy, "--extra", "--only", "117", "--as-of", "2026-11-05") == Counter(laka=1)
    purposes = [one["purpose"] for one in dairy.json("runs")["runs"]]
    assert purposes == ["extra", "regular", "extra", "extra"]
    assert "run 3" in dairy.gonnet("review", "4").stdout or "Against" not in dairy.gonnet("review", "4").stdout
    dairy.gonnet("prepare", "statements", "--as-of", "2026-12-05")
    assert "Against  run 3" in dairy.gonnet("review").stdout


@pytest.mark.parametrize(
    ("case", "says"),
    [
        ("no rows", "4 packages: no milk"),
        ("no rows and no list", "run 1 has no packages"),
        ("skipped by rule", "packages: not this month"),
        ("left out by the list", "3 packages: the list leaves it out"),
    ],
)
def test_nobody_due_is_a_success_that_says_why(dairy: Dairy, case: str, says: str) -> None:
    dairy.job(NOBODY_HELD)
    if case.startswith("no rows"):
        dairy.write("milk.csv", MILK.splitlines()[0] + "\n")
    if case == "no rows and no list":
        dairy.write("members.csv", "farm_no,farm_name,email,adviser\n")
    if case == "skipped by rule":
        dairy.job(NOBODY_HELD, ("rules:\n", "rules:\n  - {name: none, when: 'true', skip: not this month}\n"))
    if case == "left out by the list":
        dairy.job(NOBODY_HELD, ("{rows: members, key", "{rows: members, where: farm_no = '119', key"))
    said = dairy.gonnet("run", "statements", "--yes").stdout
    assert "Nothing to send" in said
    assert says in said
    assert "!" not in said
    assert len(dairy.json("runs")["runs"]) == 1


def test_everybody_sent_before_is_a_success_too(dairy: Dairy) -> None:
    dairy.job(NOBODY_HELD)
    run(dairy)
    said = dairy.gonnet("run", "statements", "--yes").stdout
    assert "3 packages: it was sent already in another run" in said


def test_made_afresh_for_nobody_is_a_success_too(dairy: Dairy) -> None:
    dairy.job(NOBODY_HELD)
    run(dairy, "--as-of", "2026-11-05")
    dairy.write("milk.csv", MILK.splitlines()[0] + "\n")
    said = dairy.gonnet("resend", "1", "117", "--fresh", "--yes", "--why", "he calls").stdout
    assert "Nothing to send" in said
    assert "1 package: no milk" in said


def test_what_is_not_chosen_is_no_finding(dairy: Dairy) -> None:
    dairy.job((RULES, "  - {name: idle, when: rows = 0, skip: no milk}\n"))
    dairy.write("members.csv", (dairy.folder / "members.csv").read_text("utf-8").replace("118,", "999,"))
    said = dairy.gonnet("prepare", "statements", "--only", "117").stdout
    assert "nobody on the list" not in said
