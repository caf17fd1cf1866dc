"""Jobs that are like another: one criterion of their own, everything else as there, mistakes told where they stand."""

from __future__ import annotations

import pytest

from gonnet.errors import JobError
from gonnet.jobs import load_job, load_workspace
from support import Dairy

PARAMETER = "parameters: {kind: {kind: text, default: usual}}\n"


def test_a_criterion_is_fixed_and_a_change_of_wording_is_made_once(dairy: Dairy) -> None:
    dairy.job(
        ("title: Milk statements\n", f"title: Milk statements\n{PARAMETER}calendar: {{every: day, at: '08:00'}}\n")
    )
    dairy.gonnet(
        "new",
        "one",
        "--like",
        "statements",
        "--set",
        "kind=late",
        "--where",
        "recipient.adviser = 'ines@tarnvale.example'",
    )
    dairy.job(("title: Milk statements\n", f"title: Milk\n{PARAMETER}"), ("Dear {{", "Good day {{"))
    job = load_job(load_workspace(dairy.folder), "one")
    assert job.file.title == "Milk statements: kind late, recipient.adviser = 'ines@tarnvale.example'"
    assert job.file.calendar == ()  # each job has its own
    found = dairy.json("prepare", "one")
    assert found["states"] == {"ready": 2, "skipped": 2}  # who has no adviser is left out too
    assert {package["reason"] for package in found["packages"]} == {"", "not of this job, by its `where`"}
    assert "Good day Łąka Górna" in dairy.gonnet("show", "one", "117").stdout


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (("--like", "statemens"), "there is no job 'statemens'"),
        (("--like", "statements", "--set", "kindd=x"), "this job has no parameter 'kindd'"),
        (("--like", "statements", "--rows", "milk.csv"), "leave out --rows and --by"),
        ((), "--rows FILE --by COLUMN"),
        (("--rows", "milk.csv", "--by", "farm_no", "--where", "true"), "--set and --where go with --like"),
    ],
)
def test_what_cannot_be_is_told_and_nothing_is_written(dairy: Dairy, words: tuple[str, ...], says: str) -> None:
    dairy.job(("title: Milk statements\n", f"title: Milk statements\n{PARAMETER}"))
    assert says in dairy.gonnet("new", "one", *words, code=2).stderr
    assert not (dairy.folder / "jobs/one.yaml").exists()


def test_a_mistake_is_told_in_the_file_in_which_it_stands(dairy: Dairy) -> None:
    dairy.write("jobs/one.yaml", "like: statements\ntitle: One\nwhere: recipient.farm = '117'\n")
    assert "jobs/one.yaml:3:8" in dairy.gonnet("check", "one", code=2).stderr
    dairy.job(("when: rows = 0", "when: raws = 0"))
    dairy.write("jobs/one.yaml", "like: statements\ntitle: One\nwhere: 'true'\n")
    said = dairy.gonnet("check", "one", code=2).stderr
    assert "jobs/statements.yaml:" in said
    line = next(
        n
        for n, text in enumerate((dairy.folder / "jobs/statements.yaml").read_text("utf-8").splitlines(), 1)
        if "raws" in text
    )
    assert f"jobs/statements.yaml:{line}:" in said


def test_two_that_are_like_each_other_are_refused(dairy: Dairy) -> None:
    dairy.write("jobs/one.yaml", "like: two\n")
    dairy.write("jobs/two.yaml", "like: one\n")
    with pytest.raises(JobError, match="is like"):
        load_job(load_workspace(dairy.folder), "one")
